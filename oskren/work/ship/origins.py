"""Where what is shipped comes from: every recording it is made of, back through prints, with its rights."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select

from oskren.core.nodes.model import Node, Print
from oskren.core.nodes.walk import leaves
from oskren.core.ship.items import Item
from oskren.store import Library
from oskren.store.library import AT_ONCE
from oskren.store.tables import Sound, SoundPath

Origin = dict[str, str]
"""A recording: its audio's hash, name, rights, day, and the file it was found under."""


def recordings(node: Node) -> list[str]:
    """Hashes of the audio a node was made of in the end: of a print, what was printed."""
    found: dict[str, None] = {}
    for leaf in leaves(node):
        if isinstance(leaf, Print) and leaf.of is not None:
            found |= dict.fromkeys(recordings(leaf.of))
        else:
            found[leaf.audio] = None
    return list(found)


def origins(library: Library, items: Sequence[Item]) -> list[list[Origin]]:
    """The recordings each item comes from; the library is asked once for all of them."""
    made_of = [recordings(item.node) for item in items]
    wanted = list({audio for audios in made_of for audio in audios})
    known: dict[str, Origin] = {}
    with library.reading() as session:
        for at in range(0, len(wanted), AT_ONCE):
            some = wanted[at : at + AT_ONCE]
            query = select(Sound.audio, Sound.name, Sound.rights, Sound.recorded, SoundPath.path).outerjoin(SoundPath, SoundPath.sound_id == Sound.id)
            for audio, name, rights, recorded, path in session.execute(query.where(Sound.audio.in_(some)).order_by(Sound.id)):
                known.setdefault(audio, {"audio": audio, "name": name, "rights": rights or "", "recorded": recorded or "", "file": path or ""})
    return [[known.get(audio, {"audio": audio, "name": "", "rights": "", "recorded": "", "file": ""}) for audio in audios] for audios in made_of]
