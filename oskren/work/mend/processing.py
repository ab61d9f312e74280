"""A file through a chain of steps, in no library: the chain as a file for scripts (``oskren process``), and what it makes."""

from __future__ import annotations

import hashlib
import tempfile
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from oskren.core.audio import files
from oskren.core.audio.formats import of_file
from oskren.core.errors import OskrenError
from oskren.core.nodes.filed import schema_with_files
from oskren.core.nodes.model import Chained, Source, Step, active, check_chain
from oskren.core.nodes.walk import learned_from, leaves
from oskren.core.ship.items import Item
from oskren.core.ship.target import Target
from oskren.core.ship.verify import FileReport
from oskren.core.ship.write import File
from oskren.core.steps.base import kind_of
from oskren.work import script_files
from oskren.work.engine.place import Workplace
from oskren.work.ship.run import Written
from oskren.work.ship.tasks import ship


class ChainFile(BaseModel):
    """A chain of steps; another sound that a step takes is named by its file, relative to the chain's."""

    model_config = ConfigDict(extra="forbid")

    steps: list[Step] = Field(min_length=1, max_length=64)


def schema() -> dict[str, Any]:
    """JSON schema of a chain's file."""
    return schema_with_files(ChainFile.model_json_schema(), "Chain of steps", "beside the chain's")


class Known:
    """Files outside any library as sources; ``media`` says where each lies. They are told apart by their paths, so that none is read through for it."""

    def __init__(self) -> None:
        self.media: dict[str, str] = {}

    def source(self, path: Path) -> Source:
        """The source a file is."""
        info, key = files.probe(path), hashlib.sha1(str(path.resolve()).encode(), usedforsecurity=False).hexdigest()
        self.media[key] = str(path)
        return Source(audio=key, rate=info.rate, channels=info.channels, frames=info.frames)


def load(path: Path, known: Known) -> tuple[Step, ...]:
    """The steps of a chain's file; OskrenError in one sentence when one of them could not be done here."""
    wanted = script_files.read(path, ChainFile, "process", lambda name: known.source(path.parent / name).model_dump(mode="json"))
    chain = tuple(wanted.steps)
    for place, step in enumerate(chain, 1):
        if step.on:
            reason = _refused(step, known)
            if reason:
                raise OskrenError(f"{path}: step {place}: {reason}")
    return chain


def _refused(step: Step, known: Known) -> str:
    """Why a step that is on cannot be done here; empty when it can."""
    try:
        check_chain([step])
    except OskrenError as error:
        return str(error)
    if step.passed_over:
        return f"{step.passed_over} Turn it off, or take it out."
    kind = kind_of(step.kind)
    if kind.beside and step.learned_on is None:
        return f"{kind.label} takes another sound as its {kind.beside}; name its file in learned_on."
    lacking = [leaf.audio for other in learned_from([step]) for leaf in leaves(other) if leaf.audio not in known.media]
    return f"{kind.label} takes a sound by its hash; name its file in learned_on." if lacking else ""


def process(source: Path, out: Path, chain: tuple[Step, ...], known: Known, bits: int) -> FileReport:
    """Write a file through a chain to another, block by block, read it back and check it.

    Parameters
    ----------
    bits : int
        As far as the format has so many; its most else.

    Raises
    ------
    OskrenError
        When it cannot be rendered, goes over full scale where the format ends, or is not read back as it was written.
    """
    form = of_file(out)
    target = Target(format=form.key, bits=form.bits_for(bits), dither=False)
    item = Item(node=Chained(node=known.source(source), chain=active(chain)), name=out.stem[:400])
    result = Written()
    with tempfile.TemporaryDirectory(prefix="oskren-") as folder:
        for answered in ship(Workplace(folder, "", known.media), [File(item, target, out, str(out), may_be=True)]):
            result.add(answered)
    if result.failed:
        reason = result.failed[0]["reason"]
        raise OskrenError(reason if reason.startswith(str(out)) else f"{out}: {reason}")
    return result.reports[0]
