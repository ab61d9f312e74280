"""Which layers crowd the same band, and when; a dip in one that makes room for another, and what it does, measured.

Layers are compared in half-octave bands and short stretches of time, by their powers as they are heard in the sum: behind their chains and those
of their groups, with gain, pan and envelopes, before the chain on the sum. How much two layers contest is counted in loudness rather than power: as
the smaller of the two powers to the 0.3, as loudness grows with intensity (Stevens, Psychological Review 64, 1957); that only what comes close
in level contests is our own rule.
"""

from __future__ import annotations

import hashlib
import math
from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel

from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Member, Mix, Step
from oskren.core.nodes.render import Renderer
from oskren.core.types import Floats, Samples

LOWEST_HZ = 22.0
BANDS = 19
"""Half-octaves from 22 Hz to 16 kHz."""

EDGES = LOWEST_HZ * 2.0 ** (np.arange(BANDS + 1) / 2)

WINDOW_S = 0.085
EVERY_S = 0.02
"""Powers are taken of windows this long, so far apart."""

COLUMNS = 96
"""Stretches a strip is shown in."""

HEARD_DB = 50.0
"""What lies further below the loudest band of the sum is not heard."""

CLOSE_DB = 12.0
"""Layers further apart than this in a band do not contest it: the louder one has it."""

LOUDNESS = 0.3

CLEAR_DB = 6.0
"""How far over the other a layer should be in a band of its own."""

DEEPEST_DB, LEAST_DB = 6.0, 1.5
"""What a dip takes away, at most and at least."""

MATTERS = 0.01
"""Share of all that is heard two layers must contest to be told of."""

PAIRS = 3
VERSION = 1


class Dip(BaseModel):
    """A step that makes room: the layer it goes into, and how far the other one is over it in the band before and with it (dB, measured)."""

    layer: str
    step: Step
    before_db: float
    after_db: float


class Pair(BaseModel):
    """Two layers that contest a band (Hz) for a while (s from the strike line): the louder one first, by how much (dB), and the share of all that is
    heard that they contest."""

    louder: str
    other: str
    over_db: float
    low_hz: float
    high_hz: float
    from_s: float
    to_s: float
    share: float
    dip: Dip | None


class Strip(BaseModel):
    """How much of a layer lies under others: ``covered`` (bands, low ones first, then columns of time) from 0, alone, to 1; -1 where it is not heard."""

    id: str
    covered: list[list[float]]


class Crowding(BaseModel):
    """Strips of all layers over the same time (s from the strike line), and the pairs that contest most."""

    start_s: float
    end_s: float
    edges_hz: list[float]
    strips: list[Strip]
    pairs: list[Pair]


@dataclass(frozen=True)
class Powers:
    """Powers of one layer: shape (bands, stretches); the stretch that begins at the strike line is number ``zero``."""

    power: Floats
    zero: int


def band_powers(samples: Samples, rate: int, every_s: float = EVERY_S) -> Floats:
    """Powers in half-octave bands of windows ``every_s`` apart, the first around the first frame: shape (bands, stretches), 1 = a full-scale square wave.

    Channels are added as powers; a band's power is that of the frequencies in it, those on its edges by their share.
    """
    from scipy.fft import rfft

    size, hop = 1 << max(8, round(math.log2(rate * WINDOW_S))), max(1, round(every_s * rate))
    window = np.hanning(size + 1)[:-1]
    scale = 2.0 / (size * float(np.sum(window**2)))
    hz = np.arange(size // 2 + 2) * rate / size - rate / size / 2  # edges of the cells
    inside = np.clip((EDGES[1:, None] - hz[None, :-1]) / np.diff(hz), 0, 1) - np.clip((EDGES[:-1, None] - hz[None, :-1]) / np.diff(hz), 0, 1)
    count = math.ceil(len(samples) / hop) + 1
    padded = np.zeros((size // 2 + (count - 1) * hop + size, samples.shape[1]), np.float32)
    padded[size // 2 : size // 2 + len(samples)] = samples
    out = np.zeros((BANDS, count))
    for first in range(0, count, 64):  # a few windows at a time, so that their spectra stay small
        starts = np.arange(first, min(first + 64, count)) * hop
        for lane in range(samples.shape[1]):
            cut = padded[starts[:, None] + np.arange(size)[None, :], lane] * window
            out[:, first : first + len(starts)] += inside @ (np.abs(rfft(cut, axis=1)) ** 2).T * scale
    return out


def alone(mix: Mix, member: Member) -> Mix:
    """The sum with one layer only, through its group's chain but not that of the sum; a frozen group is thawed, since its audio holds all of its layers."""
    groups = tuple(group.model_copy(update={"frozen": None}) for group in mix.groups)
    return mix.model_copy(update={"members": (member,), "groups": groups, "chain": ()})


def powers_of(renderer: Renderer, mix: Mix, member: Member, rate: int, every_s: float) -> Powers:
    """Powers of a layer as it is heard in the sum, measured once for every state of it."""
    only = alone(mix, member).model_copy(update={"rate": rate})
    key = hashlib.blake2b(f"crowding {VERSION} {every_s} {node_hash(only)}".encode(), digest_size=20).hexdigest()
    known = renderer.cache.summary(key)
    if known is None:
        shape, hop = renderer.shape(only), max(1, round(every_s * rate))
        # stretches of all layers lie on one grid that goes through the strike line
        before = -shape.zero % hop
        audio = np.concatenate([np.zeros((before, shape.channels), np.float32), *renderer.stream(only)])
        known = {"power": band_powers(audio, rate, every_s).astype(np.float32), "zero": np.array((shape.zero + before) // hop)}
        renderer.cache.keep_summary(key, known)
    return Powers(known["power"].astype(np.float64), int(known["zero"]))


def crowding(renderer: Renderer, mix: Mix) -> Crowding:
    """Which heard layers of a mix crowd each other, and what a dip would do about it."""
    muted = {group.id for group in mix.groups if group.mute}
    members = [member for member in mix.members if not member.mute and member.group not in muted]
    edges = [round(float(edge), 1) for edge in EDGES]
    if not members:
        return Crowding(start_s=0.0, end_s=0.0, edges_hz=edges, strips=[], pairs=[])
    rate = renderer.mix_rate(mix)
    seconds = renderer.shape(mix.model_copy(update={"chain": ()})).seconds
    every_s = max(EVERY_S, round(seconds / 1500, 3))
    found = [powers_of(renderer, mix, member, rate, every_s) for member in members]
    zero, count = max(one.zero for one in found), max(one.power.shape[1] - one.zero for one in found)
    laid = np.zeros((len(members), BANDS, zero + count))
    for row, one in zip(laid, found, strict=True):
        row[:, zero - one.zero : zero - one.zero + one.power.shape[1]] = one.power
    pairs = [_with_dip(renderer, mix, pair, rate, every_s) for pair in contested(laid, [member.id for member in members], zero, every_s)]
    strips = [Strip(id=member.id, covered=rows) for member, rows in zip(members, covered(laid), strict=True)]
    return Crowding(start_s=-zero * every_s, end_s=count * every_s, edges_hz=edges, strips=strips, pairs=pairs)


def _shown(power: Floats) -> Floats:
    """Powers of layers (layers, bands, stretches) as means over at most ``COLUMNS`` columns."""
    each = max(1, math.ceil(power.shape[2] / COLUMNS))
    padded = np.pad(power, ((0, 0), (0, 0), (0, -power.shape[2] % each)))
    return np.asarray(padded.reshape(*power.shape[:2], -1, each).mean(axis=3))


def covered(power: Floats) -> list[list[list[float]]]:
    """For every layer, in every band and column of time, the share of the power there that others give; -1 where the layer is not heard."""
    shown = _shown(power)
    total = shown.sum(axis=0)
    least = total.max(initial=0.0) * 10 ** (-HEARD_DB / 10)
    share = 1 - shown / np.maximum(total, 1e-30)
    heard = (total > least) & (shown > np.maximum(least, shown.max(axis=(1, 2), keepdims=True) * 10 ** (-HEARD_DB / 10)))
    rows: list[list[list[float]]] = np.round(np.where(heard, share, -1.0), 2).tolist()
    return rows


def contested(power: Floats, ids: list[str], zero: int, every_s: float) -> list[Pair]:
    """The pairs of layers that contest most, from powers (layers, bands, stretches): each with its band and its time."""
    total = power.sum(axis=0)
    heard = total > total.max(initial=0.0) * 10 ** (-HEARD_DB / 10)
    loud = np.where(heard, power, 0.0) ** LOUDNESS
    everything = float(loud.sum())
    pairs = []
    for i in range(len(ids)):
        for j in range(i):
            a, b = power[i], power[j]
            close = heard & (np.minimum(a, b) * 10 ** (CLOSE_DB / 10) > np.maximum(a, b))
            score = np.where(close, np.minimum(loud[i], loud[j]), 0.0)
            bands = score.sum(axis=1)
            if everything <= 0 or float(bands.sum()) / everything < MATTERS:
                continue
            low, high = _around(bands)
            when = score[low : high + 1].sum(axis=0)
            first, last = np.searchsorted(np.cumsum(when) / when.sum(), [0.05, 0.95])
            part = (slice(low, high + 1), slice(int(first), int(last) + 1))
            over = 10 * math.log10(max(1e-30, float(a[part].sum())) / max(1e-30, float(b[part].sum())))
            if abs(over) > CLOSE_DB:  # they meet for moments only: one of them has the band
                continue
            names = (ids[i], ids[j]) if over >= 0 else (ids[j], ids[i])
            pairs.append(
                Pair(
                    louder=names[0],
                    other=names[1],
                    over_db=round(abs(over), 2),
                    low_hz=round(float(EDGES[low]), 1),
                    high_hz=round(float(EDGES[high + 1]), 1),
                    from_s=round((int(first) - zero) * every_s, 3),
                    to_s=round((int(last) + 1 - zero) * every_s, 3),
                    share=round(float(bands.sum()) / everything, 4),
                    dip=None,
                )
            )
    return sorted(pairs, key=lambda pair: -pair.share)[:PAIRS]


def _around(bands: Floats) -> tuple[int, int]:
    """First and last band around the most contested one that is contested half as much; two octaves at most."""
    low = high = int(np.argmax(bands))
    enough = bands[low] / 2
    while high - low < 3:
        beside = [(bands[k], k) for k in (low - 1, high + 1) if 0 <= k < len(bands)]
        most, k = max(beside)
        if most < enough:
            break
        low, high = min(low, k), max(high, k)
    return low, high


def _level_db(powers: Powers, pair: Pair, every_s: float) -> float:
    """Level of a layer in a pair's band and time (dB)."""
    low, high = (int(np.argmin(np.abs(EDGES - hz))) for hz in (pair.low_hz, pair.high_hz))
    first, last = (max(0, round(s / every_s) + powers.zero) for s in (pair.from_s, pair.to_s))
    return 10 * math.log10(max(1e-30, float(powers.power[low:high, first:last].sum())))


def spare(powers: Powers, pair: Pair) -> float:
    """Share of a layer's loudness that lies outside a pair's band: what it can do without the band."""
    low, high = (int(np.argmin(np.abs(EDGES - hz))) for hz in (pair.low_hz, pair.high_hz))
    loud = powers.power**LOUDNESS
    return 1 - float(loud[low:high].sum()) / max(1e-30, float(loud.sum()))


def dip_step(pair: Pair, gain_db: float) -> Step:
    """The bell that dips a pair's band: its middle in pitch, as wide as the band."""
    centre = math.sqrt(pair.low_hz * pair.high_hz)
    q = float(np.clip(centre / (pair.high_hz - pair.low_hz), 0.5, 6))
    params = {"kind": "bell", "frequency_hz": round(centre, 1), "gain_db": round(gain_db, 1), "q": round(q, 2)}
    return Step(kind="band", id=f"room-{round(centre)}-{pair.louder[-6:]}", params=params)


def _with_dip(renderer: Renderer, mix: Mix, pair: Pair, rate: int, every_s: float) -> Pair:
    """The pair with a dip offered in the layer that can better do without the band, rendered and measured; none where neither may be changed."""
    two = {member.id: member for member in mix.members if member.id in (pair.louder, pair.other)}
    powers = {number: powers_of(renderer, mix, member, rate, every_s) for number, member in two.items()}
    free = [number for number, member in two.items() if not member.locked and member.frozen is None and not _group_frozen(mix, member)]
    if not free:
        return pair
    yields = max(free, key=lambda number: spare(powers[number], pair))
    keeps = pair.other if yields == pair.louder else pair.louder
    before = _level_db(powers[keeps], pair, every_s) - _level_db(powers[yields], pair, every_s)
    if before >= CLEAR_DB:
        return pair
    step = dip_step(pair, -min(DEEPEST_DB, max(LEAST_DB, CLEAR_DB - before)))
    dipped = two[yields].model_copy(update={"chain": (*two[yields].chain, step)})
    after = _level_db(powers[keeps], pair, every_s) - _level_db(powers_of(renderer, mix, dipped, rate, every_s), pair, every_s)
    return pair.model_copy(update={"dip": Dip(layer=yields, step=step, before_db=round(before, 2), after_db=round(after, 2))})


def _group_frozen(mix: Mix, member: Member) -> bool:
    return any(group.frozen is not None for group in mix.groups if group.id == member.group)
