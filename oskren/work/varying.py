"""Drawing variations in the pool."""

from __future__ import annotations

import tempfile
from collections.abc import Collection
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from oskren.core import bundle as bundles
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import node_hash
from oskren.core.vary.recipe import Recipe, default_recipe, draw
from oskren.core.words.names import legal
from oskren.store import Home
from oskren.work import guard, tasks
from oskren.work.studio import Studio
from oskren.work.tasks import Place


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
) -> tuple[list[dict[str, Any]], list[dict[str, str]]]:
    """Draw and write ``count`` variations of a bundle as 24-bit WAV: what was drawn, and what failed."""
    with tempfile.TemporaryDirectory(prefix="oskren-") as folder:
        bundle = bundles.load(path, Path(folder) / "audio")
        recipe = read_recipe(recipe_path) if recipe_path else bundle.recipe or default_recipe(bundle.mix)
        mixes = [draw(bundle.mix, recipe, seed, number) for number in range(1, count + 1)]
        stem = legal(bundle.name, 200)
        targets = [out / f"{stem}_{number:03d}.wav" for number in range(1, count + 1)]
        guard.check(targets, overwrite)
        out.mkdir(parents=True, exist_ok=True)
        studio = Studio(Home(Path(folder) / "home"))
        place = Place(str(studio.home.cache.folder), str(studio.peaks_folder), {key: str(file) for key, file in bundle.audio.items()})
        draws: list[dict[str, Any]] = []
        written: list[Path] = []
        try:
            calls = [(tasks.vary, place, mix.model_dump(mode="json"), str(target)) for mix, target in zip(mixes, targets, strict=True)]
            for position, made in studio.batch(calls):
                facts = made["measures"]
                written.append(targets[position])
                draws.append(
                    {
                        "number": position + 1,
                        "path": str(targets[position]),
                        "loudness": facts["integrated_lufs"],
                        "duration_s": made["frames"] / made["rate"],
                        "sample_peak_dbfs": facts["sample_peak_dbfs"],
                        "true_peak_dbtp": facts["true_peak_dbtp"],
                        "brightness_hz": facts["brightness_hz"],
                        "key": node_hash(mixes[position]),
                        "values": {
                            f"{f.layer}.{f.control}": getattr(next(m for i, m in enumerate(mixes[position].members) if (m.id or str(i)) == f.layer), f.control)
                            for f in recipe.freedoms
                        },
                    }
                )
        finally:
            guard.note_written(written)
            studio.close()
        return sorted(draws, key=lambda one: one["number"]), []
