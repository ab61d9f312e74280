"""What worker processes do for Mend: levels behind steps, what steps found, suggestions for a reel."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from oskren.core.audio.replacing import replacing
from oskren.core.errors import Cancelled, OskrenError
from oskren.core.measure import levels, loudness
from oskren.core.nodes.glance import LONG_S, parts_of
from oskren.core.nodes.model import Chained, NodeAdapter, active
from oskren.core.nodes.render import Renderer
from oskren.core.steps import kind_of
from oskren.core.types import Samples
from oskren.work.engine.place import Workplace


def estimated_levels(place: Workplace, node: dict[str, Any]) -> list[dict[str, Any]]:
    """As :func:`chain_levels`, from a few parts of a long sound; nothing for a short one, which is measured as soon."""
    parsed = NodeAdapter.validate_python(node)
    assert isinstance(parsed, Chained)
    renderer = place.glance({})
    return [] if renderer.output_shape(parsed.node).seconds <= LONG_S else chain_levels(place, node, estimating=renderer)


def chain_levels(place: Workplace, node: dict[str, Any], only: set[str] | None = None, *, estimating: Renderer | None = None) -> list[dict[str, Any]]:
    """Level before the first step and after every active step of a chained node: peak, RMS, loudness, clipped samples.

    With ``only``, of those of its steps, which stand together: before the first of them and after each. With ``estimating``, a renderer that
    glances, from a few parts of the sound.
    """
    parsed = NodeAdapter.validate_python(node)
    assert isinstance(parsed, Chained)
    renderer = estimating or place.renderer()
    result = []
    steps = active(parsed.chain)
    for count in range(len(steps) + 1):
        here = parsed.model_copy(update={"chain": steps[:count]})
        shape = renderer.output_shape(here)
        rate, audio = shape.rate, parts_of(renderer, here) if estimating else renderer.audio(here)[0]
        loud = loudness.loudness(np.asarray(audio), rate)
        highest = levels.peak(audio)
        result.append(
            {
                "step": steps[count - 1].id if count else "",
                "peak_dbfs": round(levels.db(highest), 2) if highest > 1e-10 else None,
                "rms_dbfs": round(levels.db(levels.rms(np.asarray(audio))), 2) if highest > 1e-10 else None,
                "lufs": None if loud.integrated_lufs is None else round(loud.integrated_lufs, 2),
                "over": bool(highest > 1.0),
                "seconds": shape.seconds,
                "found": _found(renderer, here) if count else "",
                "balance_lu": _balance(np.asarray(audio), rate) if count in (0, len(steps)) else None,
            }
        )
    if only is not None:
        wanted = [at for at, one in enumerate(result) if at and one["step"] in only]
        return [{**result[wanted[0] - 1], "step": ""}, *(result[at] for at in wanted)] if wanted else []
    return result


def _balance(audio: Samples, rate: int) -> float | None:
    """How much louder right is than left (LU), each measured by itself; None unless there are two that can be measured."""
    if audio.shape[1] != 2:
        return None
    left, right = (loudness.loudness(audio[:, lane : lane + 1], rate).integrated_lufs for lane in range(2))
    return None if left is None or right is None else round(right - left, 2)


def _found(renderer: Renderer, node: Chained) -> str:
    """What the last step of a chain found in what it works on."""
    kind = kind_of(node.chain[-1].kind)
    return kind.found(renderer.summary(node)) if kind.analyses else ""


def noise_profile(place: Workplace, node: dict[str, Any]) -> dict[str, Any]:
    """Profile of a chain's last step, a noise reduction: its parts (s) and a curve in dBFS over 64 log-spaced frequencies."""
    parsed = NodeAdapter.validate_python(node)
    assert isinstance(parsed, Chained)
    renderer = place.renderer()
    learned = renderer.summary(parsed)
    rate = renderer.shape(parsed.node).rate
    profile = learned["profile"].mean(axis=1)
    size = (len(profile) - 1) * 2
    at = np.geomspace(40, min(20_000, rate / 2), 64)
    level = 10 * np.log10(np.maximum(profile, 1e-20)) - 20 * np.log10(size / 4)
    return {
        "parts": learned["parts"].tolist(),
        "hz": at.round(1).tolist(),
        "dbfs": np.interp(at, np.linspace(0, rate / 2, len(profile)), level).round(2).tolist(),
    }


def resonances(place: Workplace, node: dict[str, Any]) -> list[dict[str, float]]:
    """Narrow peaks of a node, the highest first."""
    from oskren.core.measure.resonance import find_resonances

    audio, rate = place.renderer().audio(NodeAdapter.validate_python(node))
    found = find_resonances(np.asarray(audio).mean(axis=1, dtype=np.float32), rate)
    return [{"frequency_hz": one.frequency_hz, "height_db": one.height_db, "width_hz": one.width_hz, "q": round(one.q, 2)} for one in found]


def picture(kind: str, params: dict[str, Any], rate: int) -> dict[str, Any] | None:
    """What a step does with its settings, drawn."""
    from oskren.core.steps.base import checked

    drawn = kind_of(kind).picture(checked(kind, params), rate)
    return None if drawn is None else drawn.model_dump()


def suggest_parts(place: Workplace, node: dict[str, Any], keep: str) -> None:
    """Suggestions for a take, from one pass over it, kept in a file."""
    from oskren.core.mend.suggest import suggest

    parsed = NodeAdapter.validate_python(node)
    renderer = place.renderer()
    found = suggest(renderer.stream(parsed), renderer.output_shape(parsed).rate)
    with replacing(Path(keep)) as temporary:
        temporary.write_text(found.model_dump_json())


def listed(place: Workplace, node: dict[str, Any]) -> list[dict[str, Any]]:
    """What the last step of a chain found, one by one, in the time of the chain's input."""
    parsed = NodeAdapter.validate_python(node)
    assert isinstance(parsed, Chained)
    renderer = place.renderer()
    steps = active(parsed.chain)
    if not steps or not kind_of(steps[-1].kind).analyses:
        return []
    back = renderer.time_map(Chained(node=parsed.node, chain=steps[:-1])).to_input
    found = kind_of(steps[-1].kind).listed(*renderer.learned(parsed))
    return [asdict(one) | {"at_s": round(back(one.at_s), 6), "end_s": round(back(one.end_s), 6)} for one in found]


def outcome(place: Workplace, before: dict[str, Any], after: dict[str, Any]) -> dict[str, Any]:
    """Sample peak and loudness of a node before and after a chain; or the reason why it cannot be rendered. Nothing is cached."""
    renderer = place.renderer(scratch=True)
    told: dict[str, Any] = {}
    for name, node in (("before", before), ("after", after)):
        try:
            audio, rate = renderer.audio(NodeAdapter.validate_python(node))
            loud, highest = loudness.loudness(np.asarray(audio), rate), levels.peak(audio)
        except Cancelled:
            raise
        except (OskrenError, OSError, ValueError, MemoryError) as error:
            return {"reason": str(error)}
        told[f"{name}_dbfs"] = round(levels.db(highest), 2) if highest > 1e-10 else None
        told[f"{name}_lufs"] = None if loud.integrated_lufs is None else round(loud.integrated_lufs, 2)
        told["over"] = bool(highest > 1.0)
    return told
