"""Proposals of category and tags from the words of folder and file names, and from what a user decided before."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

from oskren.core.words.categories import Category
from oskren.core.words.starting import starting_categories, tag_words

_CAMEL = re.compile(r"(?<=[a-z])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])|(?<=[A-Za-z])(?=\d)|(?<=\d)(?=[A-Za-z])")
_WORD = re.compile(r"[^\W\d_]+|\d+")

DECIDES, SPEAKS, HINTS = 3.0, 1.0, 0.35
FOLDER_WEIGHTS = (0.5, 0.25)
LATER_COUNTS_LESS = 0.06
"""An earlier word of a name says what it is, a later one what it does."""

LEARNED_WEIGHT = 2.5
DOUBT = 0.6
"""Added to what all categories got together: little evidence is never sure."""

SURE = 0.6
"""Proposals below this are shown as unsure."""


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


def forms(word: str) -> list[str]:
    """A word and the plainer forms it may come from: singular, without -ing, -ed or -er.

    >>> forms("shards"), forms("stepping")[:3]
    (['shards', 'shard'], ['stepping', 'stepp', 'step'])
    """
    found = [word]

    def add(form: str) -> None:
        if len(form) >= 3 and form not in found:
            found.append(form)

    if word.endswith("ies"):
        add(word[:-3] + "y")
    if word.endswith("ves"):
        add(word[:-3] + "f")
    if word.endswith("es"):
        add(word[:-2])
    if word.endswith("s") and not word.endswith("ss"):
        add(word[:-1])
    for end in ("ing", "ed", "er"):
        if word.endswith(end) and len(word) > len(end) + 2:
            stem = word[: -len(end)]
            add(stem)
            if len(stem) > 3 and stem[-1] == stem[-2]:
                add(stem[:-1])
            add(stem + "e")
    return found


class Vocabulary:
    """The words of a library's categories, with what was learned from corrections.

    Parameters
    ----------
    categories : iterable of Category
        The tree; a category's own name speaks for it too.
    learned : mapping of word to mapping of category to count, optional
        How often a user gave a category to a sound with this word in its path.
    """

    def __init__(self, categories: Iterable[Category], learned: Mapping[str, Mapping[str, int]] | None = None):
        self._words: dict[str, dict[str, float]] = defaultdict(dict)
        self._codes: dict[str, str] = {}
        self.paths: set[str] = set()
        for category in categories:
            self.paths.add(category.path)
            if category.code:
                self._codes[category.code.lower()] = category.path
            for word in words_of(category.name):
                if word != "and":
                    self._words[word].setdefault(category.path, SPEAKS if "/" not in category.path else HINTS)
            for word in category.words:
                weight = {"!": DECIDES, "?": HINTS}.get(word[-1], SPEAKS)
                self._words[word.rstrip("!?").lower()][category.path] = weight
        self._learned = learned or {}

    def _known(self, word: str) -> dict[str, float]:
        for form in forms(word):
            if form in self._words:
                return self._words[form]
        return {}

    def _compound(self, word: str) -> list[str]:
        """Two known words that make up one ("raindrops"), or the word itself."""
        if len(word) < 7 or self._known(word) or word in self._learned:
            return [word]
        for cut in range(len(word) - 3, 2, -1):
            if self._known(word[:cut]) and (self._known(word[cut:]) or word[cut:] in tag_words()):
                return [word[:cut], word[cut:]]
        return [word]

    def propose(self, path: Path | str, more: Iterable[str] = ()) -> Proposal:
        """Category and tags from a file's name (full weight), its two nearest folders (half and quarter), and other texts about it.

        Parameters
        ----------
        more : iterable of str
            Texts found in the file: a title, a description, keywords. They count as the name does.
        """
        path = Path(path)
        sources = [(words_of(path.stem), 1.0)]
        sources += [(words_of(name), weight) for name, weight in zip(path.parts[-2:-4:-1], FOLDER_WEIGHTS, strict=False)]
        sources += [(words_of(text), 0.8) for text in more if text]
        votes: dict[str, float] = defaultdict(float)
        subs: dict[str, float] = defaultdict(float)
        tags: list[str] = []
        for part in _WORD.findall(path.stem.lower()):
            if part in self._codes:
                self._vote(votes, subs, self._codes[part], DECIDES * 2)
        for listed, weight in sources:
            said = [piece for word in listed for piece in self._compound(word)]
            for place, word in enumerate(said):
                if word in tag_words() and word not in tags:
                    tags.append(word)
                share = weight * (1.0 - LATER_COUNTS_LESS * min(place, 6))
                known = self._known(word)
                tops = {category.split("/")[0] for category in known}
                for category, strength in known.items():
                    self._vote(votes, subs, category, share * strength / len(tops))
                taught = next((self._learned[form] for form in forms(word) if form in self._learned), None)
                if taught:
                    seen = sum(taught.values())
                    for category, count in taught.items():
                        self._vote(votes, subs, category, LEARNED_WEIGHT * weight * (count / seen) * seen / (seen + 1))
        if not votes:
            return Proposal("", tuple(tags), 0.0)
        top = max(votes, key=lambda name: votes[name])
        inside = [path for path in subs if path.startswith(top + "/")]
        best = max(inside, key=lambda path: subs[path], default=top)
        # one hint alone is no reason to say more than the top category, unless it is the only thing below it
        said_enough = best == top or subs[best] >= HINTS * 0.2
        confidence = votes[top] / (sum(votes.values()) + DOUBT)
        return Proposal(best if said_enough else top, tuple(tags), round(confidence, 3))

    def _vote(self, votes: dict[str, float], subs: dict[str, float], category: str, weight: float) -> None:
        top = category.split("/")[0]
        votes[top] += weight
        if category != top:
            subs[category] += weight


_STARTING: Vocabulary | None = None


def propose(path: Path | str, more: Iterable[str] = ()) -> Proposal:
    """A proposal by the categories a new library starts with.

    Parameters
    ----------
    path : Path or str
        Of the file; words of its folders count too.
    more : iterable of str
        What the file says of itself.

    Returns
    -------
    Proposal
        Category, tags, and how sure it is (0 to 1).

    Examples
    --------
    >>> propose("field/Glass Shatter big 02.wav").category
    'Glass/Shatter'
    """
    global _STARTING
    _STARTING = _STARTING or Vocabulary(starting_categories())
    return _STARTING.propose(path, more)


def lessons(path: Path | str) -> list[str]:
    """Words of a path that a correction teaches: of the name and its folder, without numbers and short words."""
    path = Path(path)
    found = [forms(word)[-1] if word.endswith("s") else word for text in (path.stem, path.parent.name) for word in words_of(text)]
    return list(dict.fromkeys(word for word in found if len(word) > 2 and not word.isdigit()))
