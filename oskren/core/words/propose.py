"""Proposals of category and tags from the words of folder and file names."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

_CAMEL = re.compile(r"(?<=[a-z])(?=[A-Z])|(?<=[A-Za-z])(?=\d)|(?<=\d)(?=[A-Za-z])")
_WORD = re.compile(r"[^\W\d_]+|\d+")

CATEGORIES: dict[str, dict[str, str]] = {
    "Glass": {"": "glass pane lens bottle jar vitreous crystal", "Ring": "chime", "Shatter": "shatter shard shards", "Creak": ""},
    "Metal": {"": "metal brass iron steel copper tin chain anvil bell gong plate", "Hinge": "hinge", "Ring": ""},
    "Wood": {"": "wood wooden plank timber board branch", "Creak": "", "Door": "door doors"},
    "Mechanism": {
        "": "gear gears clockwork ratchet machine motor engine servo winch crank mechanism",
        "Clock": "clock tick ticking",
        "Lock": "lock latch bolt key",
        "Bellows": "bellows",
    },
    "Water": {"": "water wave waves sea tide tidal sluice drip drop splash bubble bubbles stream river rain pour", "Drip": "drips", "Splash": ""},
    "Wind and air": {"": "wind gust air breath steam hiss whoosh swish draught"},
    "Plant": {"": "kelp reed reeds leaf leaves grass bush"},
    "Animal": {"": "animal bird birds heron herons gull dog cat frog insect wing wings", "Call": "call calls"},
    "Voice": {"": "voice vocal shout scream laugh whisper crowd people talk"},
    "Footsteps": {"": "step steps footstep footsteps walk run"},
    "Stone": {"": "stone rock gravel sand rubble brick"},
    "Fire": {"": "fire flame furnace burn crackle explosion explode"},
    "Electric": {"": "electric spark buzz hum static relay switch"},
    "Impact": {"": "impact hit thud knock slam bang thump punch crash drop"},
    "Interface": {"": "click beep button notify notification alert dialog message error warning login logout bleep menu select complete"},
    "Ambience": {"": "ambience ambient room tone bed atmosphere hall background"},
    "Music": {"": "music melody chord drum guitar piano loop song stinger"},
}
"""Categories a new library starts with and the words that speak for them (own list, no source)."""

ACTIONS = {
    "creak": "Creak",
    "ring": "Ring",
    "rings": "Ring",
    "shatter": "Shatter",
    "call": "Call",
    "calls": "Call",
    "splash": "Splash",
    "drip": "Drip",
    "squeak": "Creak",
}
TAGS = {
    "slow",
    "fast",
    "dry",
    "wet",
    "tonal",
    "soft",
    "hard",
    "big",
    "small",
    "long",
    "short",
    "heavy",
    "light",
    "loop",
    "room",
    "close",
    "distant",
    "noisy",
    "creak",
    "ring",
    "scrape",
    "hit",
    "knock",
    "rattle",
    "squeak",
    "hum",
    "hiss",
    "roll",
    "drag",
    "swell",
    "whoosh",
    "steps",
    "drop",
    "break",
    "tick",
}


@dataclass(frozen=True)
class Proposal:
    """A proposed category path ("Glass/Creak"), tags, and a confidence 0..1; empty category when no word speaks."""

    category: str
    tags: tuple[str, ...]
    confidence: float


def words_of(text: str) -> list[str]:
    """Lower-case words of a name: CamelCase and digits are split, numbers kept.

    >>> words_of("GlassCreak_02b")
    ['glass', 'creak', '02', 'b']
    """
    return [word.lower() for part in _CAMEL.split(text) for word in _WORD.findall(part)]


def _known(word: str) -> list[tuple[str, str]]:
    forms = {word, word.removesuffix("s"), word.removesuffix("es"), word.removesuffix("ing"), word.removesuffix("ed")}
    return [(top, sub) for top, subs in CATEGORIES.items() for sub, listed in subs.items() if forms & set(listed.split())]


def propose(path: Path | str) -> Proposal:
    """Category and tags from a file's name (full weight) and its two nearest folders (half and quarter)."""
    path = Path(path)
    sources = [(words_of(path.stem), 1.0)] + [(words_of(name), weight) for name, weight in zip(path.parts[-2:-4:-1], (0.5, 0.25), strict=False)]
    votes: dict[str, float] = {}
    subs: dict[tuple[str, str], float] = {}
    tags: list[str] = []
    for words, weight in sources:
        for place, word in enumerate(words):
            if word in TAGS and word not in tags:
                tags.append(word)
            found = _known(word)
            # an earlier word of a name says what it is, a later one what it does
            for top, sub in found:
                share = weight * (1.0 - 0.08 * min(place, 5)) / len(found)
                votes[top] = votes.get(top, 0.0) + share
                if sub:
                    subs[(top, sub)] = subs.get((top, sub), 0.0) + share
            if word in ACTIONS:
                for top, known in CATEGORIES.items():
                    if ACTIONS[word] in known:
                        subs[(top, ACTIONS[word])] = subs.get((top, ACTIONS[word]), 0.0) + weight
                        votes[top] = votes.get(top, 0.0) + 0.01 * weight
    if not votes:
        return Proposal("", tuple(tags), 0.0)
    top = max(votes, key=lambda name: votes[name])
    sub = max((name for parent, name in subs if parent == top), key=lambda name: subs[(top, name)], default="")
    total = sum(votes.values())
    confidence = min(1.0, votes[top]) * votes[top] / total
    return Proposal(f"{top}/{sub}" if sub else top, tuple(tags), round(confidence, 3))
