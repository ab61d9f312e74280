"""Who is heard how much: each layer's share of the sum, and who gives most to its highest peak."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from oskren.core.audio.layouts import convert
from oskren.core.measure.levels import amplitude, db
from oskren.core.measure.loudness import channel_weights, k_weighting
from oskren.core.nodes.model import Mix
from oskren.core.nodes.render import BLOCK, Renderer
from oskren.core.nodes.voices import Voice
from oskren.core.types import Floats, Samples

NEAR_DB = 1.0
"""A sum that comes within this of full scale is warned of."""


class Share(BaseModel):
    """One layer or group in the sum before its chain.

    ``share`` is its part of the K-weighted energy (ITU-R BS.1770) of all of them; ``at_peak`` what it gives to the highest
    sample of the sum, as a part of that sample (parts sum to 1; one may be negative where it works against the others).
    """

    id: str
    share: float
    peak_dbfs: float | None
    at_peak: float


class SumFacts(BaseModel):
    """What the meters of a sum show beside its measures.

    ``crest_db`` is peak over RMS, ``correlation`` -1 to 1 that of left and right over the whole; ``peak_at_s`` from the strike line,
    ``peak_by`` the layer or group that gives most to it; ``over_db`` what is over full scale, negative what is left.
    """

    crest_db: float | None
    correlation: float | None
    shares: list[Share]
    peak_at_s: float | None
    peak_by: str
    mix_peak_dbfs: float | None


class _Weighing:
    """Energy of a signal through the K-weighting, block after block, each channel with the weight its place has in loudness."""

    def __init__(self, rate: int, layout: str, channels: int):
        self._sections = k_weighting(rate)
        self._state = np.zeros((len(self._sections), 2, channels))
        self._weights = channel_weights(layout, channels)
        self.energy = 0.0

    def add(self, block: Samples) -> None:
        from scipy.signal import sosfilt

        out, self._state = sosfilt(self._sections, block.astype(np.float64), axis=0, zi=self._state)
        self.energy += float(np.sum(out**2, axis=0) @ self._weights)


def _heard(voice: Voice, audio: Samples, first: int, at: int, count: int) -> Samples | None:
    """What a voice gives to the channels of the mix over a stretch, or None where it is silent."""
    low, high = max(at, first), min(at + count, first + len(audio))
    if low >= high:
        return None
    out = np.zeros((count, voice.lanes), np.float32)
    out[low - at : high - at] = voice.heard(np.asarray(audio[low - first : high - first]), low - first)
    return out


def share_out(renderer: Renderer, mix: Mix) -> tuple[list[Share], float | None, str, float | None]:
    """Shares of what sounds in a mix, where its highest sample lies (s from the strike line), who gives most to it, and its level (dBFS).

    The sum is taken before its chain: a limiter on it hides nothing here.
    """
    bare = mix.model_copy(update={"chain": ()})
    shape, voices = renderer.shape(bare), renderer.voices(mix)
    sounding = [(voice, voice.place + shape.zero, renderer.audio(voice.node)[0]) for voice in voices]
    lanes = max(2, shape.channels)  # a mono sum is weighed as the two sides it is made of
    weighed = [_Weighing(shape.rate, mix.layout if lanes > 2 else "stereo", lanes) for _ in voices]
    peaks = np.zeros(len(voices))
    highest, where, given = 0.0, 0, np.zeros(len(voices))
    for at in range(0, shape.frames, BLOCK):
        count = min(BLOCK, shape.frames - at)
        total = np.zeros((count, lanes))
        blocks: list[Samples | None] = []
        for i, (voice, first, audio) in enumerate(sounding):
            block = _heard(voice, audio, first, at, count)
            blocks.append(block)
            if block is not None:
                weighed[i].add(block)
                peaks[i] = max(peaks[i], float(np.abs(block).max()))
                total += block
        here = np.abs(total)
        top = float(here.max(initial=0.0))
        if top > highest:
            frame, side = np.unravel_index(int(np.argmax(here)), here.shape)
            highest, where = top, at + int(frame)
            given = np.array([0.0 if block is None else float(block[frame, side]) for block in blocks]) / total[frame, side]
    energy = sum(one.energy for one in weighed)
    shares = [
        Share(
            id=voice.id,
            share=round(weighed[i].energy / energy, 4) if energy > 0 else 0.0,
            peak_dbfs=round(db(float(peaks[i])), 2) if peaks[i] > amplitude(-160) else None,
            at_peak=round(float(given[i]), 4),
        )
        for i, voice in enumerate(voices)
    ]
    if highest <= amplitude(-160):
        return shares, None, "", None
    return shares, round((where - shape.zero) / shape.rate, 6), voices[int(np.argmax(given))].id, round(db(highest), 2)


def correlation(samples: Samples, layout: str = "") -> float | None:
    """Correlation of left and right over a whole sound, -1 to 1: Σlr / √(Σl² Σr²); None for silence on a side.

    Parameters
    ----------
    samples : array, shape (frames, channels)
    layout : str
        The layout of the channels; more than two are folded down first.

    Returns
    -------
    float or None
        1 for the same on both sides, 0 for what has nothing in common, -1 for opposite phase.

    Examples
    --------
    >>> side = np.random.default_rng(1).normal(0, 0.1, (4800, 1)).astype(np.float32)
    >>> round(correlation(np.hstack([side, -side])), 3)
    -1.0
    """
    sides = samples if samples.shape[1] <= 2 else convert(samples, "stereo", layout)
    if sides.shape[1] == 1:
        return 1.0 if float(np.abs(sides).max(initial=0.0)) > 0 else None
    left, right = (sides[:, lane].astype(np.float64) for lane in (0, 1))
    size: Floats = np.sqrt(np.sum(left**2) * np.sum(right**2))
    return round(float(np.sum(left * right) / size), 3) if size > 1e-12 else None


def sum_facts(renderer: Renderer, mix: Mix) -> SumFacts:
    """Render a design and say what its measures leave out."""
    audio, _ = renderer.audio(mix)
    whole = np.asarray(audio)
    top, rms = float(np.abs(whole).max(initial=0.0)), float(np.sqrt(np.mean(whole.astype(np.float64) ** 2))) if len(whole) else 0.0
    shares, at_s, by, level = share_out(renderer, mix)
    return SumFacts(
        crest_db=round(db(top) - db(rms), 2) if rms > amplitude(-160) else None,
        correlation=correlation(whole, renderer.output_shape(mix).named),
        shares=shares,
        peak_at_s=at_s,
        peak_by=by,
        mix_peak_dbfs=level,
    )


def warned(mix: Mix, true_peak_dbtp: float | None, facts: SumFacts) -> tuple[str, bool]:
    """A sentence when little is left below full scale, or nothing, naming who gives most to the highest peak; and whether it is over."""
    if true_peak_dbtp is None or true_peak_dbtp < -NEAR_DB or facts.peak_at_s is None:
        return "", False
    names = {one.id: one.name for one in mix.members} | {one.id: one.name for one in mix.groups}
    share = next(one.at_peak for one in facts.shares if one.id == facts.peak_by)
    where = f"{names.get(facts.peak_by) or 'a layer'} gives {100 * share:.0f} % of its highest peak, at {facts.peak_at_s:+.3f} s"
    if true_peak_dbtp > 0:
        return f"The sum is {true_peak_dbtp:.1f} dB over full scale: {where}.", True
    return f"{-true_peak_dbtp:.1f} dB are left before the sum clips: {where}.", False


LOW_HZ = 44_100
"""A sum under this rate lacks what is heard at the top (20 kHz); common practice, no source."""


def poor_rate(mix: Mix, rate: int) -> str:
    """Why a sum has a low rate (Hz), in a sentence; empty when it has not, or when it was chosen."""
    if mix.rate is not None or rate >= LOW_HZ or not mix.members:
        return ""
    return (
        f"No layer has more than {rate / 1000:g} kHz, so the sum has no more: nothing of it lies above {rate / 2000:g} kHz, "
        "whatever steps add. Choose a rate of the sum."
    )
