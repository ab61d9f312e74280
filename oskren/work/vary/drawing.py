"""Drawing variations in the pool."""

from __future__ import annotations

import tempfile
from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import ValidationError

from oskren.core import bundle as bundles
from oskren.core.errors import OskrenError, first_wrong
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Mix
from oskren.core.ship.items import Item
from oskren.core.ship.target import Target
from oskren.core.ship.write import File
from oskren.core.types import Failed, Floats
from oskren.core.vary import apart
from oskren.core.vary.guards import reference, with_gain
from oskren.core.vary.recipe import Recipe, Value, default_recipe, drawn
from oskren.core.vary.taking import Taking
from oskren.core.words.names import legal
from oskren.store import Home
from oskren.work.engine import guard, tasks
from oskren.work.engine.place import Workplace
from oskren.work.engine.studio import Studio
from oskren.work.engine.workers import Workers
from oskren.work.ship import tasks as shipping
from oskren.work.ship.run import Written
from oskren.work.vary.rendering import matched_facts


def read_recipe(path: Path) -> Recipe:
    """A recipe from a JSON file."""
    try:
        return Recipe.model_validate_json(path.read_text())
    except (OSError, UnicodeDecodeError) as error:
        raise OskrenError(f"{path}: cannot be read as a recipe; check the path") from error
    except ValidationError as error:
        raise OskrenError(f"{path}: {first_wrong(error)}; docs/formats.md shows a recipe") from error


@dataclass
class Taken:
    """A draw that is written: its number, as it is rendered, what each freedom came to, and what was measured of it."""

    number: int
    mix: Mix
    values: dict[str, Value]
    facts: dict[str, Any]

    @property
    def point(self) -> Floats | None:
        """Where it lies among others."""
        return apart.point(self.facts["measures"], self.facts["frames"] / self.facts["rate"])


def take(studio: Studio, place: Workplace, mix: Mix, recipe: Recipe, seed: int, count: int) -> tuple[list[Taken], list[str], list[Failed]]:
    """Draw and render so many variations that break no guard; what was replaced, in sentences; and which could not be rendered.

    Raises
    ------
    OskrenError
        When the design itself cannot be rendered.
    """
    # the design first: its draws read from the cache what they share with it
    [(_, base)] = studio.batch([(tasks.facts_or_reason, place, mix.model_dump(mode="json"))])
    if "reason" in base:
        raise OskrenError(f"The design {base['reason']}")
    wanted = reference(base["measures"], base["frames"] / base["rate"]) if recipe.match == "loudness" else None
    taking, taken, said, failed = Taking(recipe.guards, count), list[Taken](), list[str](), list[Failed]()
    numbers = list(range(1, count + 1))
    highest = count
    while numbers:
        tried = [drawn(mix, recipe, seed, number) for number in numbers]
        calls = [(matched_facts, place, one.mix.model_dump(mode="json"), wanted, recipe.within_lu) for one in tried]
        made = dict(studio.batch(calls))
        again: list[int] = []
        for position, number in enumerate(numbers):
            facts = made[position]
            if "reason" in facts:
                failed.append({"path": f"No {number}", "reason": facts["reason"]})
                continue
            why = taking.refused(facts["measures"], facts["frames"] / facts["rate"])
            if why and taking.another():
                highest += 1
                again.append(highest)
                said.append(f"No {number} was replaced by No {highest}: {why}.")
                continue
            taking.keep(number, facts["measures"], facts["frames"] / facts["rate"])
            taken.append(Taken(number, with_gain(tried[position].mix, facts.get("added_db", 0.0)), tried[position].values, facts))
        numbers = again
    return sorted(taken, key=lambda one: one.number), said, failed


def vary_bundle(
    path: Path, count: int, seed: int, out: Path, recipe_path: Path | None, overwrite: Collection[Path] = (), most_different: int | None = None
) -> Varied:
    """Draw ``count`` variations of a bundle and write them, or the most different of them, as 24-bit WAV, each read back."""
    workers = Workers(command=True)
    workers.begin()
    with tempfile.TemporaryDirectory(prefix="oskren-") as folder:
        bundle = bundles.load(path, Path(folder) / "audio")
        recipe = read_recipe(recipe_path) if recipe_path else bundle.recipe or default_recipe(bundle.mix)
        stem = legal(bundle.name, 200)
        wanted = min(count, most_different or count)
        targets = [out / f"{stem}_{place:03d}.wav" for place in range(1, wanted + 1)]
        guard.check(targets, overwrite)
        out.mkdir(parents=True, exist_ok=True)
        studio = Studio(Home(Path(folder) / "home"), workers)
        place = Workplace(str(studio.home.cache.folder), str(studio.peaks_folder), {key: str(file) for key, file in bundle.audio.items()})
        written = Written()
        try:
            taken, said, failed = take(studio, place, bundle.mix, recipe, seed, count)
            chosen = _most_different(taken, wanted) if wanted < len(taken) else taken
            target = Target(bits=24, over="lower")
            items = [Item(node=one.mix, name=file.stem) for one, file in zip(chosen, targets, strict=False)]
            calls = [(shipping.ship_one, place, File(item, target, file, str(file), may_be=True)) for item, file in zip(items, targets, strict=False)]
            for _, answer in studio.batch(calls):
                written.add(answer)
        finally:
            guard.note_written([Path(report.path) for report in written.good])
            studio.close()
        reports = {report.path: report for report in written.good}
        draws = [
            {
                "number": one.number,
                "path": str(file),
                "loudness": reports[str(file)].integrated_lufs,
                "duration_s": reports[str(file)].duration_s,
                "sample_peak_dbfs": reports[str(file)].sample_peak_dbfs,
                "true_peak_dbtp": reports[str(file)].true_peak_dbtp,
                "brightness_hz": one.facts["measures"]["brightness_hz"],
                "added_db": one.facts.get("added_db", 0.0),
                "key": node_hash(one.mix),
                "values": one.values,
            }
            for one, file in zip(chosen, targets, strict=False)
            if str(file) in reports
        ]
        return Varied(draws, _nearest(chosen), [*failed, *written.failed], [*said, *written.said])


@dataclass
class Varied:
    """What was written, the pair that sounds most alike (numbers and how far apart), what failed, and what was done, in sentences."""

    draws: list[dict[str, Any]]
    nearest: list[float]
    failed: list[Failed]
    said: list[str]


def _most_different(taken: list[Taken], count: int) -> list[Taken]:
    lying = [one for one in taken if one.point is not None]
    points = np.array([one.point for one in lying])
    chosen = [lying[place] for place in apart.most_different(points, count)] if lying else []
    return sorted([*chosen, *[one for one in taken if one.point is None][: count - len(chosen)]], key=lambda one: one.number)


def _nearest(taken: list[Taken]) -> list[float]:
    lying = [one for one in taken if one.point is not None]
    pairs = apart.nearest(np.array([one.point for one in lying]), 1) if len(lying) > 1 else []
    return [value for pair in pairs for value in (lying[pair.one].number, lying[pair.other].number, round(pair.apart, 3))]
