"""Where what is shipped comes from: every recording it is made of, back through prints, with its rights."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select

from oskren.core.nodes.model import Node, Print
from oskren.core.nodes.walk import leaves
from oskren.core.ship.items import Item
from oskren.core.ship.verify import Origin
from oskren.store import Library
from oskren.store.database import in_parts
from oskren.store.tables import Sound, SoundPath


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
        for some in in_parts(wanted):
            query = select(Sound.audio, Sound.name, Sound.rights, Sound.recorded, SoundPath.path).outerjoin(SoundPath, SoundPath.sound_id == Sound.id)
            for audio, name, rights, recorded, path in session.execute(query.where(Sound.audio.in_(some)).order_by(Sound.id)):
                known.setdefault(audio, Origin(audio=audio, name=name, rights=rights or "", recorded=recorded or "", file=path or ""))
    return [[known.get(audio, Origin(audio=audio)) for audio in audios] for audios in made_of]
