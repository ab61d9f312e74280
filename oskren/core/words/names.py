"""File names from templates, legal on every common file system."""

from __future__ import annotations

import functools
import math
import re
import unicodedata
from collections.abc import Callable, Collection, Mapping, Sequence

from oskren.core.errors import OskrenError

TOKENS = {
    "category": "category of the sound, levels joined by a hyphen",
    "name": "name of the sound",
    "number": "place in the sheet; {number:3} pads it to three digits",
    "rate": "sample rate in kHz",
    "bits": "bit depth",
    "channels": "mono or stereo",
    "target": "name of the target",
    "sheet": "name of the sheet",
    "place": "place within its own folder; {place:2} pads it to two digits",
    "within": "place within its category; {within:2} pads it to two digits",
    "code": "code of its category, else the first letters of its last level",
    "top": "first level of the category",
    "kit": "kit a one-shot is in, from its tags",
    "alike": "number of the slices it sounds like, from its tags",
    "length": "band of its length: under 0.5 s, 0.5 to 1 s, 1 to 3 s, 3 to 10 s, over 10 s",
    "bright": "dark, middle or bright: its brightness under 800 Hz, up to 3 kHz, or over",
}
"""What a template may hold in braces. A slash makes a folder."""

LENGTH_BANDS = ((0.5, "under 0.5 s"), (1.0, "0.5 to 1 s"), (3.0, "1 to 3 s"), (10.0, "3 to 10 s"), (math.inf, "over 10 s"))
BRIGHT_BANDS = ((800.0, "dark"), (3000.0, "middle"), (math.inf, "bright"))
"""Bands files are sorted into folders by (own rule)."""


def band_of(value: float | None, bands: Sequence[tuple[float, str]]) -> str:
    """The name of the band a value lies in; empty where it is not known.

    >>> band_of(0.7, LENGTH_BANDS), band_of(None, BRIGHT_BANDS)
    ('0.5 to 1 s', '')
    """
    return "" if value is None else next(name for end, name in bands if value < end)


_TOKEN = re.compile(r"\{([a-z]+)(?::([1-9]))?\}")
_FORBIDDEN = re.compile(r'[<>:"|?*\\\x00-\x1f\x7f]')
_TURNING = re.compile("[\u200e\u200f\u202a-\u202e\u2066-\u2069]")
"""Marks that turn the direction of writing: with them a name is not what it looks like (Unicode Technical Report 36)."""

_DEVICES = {"con", "prn", "aux", "nul", "conin$", "conout$", *(f"{port}{digit}" for port in ("com", "lpt") for digit in "123456789¹²³")}
"""Names Windows keeps for devices, whatever ending they have; a superscript digit counts as its digit there (Naming Files, Windows documentation)."""

LONGEST = 255


SOUND_TOKENS = {
    "name": "name the sound has now",
    "number": "place in the order shown; {number:3} pads it to three digits",
    "category": "last level of its category",
    "place": "place noted on its arrival",
    "date": "day it was recorded",
}
"""What a template for names of sounds may hold."""

ONE_SHOT_TOKENS = {
    "name": "name of the sound it is cut from",
    "number": "place among the kept slices",
    "kit": "kit it is in",
    "alike": "number of the slices that sound like it",
    "category": "last level of the category of the sound",
    "length": "length of the slice in seconds",
}
"""What a template for names of one-shots may hold."""

TAKE_TOKENS = {
    "project": "project worked in",
    "date": "day of the recording",
    "time": "time of day of the recording",
    "place": "place noted for the arrival",
    "name": "name the file has on the card",
    "number": "place on the card; {number:3} pads it to three digits",
}
"""What a template for takes off a card may hold."""


SELECT_TOKENS = {
    "code": "code of its category, else the first letters of its last level",
    "category": "last level of its category",
    "place": "place noted on the arrival of its take",
    "words": "words typed for it",
    "take": "name of the take it is cut from",
    "date": "day the take was recorded",
    "number": "number that makes the name the only one; {number:2} pads it to two digits",
}
"""What a template for names of selects may hold."""


def check_template(template: str, tokens: Mapping[str, str] = TOKENS) -> None:
    """Raise OskrenError when a template is empty or holds a token that does not exist."""
    if not template.strip():
        raise OskrenError("The name template is empty; try {name}_{number:3}.")
    bare = _TOKEN.sub("", template)
    if "{" in bare or "}" in bare:
        raise OskrenError(f"The name template '{template}' has a brace that is not closed or not a token; tokens look like {{name}} or {{number:3}}.")
    for token, _ in _TOKEN.findall(template):
        if token not in tokens:
            raise OskrenError(f"The name template uses {{{token}}}, which does not exist; there are {', '.join('{' + name + '}' for name in tokens)}.")


@functools.lru_cache(maxsize=64)
def _checked(template: str) -> None:
    """:func:`check_template` with the tokens of files, once for the thousands a template names."""
    check_template(template)


@functools.lru_cache(maxsize=4096)
def legal(part: str, room: int = LONGEST) -> str:
    """One part of a path, made legal: NFC, no forbidden characters, turning marks or device names, no dot or space at its end, at most ``room`` bytes.

    >>> legal("con"), legal("a/b: c?. ")
    ('con_', 'a_b_ c_')
    """
    text = _TURNING.sub("", unicodedata.normalize("NFC", part)).replace("/", "_")
    text = _FORBIDDEN.sub("_", text).strip().rstrip(". ")
    if _device(text):
        text = text.replace(text.split(".")[0], text.split(".")[0] + "_", 1)
    while len(text.encode()) > room:
        text = text[:-1].rstrip(". ")
    return text or "_"


def _device(name: str) -> bool:
    return name.split(".")[0].strip().lower() in _DEVICES


def filled(template: str, values: Mapping[str, object], tokens: Mapping[str, str]) -> str:
    """A name from a template: every token replaced by its value, spaces that an empty one leaves taken out.

    >>> filled("{place} RAW {number:3}", {"place": "", "number": 7}, TAKE_TOKENS)
    'RAW 007'
    """
    check_template(template, tokens)
    return " ".join(_TOKEN.sub(lambda match: _value(match, values), template).split())


def _value(match: re.Match[str], values: Mapping[str, object]) -> str:
    name, digits = match.groups()
    value = values.get(name, "")
    return f"{int(str(value)):0{digits}d}" if digits and str(value).isdigit() else str(value)


def fill(template: str, values: Mapping[str, object], extension: str, written: Callable[[str], str] = str) -> str:
    """A relative path from a template; values never make folders, slashes of the template do.

    Parts that would climb out of the folder ('..') become underscores.

    Parameters
    ----------
    template : str
        Text with tokens in braces; slashes make folders.
    values : mapping
        What every token stands for.
    extension : str
        Of the file, with its dot.
    written : callable, optional
        How the filled template is written: its case, what stands for spaces.

    Returns
    -------
    str

    Raises
    ------
    OskrenError
        When the template names a token that does not exist.

    Examples
    --------
    >>> fill("{category}/{name}_{number:2}", {"category": "Glass", "name": "Pane: break", "number": 3}, ".wav")
    'Glass/Pane_ break_03.wav'
    """
    _checked(template)
    text = written(_TOKEN.sub(lambda match: _value(match, values).replace("/", "-"), template))
    parts = [part for part in text.split("/") if part.strip()]
    if not parts:
        parts = ["_"]
    stem = legal(parts[-1], LONGEST - len(extension.encode()))
    return "/".join([legal("_" if part.strip(". ") == "" else part) for part in parts[:-1]] + [stem + extension])


_BRACKETS = re.compile(r"[()\[\]{},;!'’‘“”]+")
_DOUBLED = re.compile(r"([-_ ])(?:\s*\1)+")


def tidy(text: str) -> str:
    """A filled template in plain words: letters without accents, no brackets, commas and quotes, no doubled or dangling separators.

    Letters that have no plain form stay as they are.

    >>> tidy("Glas / Scheibe,  bricht (müde) - _ 2/a -- b")
    'Glas/Scheibe bricht mude - _ 2/a-b'
    """
    apart = unicodedata.normalize("NFKD", text)
    plain = unicodedata.normalize("NFC", "".join(letter for letter in apart if not unicodedata.combining(letter)))
    found = _BRACKETS.sub(" ", plain)
    parts = []
    for part in found.split("/"):
        part = re.sub(r"\s*--+\s*", "-", re.sub(r"\s+", " ", part))
        parts.append(_DOUBLED.sub(r"\1", part).strip(" -_"))
    return "/".join(parts)


def problems(name: str) -> list[str]:
    """What would be changed or refused when a name becomes a file: letters, length, device names; empty when nothing would."""
    found = []
    bad = sorted(set(_FORBIDDEN.findall(name)) | ({"/"} if "/" in name else set()))
    if bad:
        shown = " ".join(one if one.isprintable() else repr(one) for one in bad)
        found.append(f"{shown} cannot be in a file name; it becomes _")
    if len(name.encode()) > LONGEST - 5:
        found.append(f"{len(name.encode())} bytes long, at most {LONGEST - 5} fit with a file's ending")
    if _TURNING.search(name):
        found.append("holds marks that turn the direction of writing; they are left out")
    if _device(name):
        found.append("is the name of a device on some systems")
    if name != name.strip() or name.endswith("."):
        found.append("ends or begins with a space or a dot, which is cut off")
    if not name.strip():
        found.append("is empty")
    return found


def numbered(template: str, rows: Sequence[Mapping[str, object]], taken: Collection[str], tokens: Mapping[str, str] = SELECT_TOKENS) -> list[str]:
    """A name for each row, numbers counted up within those that are otherwise alike, so that none is taken twice.

    >>> numbered("{words} {number:2}", [{"words": "creak"}, {"words": "ring"}, {"words": "creak"}], {"creak 01"})
    ['creak 02', 'ring 01', 'creak 03']
    """
    used, names = {name.casefold() for name in taken}, []
    for row in rows:
        for number in range(1, 100_000):
            name = filled(template, {**row, "number": number}, tokens)
            if name.casefold() not in used or "{number" not in template:
                break
        used.add(name.casefold())
        names.append(name)
    return names


def collisions(paths: Sequence[str]) -> set[int]:
    """Positions of paths that another path equals on a file system that ignores case."""
    seen: dict[str, list[int]] = {}
    for i, path in enumerate(paths):
        seen.setdefault(unicodedata.normalize("NFC", path).casefold(), []).append(i)
    return {i for group in seen.values() if len(group) > 1 for i in group}
