"""What worker processes do for Picture: the copy of a film, its sound, its stills, loudness of placements, films with another sound."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from oskren.core.errors import Cancelled
from oskren.core.nodes.model import Mix, NodeAdapter
from oskren.work.engine.place import Workplace

TOLD_EVERY_S = 0.3


def _watched(flag: str, along: str) -> Callable[[int, int], None]:
    """Writes how far the work is into a file, and ends it when the flag is there."""
    last = 0.0

    def told(done: int, total: int) -> None:
        nonlocal last
        now = time.monotonic()
        if now - last < TOLD_EVERY_S:
            return
        last = now
        if flag and Path(flag).exists():
            raise Cancelled("The work was cancelled.")
        if along:
            Path(along).write_text(f"{done} {total}")

    return told


def voices(place: Workplace, nodes: list[dict[str, Any]]) -> list[tuple[float, float, float] | None]:
    """Fundamental (Hz), how sure it is, and loudness (LUFS) of nodes; None for one without a pitch, or that is silent."""
    from oskren.core.measure.loudness import loudness
    from oskren.work.stack.tasks import tones

    renderer = place.renderer()
    found: list[tuple[float, float, float] | None] = []
    for node, (hz, sure) in zip(nodes, tones(place, nodes), strict=True):
        audio, rate = renderer.audio(NodeAdapter.validate_python(node))
        lufs = loudness(audio, rate).integrated_lufs
        found.append(None if hz is None or sure is None or lufs is None else (hz, sure, lufs))
    return found


def probe(path: str) -> dict[str, Any]:
    """What a video file holds."""
    from oskren.core.picture.reading import probe as look

    return look(Path(path)).model_dump(mode="json")


def open_film(path: str, film: dict[str, Any], proxy: str, sound: str, flag: str, along: str) -> tuple[list[int], bool]:
    """Make the copy of a film that is played and a file of its sound; where its shots begin, and whether it has a sound."""
    from oskren.core.picture.film import Film
    from oskren.core.picture.reading import write_proxy, write_sound
    from oskren.core.picture.shots import shot_changes

    told = _watched(flag, along)
    known = Film.model_validate(film)
    small = write_proxy(Path(path), known, Path(proxy), told)
    return shot_changes(small), write_sound(Path(path), Path(sound), told) if known.audio_channels else False


def still(path: str, film: dict[str, Any], number: int, width: int) -> bytes:
    """One frame of a film as a JPEG."""
    from oskren.core.picture.film import Film
    from oskren.core.picture.reading import still as frame

    return frame(Path(path), Film.model_validate(film), number, width)


def balance(place: Workplace, node: dict[str, Any]) -> dict[str, float | None]:
    """By id of each placement of a scene: how loud it is at its loudest (LUFS over 0.4 s; by all of it where it is shorter), its gain left out."""
    from oskren.core.picture.balance import loudest

    parsed, renderer = NodeAdapter.validate_python(node), place.renderer()
    assert isinstance(parsed, Mix)
    return loudest(renderer, parsed)


def over_time(place: Workplace, node: dict[str, Any]) -> dict[str, Any]:
    """Loudness of a scene over time: short-term (LUFS over 3 s) every half a second, and of all of it."""
    from oskren.core.picture.balance import over_time as along

    parsed = NodeAdapter.validate_python(node)
    assert isinstance(parsed, Mix)
    return along(place.renderer(), parsed).model_dump()


def with_sound(film_path: str, film: dict[str, Any], mix: str, out: str, picture: str, flag: str, along: str) -> None:
    """Write a film with another sound."""
    from oskren.core.picture.film import Film
    from oskren.core.picture.muxing import write_with_sound

    write_with_sound(Path(film_path), Film.model_validate(film), Path(mix), Path(out), picture, _watched(flag, along))
