"""One library: a folder with its database and media, self-contained."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from oskren.core.audio.metadata import Metadata
from oskren.core.errors import NotFound, OskrenError
from oskren.core.measure.report import Measures
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.examined import Examined
from oskren.core.nodes.model import Chained, Node, NodeAdapter, Source, Step
from oskren.core.words.propose import Proposal
from oskren.store.database import in_parts
from oskren.store.media import HoldingMedia
from oskren.store.originals import Added, displaced, noted, path_of, quality, with_audio
from oskren.store.search.asking import Asked, Asking, Matches
from oskren.store.search.vector import vector_of
from oskren.store.search.words import index_words, keep_in_step
from oskren.store.tables import Arrival, Media, Sound, SoundPath


@dataclass(frozen=True)
class MadeSound:
    """A sound Oskren made, as it goes into the library: its shape is rate (Hz), channels, frames; ``described`` are further columns."""

    name: str
    kind: str
    node: Node
    shape: tuple[int, int, int]
    measures: Measures
    outline: bytes
    proposal: Proposal
    described: dict[str, Any] = field(default_factory=dict)


def no_such_sound(id: int) -> OskrenError:
    """What is said of a sound that is not in the library."""
    return NotFound(f"There is no sound {id} in this library; it may have been removed.")


class Library(HoldingMedia):
    """The library in a folder: its sounds, by what they are, where they came from and what is said of them."""

    def __init__(self, folder: Path):
        super().__init__(folder)
        self.columns = Asking()

    def arrival(self, name: str) -> int:
        with self.writing() as session:
            row = Arrival(name=name)
            session.add(row)
            session.flush()
            return row.id

    def add_original(
        self,
        found: Examined,
        arrival: int,
        proposal: Proposal,
        *,
        refer: bool,
        kind: str = "original",
        name: str | None = None,
        sent: Path | None = None,
        move: bool = False,
    ) -> Added:
        """Add an examined file; not fresh when the same audio is already there (its path is then added to that sound).

        A sound that lies in the trash is taken out of it again. ``move`` takes the file itself into the library instead of a copy.
        """
        path = Path(found.path)
        where = self._place_media(found.audio, path, refer=refer, move=move)
        with self.writing() as session:
            if where:
                session.merge(Media(audio=found.audio, path=where, referred=refer))
            known = with_audio(session, found.audio)
            fresh = known is None or known.trashed is not None
            if known is None:
                said = Metadata.model_validate(found.said)
                known = self._insert(
                    session,
                    name or path.stem,
                    kind,
                    found.source(),
                    found.measures,
                    found.outline,
                    arrival,
                    bits=found.bits,
                    format_=found.format,
                    proposal=proposal,
                    audio=found.audio,
                    layout=found.layout,
                    said=found.said,
                    folder=str(Path(noted(found, sent)).parent) if kind == "original" else "",
                    notes="\n".join(dict.fromkeys(text for text in (said.description, said.note, said.comment) if text)),
                    rights=said.rights,
                    recorded=said.date[:20],
                )
            known.trashed = None
            known.missing = False
            lost = displaced(session, noted(found, sent), found.audio)
            session.merge(path_of(found, known.id, sent))
        self.columns.touch(known.id, *lost)
        return Added(known.id, fresh, tuple(lost))

    def add_format(self, found: Examined, id: int, *, refer: bool, sent: Path | None = None) -> None:
        """Add a file that holds the recording of a known sound in another format; the better of both is what the sound is from now on."""
        with self.writing() as session:
            sound = session.get(Sound, id)
            assert sound is not None
            session.merge(path_of(found, id, sent))
            better = quality(found.format, found.rate, found.bits) > quality(sound.format, sound.rate, sound.bits)
            if better:
                kept = ("anchor_s", "anchor_kind")
                node = found.source()
                sound.measures = {**found.measures, **{name: sound.measures[name] for name in kept if name in sound.measures}}
                sound.node, sound.digest, sound.audio = node.model_dump(mode="json"), node_hash(node), found.audio
                sound.rate, sound.channels, sound.bits, sound.format, sound.frames = found.rate, found.channels, found.bits, found.format, found.frames
                sound.outline, sound.followed = found.outline, False
                sound.vector = vector_of(sound.measures, sound.frames / sound.rate)
        if better:
            self.keep_media(found.audio, Path(found.path), refer=refer)
        self.columns.touch(id)

    def add_made(
        self,
        name: str,
        kind: str,
        node: Node,
        rate: int,
        channels: int,
        frames: int,
        measures: Measures,
        outline: bytes,
        arrival: int | None,
        category: str = "",
        *,
        tags: Sequence[str] = (),
        sure: float = 1.0,
        **described: Any,
    ) -> int:
        """Add a sound Oskren made: a print, a variation, a one-shot, an excerpt; ``described`` are further columns of it."""
        shape = (rate, channels, frames)
        made = MadeSound(name, kind, node, shape, measures, outline, Proposal(category, tuple(tags), sure), described)
        return self.add_all_made([made], arrival)[0]

    def add_all_made(self, sounds: Sequence[MadeSound], arrival: int | None) -> list[int]:
        """Add sounds Oskren made, all of them or none; their ids."""
        with self.writing() as session:
            rows = []
            for one in sounds:
                row = self._new(
                    one.name,
                    one.kind,
                    one.node,
                    one.measures.model_dump(),
                    one.outline,
                    arrival,
                    bits=32,
                    format_="Oskren",
                    proposal=one.proposal,
                    shape=one.shape,
                    **one.described,
                )
                row.followed = True
                rows.append(row)
            session.add_all(rows)
            session.flush()
            for row in rows:
                index_words(session, row)
            ids = [row.id for row in rows]
        self.columns.touch(*ids)
        return ids

    def _insert(self, session: Session, *told: Any, **described: Any) -> Sound:
        sound = self._new(*told, **described)
        session.add(sound)
        session.flush()
        index_words(session, sound)
        return sound

    @staticmethod
    def _new(
        name: str,
        kind: str,
        node: Node,
        measures: dict[str, Any],
        outline: bytes,
        arrival: int | None,
        *,
        bits: int | None,
        format_: str,
        proposal: Proposal,
        shape: tuple[int, int, int] | None = None,
        **described: Any,
    ) -> Sound:
        if shape is None:
            assert isinstance(node, Source)
            shape = (node.rate, node.channels, node.frames)
        return Sound(
            name=name,
            kind=kind,
            arrival_id=arrival,
            digest=node_hash(node),
            node=node.model_dump(mode="json"),
            chain=[],
            rate=shape[0],
            channels=shape[1],
            frames=shape[2],
            bits=bits,
            format=format_,
            category=proposal.category,
            category_sure=proposal.confidence,
            tags=" ".join(proposal.tags),
            measures=measures,
            outline=outline,
            vector=vector_of(measures, shape[2] / shape[0]),
            **described,
        )

    def sound(self, id: int) -> Sound:
        with self.reading() as session:
            found = session.get(Sound, id)
        if found is None:
            raise no_such_sound(id)
        return found

    def sounds(self, ids: Sequence[int]) -> list[Sound]:
        """Sounds in the order asked for, read in one go; OskrenError names the first that is not there."""
        found: dict[int, Sound] = {}
        with self.reading() as session:
            for some in in_parts(ids):
                found |= {sound.id: sound for sound in session.scalars(select(Sound).where(Sound.id.in_(some)))}
        for id in ids:
            if id not in found:
                raise no_such_sound(id)
        return [found[id] for id in ids]

    def names_of(self, hashes: Sequence[str]) -> list[str]:
        """Names of the sounds that hold audio of these hashes."""
        with self.reading() as session:
            return list(session.scalars(select(Sound.name).where(Sound.audio.in_(hashes)).order_by(Sound.id)))

    def change(self, id: int, values: dict[str, Any]) -> Sound:
        """Change fields of a sound and keep the search in step."""
        with self.writing() as session:
            sound = session.get(Sound, id)
            if sound is None:
                raise no_such_sound(id)
            for field, value in values.items():
                setattr(sound, field, value)
            keep_in_step(session, sound)
        self.columns.touch(id)
        return sound

    def search(self, asked: Asked) -> Matches:
        """Ask the table."""
        with self.reading() as session:
            return self.columns.search(session, asked)

    def paths(self, id: int) -> list[tuple[str, str, bool]]:
        """Files a sound is found in: path, format, whether it is missing."""
        with self.reading() as session:
            rows = session.scalars(select(SoundPath).where(SoundPath.sound_id == id).order_by(SoundPath.path))
            return [(row.path, row.format, row.missing) for row in rows]


def node_of(sound: Sound) -> Node:
    """What a sound is now: its own node through the chain Mend gave it."""
    node = NodeAdapter.validate_python(sound.node)
    chain = tuple(Step.model_validate(step) for step in sound.chain)
    return Chained(node=node, chain=chain) if chain else node
