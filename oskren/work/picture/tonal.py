"""Tonal beds laid under a range: sounds that make up a chord, each going on for as long as the range, swelling to a frame."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

from oskren.core.envelope import Envelope
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Member, Mix, Node
from oskren.core.picture.scene import GROUPS, on_frame
from oskren.core.picture.tonal import TonalBed, Tone, Voice, agreeing
from oskren.core.stack.tune import TONAL
from oskren.store import Library
from oskren.store.library import node_of
from oskren.store.tables import Sound
from oskren.work.engine.studio import Studio
from oskren.work.picture import tasks
from oskren.work.picture.placing import Onto, Placements, placed, span
from oskren.work.stack.beds import SHORTEST_REPEATED_S, bed_node, held_node
from oskren.work.stack.designs import anchor_of, fresh_id, layer_of_sound

PANS = (0.0, -0.45, 0.45, -0.2, 0.2, -0.65, 0.65, 0.0)
"""Where the voices lie, the root in the middle."""

AFTER_S = 0.15
"""So long after its anchor a sound that decays is held."""

FADE_S = 0.1

LIKELY = 0.6
"""Sounds whose pitch is as sure as that are listened to where they would be prolonged."""

MOST_HEARD = 16
HEARD_S = 1.5


def tonal_bed(
    studio: Studio, library: Library, onto: Onto, sounds: Sequence[int], frame: int, until: int, bed: TonalBed, swell: int | None = None
) -> Placements:
    """A bed of those sounds that have a pitch, in one chord, from a frame to another; one placement, whose anchor is the top of its swell.

    Sounds that go on evenly are prolonged as beds are; of those that decay a moment is held. All are as loud as each other.

    Parameters
    ----------
    sounds : sequence of int
        Those to choose from; the ones that are moved the least are taken.
    swell : int, optional
        The frame it is loudest at; it rises to there and falls from there by ``bed.swell_db``. Without one it is even.

    Raises
    ------
    OskrenError
        When the range is none, the swell lies outside of it, or fewer than two sounds have a clear pitch.
    """
    start, end, fade = span(onto, frame, until)
    if swell is not None and not frame < swell <= until:
        raise OskrenError("The swell lands inside of the range, after its first frame.")
    heard = _heard(studio, library, sounds)
    agreed = agreeing([one.tone for one in heard], bed)
    chosen = [(heard[voice.tone], voice) for voice in agreed.voices]
    level = sum(one.lufs for one, _ in chosen) / len(chosen) - 10 * math.log10(len(chosen))
    layers = [
        _layer(studio, library, one.sound, voice, end - start, seed=frame + number, gain_db=level - one.lufs, pan=pan)
        for number, ((one, voice), pan) in enumerate(zip(chosen, PANS, strict=False))
    ]
    top = None if swell is None else on_frame(swell, onto.counted) - start
    whole = Member(
        id=fresh_id(),
        name=f"Tonal bed on {agreed.root}",
        node=Mix(members=tuple(layers), length_s=end - start),
        anchor_s=top or 0.0,
        fade_in_s=fade,
        # a swell that ends with the range stops there
        fade_out_s=fade if swell is None or swell < until else FADE_S,
        envelopes=() if top is None else (_swell(top, end - start, bed.swell_db),),
    )
    onto.group = onto.group or GROUPS[2]
    return Placements(members=[placed(library, onto, whole, frame if swell is None else swell)], groups=onto.groups)


class _Heard(NamedTuple):
    """A sound as it is prolonged: its tone, and how loud it is (LUFS)."""

    sound: Sound
    tone: Tone
    lufs: float


def _heard(studio: Studio, library: Library, sounds: Sequence[int]) -> list[_Heard]:
    """Those of some sounds that have a pitch where they would be prolonged; the surest ``MOST_HEARD`` are listened to."""
    known = [library.sound(id) for id in dict.fromkeys(sounds)]
    likely = [one for one in known if not one.missing and (one.measures.get("pitch_confidence") or 0.0) >= LIKELY]
    likely = sorted(likely, key=lambda one: -one.measures["pitch_confidence"])[:MOST_HEARD]
    nodes = [_prolonged(studio, library, one, HEARD_S, seed=0) for one in likely]
    if not nodes:
        return []
    found = studio.workers.submit("asked", tasks.voices, studio.place(library, *nodes), [node.model_dump(mode="json") for node in nodes]).result()
    return [_Heard(one, Tone(*told[:2]), told[2]) for one, told in zip(likely, found, strict=True) if told is not None and told[1] >= TONAL]


def _swell(top: float, seconds: float, by_db: float) -> Envelope:
    """Rises by so much to its top (s), and falls again by as much up to the end."""
    after = ((seconds, -by_db),) if seconds - top > 1e-3 else ()
    return Envelope(control="gain_db", points=((0.0, -by_db), (top, 0.0), *after), curve="eased")


def _even(sound: Sound) -> bool:
    return sound.measures.get("anchor_kind") == "start" and sound.frames / sound.rate >= SHORTEST_REPEATED_S


def _layer(studio: Studio, library: Library, sound: Sound, voice: Voice, seconds: float, *, seed: int, gain_db: float, pan: float) -> Member:
    """One voice: as long as the range when it is pitched."""
    layer = layer_of_sound(library, sound.id)
    own = seconds * 2 ** (voice.shift_st / 12)
    made = {
        "node": _prolonged(studio, library, sound, own + FADE_S, seed),
        "anchor_s": 0.0,
        "pitch_st": round(voice.shift_st, 4),
        "gain_db": round(max(-60.0, min(24.0, gain_db)), 2),
        "pan": pan,
    }
    return layer.model_copy(update={**made, "origin": None, "end_s": own})


def _prolonged(studio: Studio, library: Library, sound: Sound, seconds: float, seed: int) -> Node:
    """A sound that goes on for so long (s): an even one as a bed, of one that decays a moment after its attack, held."""
    node = node_of(sound)
    if _even(sound):
        return bed_node(studio, library, node, seconds, seed)
    whole = studio.renderer(library).output_shape(node).seconds
    at = max(0.02, min(anchor_of(sound) + AFTER_S, 0.7 * whole))
    return held_node(studio, library, node, at, seconds, seed)
