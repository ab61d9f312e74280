"""Drawing variations in the pool."""

from __future__ import annotations

import tempfile
from collections.abc import Collection
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from oskren.core import bundle as bundles
from oskren.core.errors import OskrenError
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Mix
from oskren.core.ship.items import Item
from oskren.core.ship.sheet import Target
from oskren.core.ship.write import File
from oskren.core.types import Failed
from oskren.core.vary.recipe import Recipe, default_recipe, draw
from oskren.core.words.names import legal
from oskren.store import Home
from oskren.work.engine import guard
from oskren.work.engine.place import Workplace
from oskren.work.engine.studio import Studio
from oskren.work.engine.workers import Workers
from oskren.work.ship import tasks
from oskren.work.ship.run import Written


def read_recipe(path: Path) -> Recipe:
    """A recipe from a JSON file."""
    try:
        return Recipe.model_validate_json(path.read_text())
    except (OSError, UnicodeDecodeError) as error:
        raise OskrenError(f"{path}: cannot be read as a recipe; check the path") from error
    except ValidationError as error:
        first = error.errors()[0]
        raise OskrenError(f"{path}: {'.'.join(str(part) for part in first['loc'])}: {first['msg']}; docs/formats.md shows a recipe") from error


def vary_bundle(
    path: Path, count: int, seed: int, out: Path, recipe_path: Path | None, overwrite: Collection[Path] = ()
) -> tuple[list[dict[str, Any]], list[Failed], list[str]]:
    """Draw and write ``count`` variations of a bundle as 24-bit WAV, each read back: what was drawn, what failed, and what was done to files, in sentences."""
    with tempfile.TemporaryDirectory(prefix="oskren-") as folder:
        bundle = bundles.load(path, Path(folder) / "audio")
        recipe = read_recipe(recipe_path) if recipe_path else bundle.recipe or default_recipe(bundle.mix)
        mixes = [draw(bundle.mix, recipe, seed, number) for number in range(1, count + 1)]
        stem = legal(bundle.name, 200)
        targets = [out / f"{stem}_{number:03d}.wav" for number in range(1, count + 1)]
        guard.check(targets, overwrite)
        out.mkdir(parents=True, exist_ok=True)
        studio = Studio(Home(Path(folder) / "home"), Workers(forked=True))
        place = Workplace(str(studio.home.cache.folder), str(studio.peaks_folder), {key: str(file) for key, file in bundle.audio.items()})
        draws: list[dict[str, Any]] = []
        target = Target(bits=24, over="lower")
        items = [Item(node=mix, name=path.stem) for mix, path in zip(mixes, targets, strict=True)]
        calls = [(tasks.vary, place, File(item, target, path, str(path), may_be=True)) for item, path in zip(items, targets, strict=True)]
        written = Written()
        try:
            for position, (made, answer) in studio.batch(calls):
                written.add(answer)
                report = answer.report
                if report is None or not report.ok or "reason" in made:
                    continue
                draws.append(
                    {
                        "number": position + 1,
                        "path": str(targets[position]),
                        "loudness": report.integrated_lufs,
                        "duration_s": report.duration_s,
                        "sample_peak_dbfs": report.sample_peak_dbfs,
                        "true_peak_dbtp": report.true_peak_dbtp,
                        "brightness_hz": made["measures"]["brightness_hz"],
                        "key": node_hash(mixes[position]),
                        "values": _values(recipe, mixes[position]),
                    }
                )
        finally:
            guard.note_written([Path(report.path) for report in written.good])
            studio.close()
        return sorted(draws, key=lambda one: one["number"]), written.failed, written.said


def _values(recipe: Recipe, mix: Mix) -> dict[str, Any]:
    """What each freedom of a recipe came to in a draw."""
    members = {member.id or str(place): member for place, member in enumerate(mix.members)}
    return {f"{freedom.layer}.{freedom.control}": getattr(members[freedom.layer], freedom.control) for freedom in recipe.freedoms}
