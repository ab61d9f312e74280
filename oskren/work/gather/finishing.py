"""A take that has ended becomes a sound of its library: its raw frames as a WAV, what is said about it inside; those their page left are recovered."""

from __future__ import annotations

import contextlib
from datetime import datetime
from pathlib import Path
from typing import Literal

import numpy as np
from pydantic import BaseModel

from oskren.core.audio import files
from oskren.core.audio.metadata import Marker, Metadata
from oskren.core.errors import OskrenError
from oskren.store import Library
from oskren.store.describe import wanted
from oskren.store.describe.describing import Change, edit
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import begin_follow_up, import_paths, there
from oskren.work.gather.takes import TakeFacts, Takes

CHUNK_BYTES = 1 << 22
GOOD_TAG = "good"

RECOVERED = "Recovered: the page or the server went away while it was recorded."


class Finished(BaseModel):
    """A take that is a sound now; ``said`` is why it ended, when it was not ended by hand."""

    kind: Literal["recover"] = "recover"
    library: str
    name: str
    seconds: float
    imported: int
    arrival: int
    sound: int
    good: bool
    note: str
    said: str


def finish(studio: Studio, takes: Takes, take: str, recovered: str = "", progress: Progress = ALONE) -> Finished:
    """Make the take a WAV of its library; its name, length and sound.

    Parameters
    ----------
    recovered : str
        Why it ended without being ended; said in its notes.
    """
    with takes.ending(take) as (part, facts, ended), contextlib.ExitStack() as after:
        frames = part.stat().st_size // (4 * facts.channels)
        if not frames:
            takes.let_go(take)
            raise OskrenError("Nothing was recorded; check the input and its level, then record again.")
        wav = takes.folder / f"{facts.started[:19].replace(':', '')} {take}.wav"
        after.callback(wav.unlink, missing_ok=True)
        library: Library = studio.home.library(facts.library)
        why = ended or recovered
        _write(part, wav, frames, facts, said_of(facts, frames / facts.rate, why))
        title = f"Recorded {facts.started[:10]}: {facts.name}"
        result = import_paths(
            studio,
            library,
            [wav],
            title,
            names={str(wav): facts.name},
            kind="take",
            sent=takes.folder,
            progress=progress,
            arrival=there(library, facts.arrival),
            move=True,
        )
        if result.skipped:
            raise OskrenError(result.skipped[0]["reason"])
        [sound] = result.sounds
        done = Finished(
            library=facts.library,
            name=facts.name,
            seconds=frames / facts.rate,
            imported=result.imported,
            arrival=result.arrival,
            sound=sound,
            good=facts.good,
            note=facts.note,
            said=why,
        )
        if facts.good:
            edit(library, [sound], Change(mark="glass", add_tags=GOOD_TAG))
        if facts.wanted:
            # the entry may have been taken off the list meanwhile; the take is what counts
            with contextlib.suppress(OskrenError):
                wanted.answer(library, facts.wanted, "sound", [sound], recorded=True)
        progress.note("came", done.model_dump())
        takes.let_go(take)
    return done


def recover(studio: Studio, takes: Takes) -> list[int]:
    """Make every abandoned take a sound of its library, each as a job that says so; the jobs."""
    started: list[int] = []
    left = takes.abandoned()
    going = {one.take for one in studio.jobs.arguments(RECOVER)} if left else set[str]()
    for one in left:
        if one.library not in studio.home.names() or one.take in going:
            continue
        if not one.seconds:
            takes.let_go(one.take)
            continue
        takes.left_again(one.take)  # if the job fails, the take is looked at again only after another quiet while
        title = f"Recovering {one.name}, {one.seconds:.1f} s, which its page left"
        started.append(studio.jobs.start(RECOVER, studio.home.library(one.library), title, Recovering(take=one.take)).id)
    return started


def said_of(facts: TakeFacts, seconds: float, why: str = "") -> Metadata:
    """What a take's file says of itself: slate note, day and time of day, take number, the moments marked."""
    begun = datetime.fromisoformat(facts.started)
    midnight = begun.replace(hour=0, minute=0, second=0, microsecond=0)
    marks = [Marker(at_s=round(at, 6), label=f"moment {place}") for place, at in enumerate(sorted(facts.marks), 1) if 0 <= at <= seconds]
    if facts.pre_s:
        marks.append(Marker(at_s=facts.pre_s, label="start pressed"))
    return Metadata(
        title=facts.name,
        description=facts.note,
        date=begun.isoformat(timespec="seconds")[:19],
        time_reference_s=max(0.0, (begun - midnight).total_seconds() - facts.pre_s),
        take=str(facts.number) if facts.number else "",
        note=why,
        history=f"A=PCM,F={facts.rate},W={facts.bits},T=Oskren;{facts.device}"[:200] if facts.device else "",
        markers=tuple(sorted(marks, key=lambda mark: mark.at_s)),
    )


def _write(part: Path, wav: Path, frames: int, facts: TakeFacts, said: Metadata) -> None:
    """The raw frames as a WAV, block by block: hours need no more memory than seconds."""
    size = CHUNK_BYTES // (4 * facts.channels) * 4 * facts.channels
    left = frames * 4 * facts.channels
    with files.writing(wav, facts.rate, facts.channels, facts.bits, frames=frames, said=said) as put, open(part, "rb") as stream:
        while left and (data := stream.read(min(size, left))):
            left -= len(data)
            block = np.nan_to_num(np.frombuffer(data, np.float32).reshape(-1, facts.channels))
            put(block.clip(-1, 1) if facts.bits == 24 else block)


class Recovering(Arguments):
    """Make a take that its page left a sound."""

    take: str


def _recover(studio: Studio, library: Library, wanted: Recovering, progress: Progress) -> Finished:
    takes = Takes(studio.home.folder / "takes")
    if came := progress.noted("came"):  # the server was ended after the take had come in
        takes.let_go(wanted.take)
        return Finished.model_validate(came)
    done = finish(studio, takes, wanted.take, RECOVERED, progress)
    begin_follow_up(studio, library)
    return done


RECOVER = Kind("recover", Recovering, _recover)
