"""What slices are found in: levels of a sound, measured in one pass; and the settings they are found by."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, field_validator

from oskren.core.controls import choice, number
from oskren.core.measure import noise
from oskren.core.slice.bands import Measured, Standing, standing
from oskren.core.types import Samples

HOP_S = 0.001


class SliceSettings(BaseModel):
    """How slices are found; all of it can be changed while looking at the waveform."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    by: Literal["sounds", "level", "markers", "grid"] = choice(
        "sounds", {"sounds": "sounds over the floor", "level": "one threshold", "markers": "markers of the file", "grid": "a grid"}, "Found by"
    )
    sensitivity_db: float = number(8.0, 1, 60, "dB over floor", "Sensitivity", step=0.5, hint="How far over the measured floor a sound begins")
    min_length_ms: float = number(5.0, 1, 60_000, "ms", "Shortest", "log", digits=0, usual=(1, 5000))
    min_gap_ms: float = number(60.0, 1, 60_000, "ms", "Gap", "log", digits=0, usual=(1, 5000))
    pre_roll_ms: float = number(2.0, 0, 5_000, "ms", "Before the attack", usual=(0, 200))
    tail_ms: float = number(30.0, 0, 60_000, "ms", "After the end", digits=0, usual=(0, 2000))
    attacks: Literal["auto", "on", "off"] = choice(
        "auto", None, "Attacks inside begin a slice", hint="Auto decides it by place: where sounds overlap they do, where they stand apart they do not"
    )
    rise_db: float = number(8.0, 3, 40, "dB", "Steepness", hint="How steep an attack inside a sound must be")
    until: Literal["sound", "next"] = choice("sound", {"sound": "where its sound ends", "next": "the next marker"}, "Each lasts to")
    spaced: Literal["length", "tempo"] = choice("length", {"length": "a length", "tempo": "a tempo"}, "Lines by")
    every_s: float = number(1.0, 0.02, 3600, "s", "Length of each", "log", digits=3, usual=(0.05, 20))
    bpm: float = number(120.0, 10, 999, "bpm", "Tempo", digits=2, usual=(40, 240), step=1)
    beats: float = number(1.0, 0.0625, 256, "beats", "Beats of each", digits=3, usual=(0.25, 16), step=0.25)
    first_s: float = number(0.0, 0, 86_400, "s", "First begins at", digits=3, usual=(0, 10))
    parted: Literal["", "markers", "grid"] = choice(
        "",
        {"": "nothing else", "markers": "markers of the file", "grid": "lines of a grid"},
        "Also parted by",
        hint="Cuts what is found where these fall",
    )

    @property
    def spacing_s(self) -> float:
        """From one line of the grid to the next (s)."""
        return self.every_s if self.spaced == "length" else 60 / self.bpm * self.beats

    @field_validator("attacks", mode="before")
    @classmethod
    def _as_before(cls, given: object) -> object:
        """Plans of before say true or false."""
        return {True: "on", False: "off"}[given] if isinstance(given, bool) else given


class FoundSlice(BaseModel):
    """One found slice, in seconds."""

    model_config = ConfigDict(frozen=True)

    start_s: float
    end_s: float
    attack_s: float


@dataclass(frozen=True, eq=False)
class Levels:
    """Levels of a sound in hops of 1 ms: ``power`` of all of it, ``bright`` of its first difference (its upper bands).

    ``floor_dbfs`` is the level thresholds start from; ``floor_visible`` says whether it is the measured noise floor or,
    for dense material, only its quietest tenth. ``standing`` is how far its bands stand over floors of their own, which are followed;
    ``markers`` are those of the file, from where to where (s of the sound), the same moment twice for a point.
    """

    power: Samples
    bright: Samples
    hop_s: float
    seconds: float
    floor_dbfs: float
    floor_visible: bool
    bright_floor_dbfs: float
    standing: Standing
    markers: tuple[tuple[float, float], ...] = ()


def _ahead(blocks: Iterable[Samples]) -> Iterator[Samples]:
    """The blocks, each read while the one before is worked on."""
    coming = iter(blocks)
    with ThreadPoolExecutor(1) as reader:
        following = reader.submit(next, coming, None)
        while (block := following.result()) is not None:
            following = reader.submit(next, coming, None)
            yield block


def analyse(blocks: Iterable[Samples], rate: int) -> Levels:
    """Levels from blocks of shape (frames, channels); one pass, one block in memory."""
    from oskren.core.slice.kernels import powers

    hop = max(1, round(rate * HOP_S))
    power: list[Samples] = []
    bright: list[Samples] = []
    left: Samples | None = None
    last: Samples | None = None
    frames, bands = 0, Measured(rate)
    for block in _ahead(blocks):
        if not len(block):
            continue
        bands.push(block)
        frames += len(block)
        joined = np.ascontiguousarray(block if left is None or not len(left) else np.concatenate([left, block]), np.float32)
        whole = len(joined) // hop
        left = joined[whole * hop :].copy()
        if last is None:
            last = joined[:1].copy()
        power.append(np.empty(whole, np.float32))
        bright.append(np.empty(whole, np.float32))
        powers(joined, hop, last, power[-1], bright[-1])
    all_power = np.concatenate(power) if power else np.zeros(0, np.float32)
    all_bright = np.concatenate(bright) if bright else np.zeros(0, np.float32)
    floor, visible = _floor(all_power)
    return Levels(all_power, all_bright, hop / rate, frames / rate, floor, visible, _floor(all_bright)[0], standing(bands.powers(), bands.hop_s))


def _floor(power: Samples) -> tuple[float, bool]:
    frame = round(noise.FRAME_S / HOP_S)
    whole = len(power) // frame
    frames = power[: whole * frame].reshape(whole, frame).mean(axis=1, dtype=np.float64) if whole else np.asarray(power, np.float64)
    measured = noise.noise_floor(frames).dbfs
    if measured is not None:
        return max(measured, -96.0), True
    heard = power[power > noise.SILENT_POWER]
    if not len(heard):
        return -96.0, False
    if len(heard) < 0.9 * len(power):
        return -96.0 + 12, True  # between the sounds lies digital silence
    return float(10 * np.log10(np.percentile(heard, 10))), False


def threshold(levels: Levels, settings: SliceSettings) -> float:
    """Opening threshold in dBFS."""
    return levels.floor_dbfs + settings.sensitivity_db
