"""The noise table: reduction on the whole corpus beside plain spectral subtraction and noisereduce."""

from __future__ import annotations

import time
from collections.abc import Callable

import noisereduce
import numpy as np

from bench.corpus import EFFECTS, NOISES, RATE, SNRS, STRUCK, Case, Wave, attack_kept_db, cases, gain_wobble, si_sdr, subtraction
from oskren.core.steps import Context, kind_of
from oskren.core.steps.noise import NoiseParams

REDUCTION_DB = 15.0


def reduced(case: Case, reduction_db: float, **more: float) -> Wave:
    """A mix of the corpus through our step, profile from its first second."""
    kind, samples = kind_of("noise_reduction"), case.mix.astype(np.float32)[:, None]
    params = NoiseParams.model_validate({"reduction_db": reduction_db, "parts": ((0.0, case.quiet.stop / RATE),), **more})
    at = Context(RATE, 1, len(samples))
    stream = kind.stream(params, kind.analyse(params, iter([samples]), at), at, 0)
    return np.concatenate([stream.push(samples), stream.flush()])[:, 0].astype(np.float64)


def _peer(case: Case) -> Wave:
    share = 1 - 10 ** (-REDUCTION_DB / 20)
    return np.asarray(noisereduce.reduce_noise(y=case.mix, sr=RATE, y_noise=case.mix[case.quiet], stationary=True, prop_decrease=share))


WAYS: dict[str, Callable[[Case], Wave]] = {
    "ours": lambda case: reduced(case, REDUCTION_DB, low_bias_db=0.0, high_bias_db=0.0),
    "subtraction": lambda case: subtraction(case.mix, case.mix[case.quiet], REDUCTION_DB),
    "noisereduce": _peer,
    "default": lambda case: reduced(case, 6.0),
}


def table() -> list[str]:
    """Lines of Markdown: one row for every noise and level, means over the effects, and the worst of each."""
    started, rows = time.monotonic(), []
    for case in cases():
        found = {name: way(case) for name, way in WAYS.items()}
        before = si_sdr(case.clean, case.mix)
        gained = {name: si_sdr(case.clean, one) - before for name, one in found.items()}
        attack = attack_kept_db(case, found["ours"]) if case.effect in STRUCK else 0.0
        rows.append((case.noise, case.snr, gained, attack, gain_wobble(case, found["ours"]), gain_wobble(case, found["subtraction"])))
    lines = [
        "## Noise reduction on the corpus",
        "",
        f"{len(EFFECTS)} clean effects of the demo in {len(NOISES)} noises at {len(SNRS)} levels, profile from one second,",
        f"reduction {REDUCTION_DB:.0f} dB without bias (`bench/corpus.py`; {time.monotonic() - started:.0f} s).",
        "SI-SDR gained in dB, mean over the effects; in brackets the least lead over the peer on one effect.",
        "Attack: the least that is left of the clean effect's first 20 ms.",
        "Gain in noise: standard deviation in dB of what was let down, cell by cell, where only noise is.",
        "",
        "| noise | level | ours | plain subtraction | noisereduce | at the default 6 dB (least) | attack | gain in noise, ours | plain |",
        "|---|---|---|---|---|---|---|---|---|",
    ]
    for noise in NOISES:
        for snr in SNRS:
            some = [row for row in rows if row[:2] == (noise, snr)]
            mean = {name: float(np.mean([row[2][name] for row in some])) for name in WAYS}
            lead = {name: min(row[2]["ours"] - row[2][name] for row in some) for name in ("subtraction", "noisereduce")}
            lines.append(
                f"| {noise} | {snr} dB | {mean['ours']:.1f} | {mean['subtraction']:.1f} ({lead['subtraction']:+.1f}) | {mean['noisereduce']:.1f}"
                f" ({lead['noisereduce']:+.2f}) | {mean['default']:.1f} ({min(row[2]['default'] for row in some):.1f}) | {min(row[3] for row in some):.2f} dB"
                f" | {np.mean([row[4] for row in some]):.2f} | {np.mean([row[5] for row in some]):.2f} |"
            )
    return lines
