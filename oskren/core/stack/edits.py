"""Edits of a mix: pure functions from mix to mix.

The browser has the same ones (``web/src/mix``) for what must be seen while it is done; both are held together by the cases of
``tests/mirrored.py``, which are written by these functions and replayed in the browser's engine.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, ValidationError

from oskren.core.errors import NotFound, OskrenError, first_wrong
from oskren.core.nodes.model import Group, Member, Mix

Ids = Annotated[list[str], Field(min_length=1, max_length=2000)]


def changed(mix: Mix, ids: Collection[str], values: dict[str, Any]) -> Mix:
    """The mix with fields of layers set, for instance ``{"mute": True}``.

    Raises
    ------
    OskrenError
        When a layer cannot have such a value.
    """
    try:
        members = tuple(Member.model_validate(member.model_dump() | values) if member.id in ids else member for member in mix.members)
    except ValidationError as error:
        raise OskrenError(f"{first_wrong(error)}; it was given {error.errors()[0]['input']!r}.") from None
    return mix.model_copy(update={"members": members})


def gathered(mix: Mix) -> Mix:
    """The mix with the layers of each group together, at the place of its first one; groups without layers are gone, and so are names of unknown ones."""
    known = {group.id for group in mix.groups}
    seen: list[str] = []
    members: list[Member] = []
    for member in mix.members:
        if not member.group or member.group not in known:
            members.append(member.model_copy(update={"group": ""}) if member.group else member)
        elif member.group not in seen:
            seen.append(member.group)
            members += [one for one in mix.members if one.group == member.group]
    return mix.model_copy(update={"members": tuple(members), "groups": tuple(group for group in mix.groups if group.id in seen)})


def grouped(mix: Mix, ids: Collection[str], id: str) -> Mix:
    """The mix with layers in a new group of that id, called by how many groups there are.

    Parameters
    ----------
    mix : Mix
    ids : collection of str
        Ids of the layers.
    id : str
        Id of the new group.

    Returns
    -------
    Mix

    Examples
    --------
    >>> from oskren.core.nodes.model import Member, Source
    >>> glass = Source(audio="a" * 40, rate=48_000, channels=1, frames=100)
    >>> mix = grouped(Mix(members=(Member(id="a", node=glass), Member(id="b", node=glass))), ["b"], "g")
    >>> [(member.id, member.group) for member in mix.members], mix.groups[0].name
    ([('a', ''), ('b', 'g')], 'Group 1')
    """
    group = Group(id=id, name=f"Group {len(mix.groups) + 1}")
    members = tuple(member.model_copy(update={"group": id}) if member.id in ids else member for member in mix.members)
    return gathered(mix.model_copy(update={"members": members, "groups": (*mix.groups, group)}))


def ungrouped(mix: Mix, id: str) -> Mix:
    """The mix without a group; its layers stay where they are."""
    return gathered(mix.model_copy(update={"groups": tuple(group for group in mix.groups if group.id != id)}))


def duplicated(mix: Mix, ids: Sequence[str], fresh: Sequence[str]) -> Mix:
    """The mix with copies of layers behind them, at the same moment, in step with their originals and unlocked; ``fresh`` are their ids, in order."""
    names = iter(fresh)
    members: list[Member] = []
    for member in mix.members:
        members.append(member)
        if member.id in ids:
            members.append(member.model_copy(update={"id": next(names), "locked": False}))
    return mix.model_copy(update={"members": tuple(members)})


def moved(mix: Mix, ids: Collection[str], before: str | None) -> Mix:
    """The mix with layers, in their order, before another one, or at the end."""
    taken = [member for member in mix.members if member.id in ids]
    rest = [member for member in mix.members if member.id not in ids]
    at = len(rest) if before is None else next((i for i, member in enumerate(rest) if member.id == before), 0)
    return gathered(mix.model_copy(update={"members": (*rest[:at], *taken, *rest[at:])}))


def stepped(mix: Mix, ids: Collection[str], by: int) -> Mix:
    """The mix with layers moved by so many places, as far as there are places."""
    first = next((i for i, member in enumerate(mix.members) if member.id in ids), 0)
    rest = [member.id for member in mix.members if member.id not in ids]
    at = max(0, min(len(rest), first + by))
    return moved(mix, ids, rest[at] if at < len(rest) else None)


def shifted(mix: Mix, ids: Collection[str], by_s: float) -> Mix:
    """The mix with layers later by ``by_s`` (s); locked ones stay.

    Parameters
    ----------
    mix : Mix
    ids : collection of str
        Ids of the layers.
    by_s : float
        Seconds, earlier when negative.

    Returns
    -------
    Mix

    Examples
    --------
    >>> from oskren.core.nodes.model import Member, Source
    >>> glass = Source(audio="a" * 40, rate=48_000, channels=1, frames=100)
    >>> mix = Mix(members=(Member(id="a", node=glass), Member(id="b", node=glass, locked=True)))
    >>> [member.at_s for member in shifted(mix, ["a", "b"], 0.25).members]
    [0.25, 0.0]
    """
    free = {member.id for member in mix.members if member.id in ids and not member.locked}
    members = tuple(member.model_copy(update={"at_s": round(member.at_s + by_s, 6)}) if member.id in free else member for member in mix.members)
    return mix.model_copy(update={"members": members})


def removed(mix: Mix, ids: Collection[str]) -> Mix:
    """The mix without layers; a group that loses its last one is gone too."""
    return gathered(mix.model_copy(update={"members": tuple(member for member in mix.members if member.id not in ids)}))


class Add(BaseModel):
    """Put a layer in, as the last one."""

    do: Literal["add"]
    member: Member


class Set(BaseModel):
    """Set fields of layers; a locked one takes no other change than to be unlocked."""

    do: Literal["set"]
    ids: Ids
    values: dict[str, Any]


class Together(BaseModel):
    """Put layers into a new group."""

    do: Literal["group"]
    ids: Ids
    id: str = Field(min_length=1, max_length=60)


class Apart(BaseModel):
    """Dissolve a group."""

    do: Literal["ungroup"]
    id: str


class Duplicate(BaseModel):
    """Copy layers; ``fresh`` are the ids of the copies."""

    do: Literal["duplicate"]
    ids: Ids
    fresh: Ids


class Move(BaseModel):
    """Move layers before another one, or to the end."""

    do: Literal["move"]
    ids: Ids
    before: str | None = None


class ShiftTime(BaseModel):
    """Make layers later, in s."""

    do: Literal["shift"]
    ids: Ids
    by_s: float


class Remove(BaseModel):
    """Take layers out."""

    do: Literal["remove"]
    ids: Ids


Edit = Annotated[Add | Set | Together | Apart | Duplicate | Move | ShiftTime | Remove, Field(discriminator="do")]


def edited(mix: Mix, edit: Edit) -> Mix:
    """The mix after an edit.

    Raises
    ------
    NotFound
        When a layer or group it names is not in the mix.
    OskrenError
        When the edit cannot be: a value out of range, a locked layer, copies without an id each.
    """
    members, groups = {member.id: member for member in mix.members}, {group.id for group in mix.groups}
    gone = [id for id in getattr(edit, "ids", []) if id not in members]
    if gone:
        raise NotFound(f"There is no layer '{gone[0]}' in this design; its layers are {', '.join(members) or 'none'}.")
    match edit:
        case Add(member=member):
            if member.id in members:
                raise OskrenError(f"There is a layer '{member.id}' in this design already; give the new one another id.")
            return mix.model_copy(update={"members": (*mix.members, member)})
        case Set(ids=ids, values=values):
            locked = [members[id].name for id in ids if members[id].locked and set(values) != {"locked"}]
            if locked:
                raise OskrenError(f"{locked[0]} is locked; unlock it to change it.")
            if "id" in values:
                raise OskrenError("A layer keeps its id; set its name to call it something else.")
            return changed(mix, ids, values)
        case Together(ids=ids, id=id):
            if id in groups:
                raise OskrenError(f"There is a group '{id}' in this design already; give the new one another id.")
            return grouped(mix, ids, id)
        case Apart(id=id):
            if id not in groups:
                raise NotFound(f"There is no group '{id}' in this design.")
            return ungrouped(mix, id)
        case Duplicate(ids=ids, fresh=fresh):
            if len(set(fresh) - set(members)) != len(ids):
                raise OskrenError("Every copy needs an id of its own.")
            return duplicated(mix, ids, fresh)
        case Move(ids=ids, before=before):
            return moved(mix, ids, before)
        case ShiftTime(ids=ids, by_s=by_s):
            return shifted(mix, ids, by_s)
        case Remove(ids=ids):
            return removed(mix, ids)
