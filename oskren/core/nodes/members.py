"""Members of a mix as nodes of their own: what is done to each, what it is when it is thawed, and the sums of groups."""

from __future__ import annotations

from oskren.core.envelope import Envelope
from oskren.core.nodes.model import Chained, Group, Member, Mix, Step


def member_node(member: Member, rate: int | None = None) -> Chained:
    """The member's own audio as a node: part, direction, pitch, chain, rate, fades; or what it was frozen to. It is made once for every rate (Hz)."""
    made: dict[int | None, Chained] = member.__dict__.setdefault("own nodes", {})
    if rate not in made:
        made[rate] = _member_node(member, rate)
    return made[rate]


def _member_node(member: Member, rate: int | None) -> Chained:
    convert = (Step(kind="rate", params={"rate": rate}),) if rate is not None else ()
    if member.frozen is not None:
        return Chained(node=member.frozen, chain=convert)
    steps: list[Step] = list(member.chain) if member.chain_first else []
    if member.start_s is not None or member.end_s is not None:
        steps.append(Step(kind="trim", params={"start_s": member.start_s, "end_s": member.end_s}))
    if member.reverse:
        steps.append(Step(kind="reverse"))
    gliding = member.envelope("pitch_st")
    if member.pitch_st != 0 or member.stretch != 1 or gliding:
        params = {"semitones": member.pitch_st, "mode": "keep length" if member.keep_length else "varispeed", "stretch": member.stretch}
        moves: tuple[Envelope, ...] = ()
        if gliding:
            points = tuple((at, value + member.pitch_st) for at, value in gliding.points)
            moves = (gliding.model_copy(update={"control": "semitones", "points": points}),)
        steps.append(Step(kind="pitch", params=params, envelopes=moves))
    steps += () if member.chain_first else member.chain
    steps += convert
    if member.fade_in_s or member.fade_out_s:
        fades = {"in_s": member.fade_in_s, "out_s": member.fade_out_s, "in_shape": member.fade_in_shape, "out_shape": member.fade_out_shape}
        steps.append(Step(kind="fade", params=fades))
    return Chained(node=member.node, chain=tuple(steps))


def thawed(member: Member) -> Member:
    """The member as it is when it is not frozen."""
    return member if member.frozen is None else member.model_copy(update={"frozen": None})


def _alone(member: Member) -> Member:
    """The member in no group; the same one each time, so that what is found of it stays found."""
    found: Member | None = member.__dict__.get("alone")
    if found is None:
        found = member.__dict__["alone"] = member.model_copy(update={"group": ""})
    return found


def group_mix(mix: Mix, group: Group, rate: int | None) -> Mix:
    """A group's own sum, with its chain, at a rate (Hz); gain, pan and mute of the group are left to the mix it is in."""
    own = tuple(_alone(member) for member in mix.members if member.group == group.id)
    return Mix(members=own, chain=group.chain, rate=rate, layout=mix.layout, pan_law=mix.pan_law)


def loose(mix: Mix) -> tuple[Member, ...]:
    """Members that are in no group of the mix."""
    groups = {group.id for group in mix.groups}
    return tuple(member for member in mix.members if member.group not in groups)
