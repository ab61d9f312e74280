"""Scenes handed over: mix, stems, sounds for editors, the film with the mix, cue sheet and edit lists, in a folder of their own."""

from __future__ import annotations

import itertools
from contextlib import ExitStack, suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal

import soundfile as sf
from pydantic import BaseModel, Field

from oskren.core.audio.formats import format_of
from oskren.core.audio.replacing import replacing
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Mix, Node, active
from oskren.core.picture.film import Film
from oskren.core.picture.handed import Handing, cue_sheet, ending, laid_out, stems
from oskren.core.picture.scene import Scene, heard, nearest_frame
from oskren.core.ship.items import Item
from oskren.core.ship.target import Target
from oskren.core.ship.write import File
from oskren.core.timecode import code_of
from oskren.core.types import Failed
from oskren.core.words.names import legal
from oskren.store import Library
from oskren.store.documents import films, scenes
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.journal import writing_to
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.picture import tasks
from oskren.work.picture.films import probed, watched
from oskren.work.ship.folders import usable_folder
from oskren.work.ship.run import write

NOT_STEMS = "The chain on the sum is in the mix and in no stem; take it off for stems that add up to the mix."


class PlacedFrame(BaseModel):
    """A placement as it was exported: its anchor (s of the film) and the frame that lies on."""

    name: str
    frame: int
    anchor_s: float
    anchor_frame: int


class HandedOver(BaseModel):
    """What was written, every path in full; ``said`` tells in sentences what is to be known about it."""

    kind: Literal["scene"] = "scene"
    folder: str
    mix: str = ""
    stems: list[str] = []
    sounds: list[str] = []
    video: str = ""
    cues: str = ""
    edit_list: str = ""
    edit_lists: list[str] = []
    timeline: str = ""
    placements: list[PlacedFrame] = []
    failed: list[Failed] = []
    said: list[str] = []


class HandingOver(Arguments):
    """Hand a scene over into a folder of its own in ``folder``."""

    scene: int
    folder: str
    how: Handing = Field(default_factory=Handing)


def own_folder(folder: Path, name: str, progress: Progress) -> Path:
    """The folder a scene is handed over in: its own, and the same one when the work goes on after a restart."""
    noted = progress.noted("folder")
    if noted:
        return Path(noted)
    stem = legal(name, 150)
    for count in itertools.count(1):
        own = folder / (stem if count == 1 else f"{stem} ({count})")
        if own.exists():
            continue
        # said before it is made: a kill in between leaves no folder that nobody knows
        progress.note("folder", str(own))
        with suppress(FileExistsError):  # another export of the same scene was quicker
            own.mkdir()
            return own
    raise AssertionError


@dataclass(frozen=True)
class Ready:
    """A scene to hand over: its name, the scene, and its film with where that lies."""

    name: str
    scene: Scene
    film: Film
    path: Path


def kept(library: Library, id: int) -> Ready:
    """A scene of the library as it is kept."""
    row, scene = scenes.scene(library, id)
    film = films.film(library, scene.film)
    return Ready(row.name, scene, Film.model_validate(film.film), films.path_of(library, film))


def hand_over(studio: Studio, library: Library, ready: Ready, folder: Path, how: Handing, progress: Progress = ALONE) -> HandedOver:
    """Write all that a scene is handed over as; files of others are never written over, since the folder is a new one."""
    scene, name = ready.scene, legal(ready.name, 150)
    usable_folder(folder, "what is exported")
    mix, missing = studio.present(library, heard(scene))
    if missing:
        silent = {one.id for one in mix.members if one.mute}
        members = tuple(one.model_copy(update={"mute": one.mute or one.id in silent}) for one in scene.mix.members)
        scene = scene.model_copy(update={"mix": scene.mix.model_copy(update={"members": members})})
        ready = replace(ready, scene=scene)
    own = own_folder(folder, ready.name, progress)
    done = HandedOver(folder=str(own), said=[f"{', '.join(missing)}: left out, the file is missing."] if missing else [])
    target = Target(name="scene", bits=how.bits, dither=how.bits == 16)
    with ExitStack() as noted:
        for part in (own, own / "stems", own / "sounds"):
            noted.enter_context(writing_to(studio.home.folder, part))
        usable_folder(own, "what is exported")  # it is not there yet where a kill came before it was made
        _write_sounds(studio, library, ready, mix, name, target, how, own, done, progress)
        if how.picture != "none" and done.mix:
            _write_film(studio, ready, how, own, name, done, progress)
        cues = own / f"{name} cues.csv"
        _write_text(cues, cue_sheet(scene))
        done.cues = str(cues)
    for member in mix.members:
        if not member.mute:
            frame = nearest_frame(member.at_s, scene.counted)
            done.placements.append(PlacedFrame(name=member.name or member.id, frame=frame, anchor_s=member.at_s, anchor_frame=frame))
    return done


def _write_sounds(
    studio: Studio, library: Library, ready: Ready, mix: Mix, name: str, target: Target, how: Handing, own: Path, done: HandedOver, progress: Progress
) -> None:
    """Mix, stems and the sounds of placements, rendered, read back and checked like all that leaves; and the lists that name them."""
    end, scene = format_of(target.format).suffix, ready.scene
    items: list[tuple[str, Node]] = [(f"{name}{end}", mix)]
    renderer = studio.renderer(library)
    parts = stems(mix.model_copy(update={"rate": renderer.mix_rate(mix)})) if how.stems else {}
    items += [(f"stems/{name} {group}{end}", node) for group, node in parts.items()]
    if parts and active(mix.chain):
        done.said.append(NOT_STEMS)
    laid = laid_out(renderer, scene, how.handle_s) if how.sounds else []
    clips = []
    for count, one in enumerate(sorted(laid, key=lambda each: each.clip.first), 1):
        file = f"sounds/{count:03d} {legal(one.clip.name, 120)}{end}"
        clips.append(one.clip.model_copy(update={"file": file}))
        items.append((file, one.node))
    if any(group.chain or group.gain_db or group.pan for group in mix.groups) and laid:
        done.said.append("What groups do to their sounds (gain, pan, chain) is in the mix and the stems, not in the single sounds.")
    note = f"Begins at {code_of(scene.start, scene.counted)} of {ready.name}, {scene.frame_rate} frames a second."
    todo = [File(Item(node=node, name=Path(path).stem[:400], notes=note), target, own / path, path, may_be=True) for path, node in items]
    place = studio.place(library, *(node for _, node in items), flag=progress.flag)
    for each in todo:
        each.path.parent.mkdir(parents=True, exist_ok=True)
    written = write(studio, place, todo, progress)
    done.failed += written.failed
    good = {report.path for report in written.good}
    done.mix = str(own / items[0][0]) if items[0][0] in good else ""
    done.stems = [str(own / path) for path, _ in items if path.startswith("stems/") and path in good]
    done.sounds = [str(own / path) for path, _ in items if path.startswith("sounds/") and path in good]
    if how.sounds:
        from oskren.core.picture import edit_lists
        from oskren.core.picture.edit_lists.told import Told

        told = Told(
            name=name, film=str(ready.path), frame_rate=scene.frame_rate, start=scene.start, frames=scene.frames,
            folder=str(own), clips=tuple(clip for clip in clips if clip.file in good),
        )  # fmt: skip
        for file, text in edit_lists.write(told).items():
            _write_text(own / file, text)
            if file.endswith(".otio"):
                done.timeline = str(own / file)
            if file.endswith(".edl"):
                done.edit_lists.append(str(own / file))
        done.edit_list = next(iter(done.edit_lists), "")


def _write_film(studio: Studio, ready: Ready, how: Handing, own: Path, name: str, done: HandedOver, progress: Progress) -> None:
    """The film with the mix; what cannot be written is listed, the rest stays."""
    scene, film, path = ready.scene, ready.film, ready.path
    out = own / f"{name}{ending(path, how.picture)}"
    try:
        if not path.exists():
            raise OskrenError(f"{path}: the film is missing; put its file back.")
        watched(studio, progress, f"scene-{scene.film}", tasks.with_sound, str(path), film.model_dump(mode="json"), done.mix, str(out), how.picture)
        back = probed(studio, out)
        if abs(back.seconds - film.seconds) > 1.5 / float(film.counted.rate):
            raise OskrenError(f"{out.name}: read back it is {back.seconds:.3f} s long in place of {film.seconds:.3f} s.")
        with sf.SoundFile(done.mix) as sound:
            if abs(sound.frames / sound.samplerate - scene.seconds) > 1 / sound.samplerate:
                raise OskrenError(f"{name}: the mix is not as long as the film.")
        done.video = str(out)
    except OskrenError as error:
        done.failed.append({"path": out.name, "reason": str(error)})


def _write_text(path: Path, text: str) -> None:
    with replacing(path) as half:
        half.write_text(text, encoding="utf-8")


def _run(studio: Studio, library: Library, wanted: HandingOver, progress: Progress) -> HandedOver:
    return hand_over(studio, library, kept(library, wanted.scene), Path(wanted.folder), wanted.how, progress)


HAND_OVER: Kind[Any] = Kind("scene", HandingOver, _run, pauses=True)
