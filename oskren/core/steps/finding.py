"""Finding steps by what they do to a sound: "make it bigger", "rougher", "further away"."""

from __future__ import annotations

import functools
import re
from collections.abc import Iterable
from dataclasses import dataclass

from oskren.core.steps.asked import ASKED
from oskren.core.steps.base import REGISTRY

IGNORED = frozenset(
    ["a", "an", "and", "be", "bit", "for", "in", "it", "little", "lot", "make", "makes", "more", "of", "so", "sound", "sounds", "that", "the", "to", "with"]
)
"""Words of a wish that say nothing of what is wanted."""

AGAINST = frozenset(["cut", "fewer", "less", "no", "off", "reduce", "remove", "rid", "stop", "too", "without"])
"""Words of a wish that is against what it names: what a step gives is then no answer, only what it takes away."""

LABEL, WORD, SETTING, TOLD = 8.0, 5.0, 4.7, 1.5
"""What a word found in the name, in the words, in a named setting or in the sentence of a step counts."""

MORE = frozenset(["add", "boost", "more", "raise"])
"""Words of a wish that is for what it names."""

ANTONYMS = (("low", "high"), ("bas", "trebl"), ("wid", "narrow"), ("wide", "narrow"), ("dul", "bright"))
"""Stems that are never meant by each other, however alike the phrases are."""

FAINT = 0.25
"""Answers this much worse than the best one are none."""

CLEANS = "Clean"
"""Steps of this family name what they take away."""

PHRASE = 7.0
"""What a phrase counts that people say when they mean a step, when the wish is that phrase."""


@dataclass(frozen=True)
class Match:
    """A step that answers a wish: its key, the named setting that answers it (or nothing), and how well."""

    key: str
    setting: str
    score: float


def words_in(text: str) -> list[str]:
    """The words of a text, without those that say nothing; all of them when nothing else is left."""
    found = re.findall(r"[^\W_]+", text.lower())
    return [word for word in found if word not in IGNORED] or found


def stem(word: str) -> str:
    """A word without its comparative or plural ending: bigger and big, echoes and echo, further and far are one."""
    irregular = {"further": "far", "farther": "far", "better": "good", "worse": "bad", "less": "little"}
    if word in irregular:
        return irregular[word]
    for ending in ("iest", "ier", "est", "er", "ing", "es", "s", "ed", "y"):
        if len(word) - len(ending) >= 3 and word.endswith(ending):
            word = word[: -len(ending)]
            break
    return word[:-1] if len(word) > 3 and word[-1] == word[-2] else word.removesuffix("e") if len(word) > 4 else word


def _agree(wanted: str, told: Iterable[str], counts: float) -> float:
    """The best agreement of a wanted stem with told words: whole, or as the beginning of one (from three letters on); words told first count a little more."""
    best = 0.0
    for place, one in enumerate(told):
        other, here = stem(one), counts * (1 - 0.02 * min(place, 20))
        if other == wanted:
            best = max(best, here)
        elif len(wanted) >= 3 and (other.startswith(wanted) or (len(other) >= 4 and wanted.startswith(other))):
            best = max(best, 0.6 * here)
    return best


def score(wish: str, fields: Iterable[tuple[str, float]]) -> float:
    """How well texts (each with what a word in it counts) answer a wish: the sum over its words, less for every word none answers."""
    told = [(words_in(text), counts) for text, counts in fields]
    wanted = [stem(word) for word in words_in(wish)]
    found = [max((_agree(word, words, counts) for words, counts in told), default=0.0) for word in wanted]
    return sum(found) / max(1, len(wanted)) if any(found) else 0.0


def against(text: str) -> bool:
    """Whether a wish or a phrase is against what it names: too bright, less room, cut the lows."""
    return not AGAINST.isdisjoint(re.findall(r"[^\W_]+", text.lower()))


@functools.lru_cache(maxsize=2048)
def _meant(text: str) -> frozenset[str]:
    """The stems of what a wish or a phrase is about, for or against; phrases are asked about with every key that is typed."""
    found = words_in(text)
    return frozenset(stem(word) for word in found if word not in AGAINST) or frozenset(stem(word) for word in found)


def phrased(wish: str, phrases: Iterable[str]) -> float:
    """How well whole phrases answer a wish: the words they share, of those wished and of those in the phrase; the best of them."""
    wanted = _meant(wish)
    best = 0.0
    for phrase in phrases:
        told = _meant(phrase)
        shared = len(wanted & told)
        if shared and not any(wanted & {one} and told & {other} for one, other in (*ANTONYMS, *(pair[::-1] for pair in ANTONYMS))):
            best = max(best, PHRASE * shared / len(wanted) * (shared / len(told)) ** 0.5)
    return best


def find(wish: str) -> list[Match]:
    """Offered steps that answer a wish, the best first; each with the named setting that answers better than the step itself, if any."""
    matches = []
    said, turned = set(re.findall(r"[^\W_]+", wish.lower())), against(wish)
    for kind in REGISTRY.values():
        if not kind.offered:
            continue
        told = (type(kind).__doc__ or "").split("\n")[0]
        phrases = ASKED.get(kind.key, ())
        if turned and kind.family != CLEANS:
            best, setting = phrased(wish, [phrase for phrase in phrases if against(phrase)]), ""
            for name in filter(against, kind.settings):
                if (value := phrased(wish, [name])) > best:
                    best, setting = value, name
            if best > 0:
                matches.append(Match(kind.key, setting, best))
            continue
        if not MORE.isdisjoint(said):
            phrases = tuple(phrase for phrase in phrases if not against(phrase))
        # a pass filter is named by what it lets through, and wished for by what it takes away
        label = kind.label if not kind.label.endswith("-pass") or "pass" in said else ""
        own = max(score(wish, [(label, LABEL), (kind.words, WORD), (told, TOLD)]), phrased(wish, phrases))
        named = [(score(wish, [(name, SETTING), (kind.label, TOLD), (kind.words, TOLD)]), name) for name in kind.settings]
        best, setting = max(named, default=(0.0, ""))
        if best > own:
            matches.append(Match(kind.key, setting, best))
        elif own > 0:
            matches.append(Match(kind.key, "", own))

    def beside(match: Match) -> tuple[bool, int]:
        """Of those that answer alike the one that is called so comes first, and what is said beside the wish counts against it."""
        label = REGISTRY[match.key].label.lower()
        return not label.startswith(wish.strip().lower()), len(label)

    matches.sort(key=lambda match: (-match.score, beside(match), match.key))
    return [match for match in matches if match.score >= FAINT * matches[0].score]
