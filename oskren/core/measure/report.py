"""Everything Oskren measures of a sound, in one pass that holds one block at a time."""

from __future__ import annotations

import math
from collections.abc import Iterable
from pathlib import Path

import numpy as np
from pydantic import BaseModel, ConfigDict

from oskren.core.audio import files
from oskren.core.audio.layouts import layout_of, to_mono
from oskren.core.measure import anchor, key, levels, likeness, loudness, noise, pitch, spectrum, strength, timbre
from oskren.core.measure.true_peak import TruePeak
from oskren.core.types import Samples

HEAD_S = 60.0
"""Pitch, bandwidth and spectrum look at most at this much sound (s); level and loudness at all of it."""


class Measures(BaseModel):
    """Measured facts of a sound; None where a value cannot be had."""

    model_config = ConfigDict(frozen=True)

    sample_peak_dbfs: float | None = None
    true_peak_dbtp: float | None = None
    rms_dbfs: float | None = None
    integrated_lufs: float | None = None
    loudness_padded: bool = False
    max_momentary_lufs: float | None = None
    max_short_term_lufs: float | None = None
    loudness_range_lu: float | None = None
    noise_floor_dbfs: float | None = None
    bandwidth_hz: float | None = None
    brightness_hz: float | None = None
    flatness: float | None = None
    pitch_hz: float | None = None
    pitch_confidence: float | None = None
    anchor_s: float = 0.0
    anchor_kind: anchor.Kind = "start"
    clipped_samples: int = 0
    dc_offset: float = 0.0
    correlation: float | None = None
    """How left and right of two channels agree: 1 is mono, -1 vanishes in mono."""
    attack_s: float | None = None
    bands_db: tuple[float, ...] = ()
    timbre: tuple[float, ...] = ()
    force: float | None = None
    key: str | None = None
    key_confidence: float | None = None
    notes: int = 0

    def described(self) -> dict[str, object]:
        """What ``oskren measure`` prints: without what only serves likeness, strength and the key filter."""
        return self.model_dump(exclude={"correlation", "attack_s", "bands_db", "timbre", "force", "key", "key_confidence", "notes"})


class SlowMeasures(BaseModel):
    """What is measured after the row has appeared: pitch, usable bandwidth, key."""

    pitch_hz: float | None = None
    pitch_confidence: float | None = None
    bandwidth_hz: float | None = None
    key: str | None = None
    key_confidence: float | None = None
    notes: int = 0


def pitch_of(mono: Samples, rate: int) -> dict[str, float | None]:
    """Fundamental (Hz) of a sound of shape (n,) and how sure it is, as they are kept among its measures."""
    hz, sure = pitch.fundamental(mono, rate)
    return {"pitch_hz": _rounded(hz), "pitch_confidence": _rounded(sure)}


def slow_measures(mono: Samples, rate: int) -> SlowMeasures:
    """Pitch, bandwidth and key of a sound of shape (n,)."""
    found = key.estimate(mono, rate)
    return SlowMeasures(
        **pitch_of(mono, rate),
        bandwidth_hz=_rounded(spectrum.bandwidth(mono, rate), 1),
        key=found.name if found else None,
        key_confidence=found.confidence if found else None,
        notes=found.notes if found else 0,
    )


def slow_measures_of_file(path: Path, layout: str | None = None) -> SlowMeasures:
    """Pitch, bandwidth and key of the first 60 s of a file."""
    info = files.probe(path)
    parts = [to_mono(block, layout) for block in files.blocks(path, 0, round(HEAD_S * info.rate))]
    return slow_measures(np.concatenate(parts)[:, 0], info.rate)


def _decibels(value: float) -> float | None:
    return round(levels.db(value), 3) if value > 1e-10 else None


def _rounded(value: float | None, digits: int = 3) -> float | None:
    return None if value is None or not math.isfinite(value) else round(value, digits)


class Measuring:
    """Measures a sound fed in blocks of shape (frames, channels), in order; ``finish`` gives the result.

    True peak, which takes a third of the time, can be left out.
    """

    def __init__(self, rate: int, channels: int, layout: str | None = None, *, true_peak: bool = True):
        self.rate, self.channels = rate, channels
        self._layout = layout or layout_of(channels)
        self._powers = loudness.Powers(rate, channels, self._layout)
        self._frames = 0
        self._peak = self._squares = 0.0
        self._true = TruePeak(rate) if true_peak else None
        self._sum = np.zeros(channels)
        self._pair = np.zeros(3)
        self._clipped = 0
        self._shape = spectrum.Shape()
        self._head: list[Samples] = []
        self._head_left = round(HEAD_S * rate)
        self._floor: list[np.ndarray[tuple[int], np.dtype[np.float64]]] = []
        self._envelope: list[np.ndarray[tuple[int], np.dtype[np.float64]]] = []

    def add(self, block: Samples) -> None:
        self._frames += len(block)
        self._peak = max(self._peak, levels.peak(block))
        if self._true is not None:
            self._true.add(block)
        self._squares += levels.rms(block) ** 2 * block.size
        self._sum += block.sum(axis=0, dtype=np.float64)
        if self.channels == 2:
            self._pair += levels.pair_products(block)
        self._clipped += levels.clipped_samples(block)
        self._powers.add(block)
        self._floor.append(noise.frame_powers(block, self.rate))
        self._envelope.append(anchor.envelope(block, self.rate))
        if self._head_left > 0:
            mono = to_mono(block[: self._head_left], self._layout)[:, 0]
            self._head_left -= len(mono)
            self._head.append(mono)

    def finish(self, *, slow: bool = True, anchored: bool = False) -> Measures:
        """The measures; ``slow=False`` leaves out pitch and bandwidth, which may follow later, ``anchored`` the anchor, where it is known."""
        padded = self._frames < self._powers.step * 4
        if padded:
            self._powers.fill_up(self._powers.step * 4 - self._frames)
        loud = loudness.summarise(self._powers.steps(), padded)
        mono = np.concatenate(self._head) if self._head else np.zeros(0, np.float32)
        sounds = self._peak > 1e-10
        mags = spectrum.magnitudes(mono) if sounds else np.zeros((0, 2), np.float32)
        shape = spectrum.shape(mags, self.rate) if sounds else spectrum.Shape()
        envelope = np.concatenate(self._envelope) if self._envelope else np.zeros(0)
        found, rising = anchor.Anchor(0.0, "start") if anchored else anchor.propose(envelope), anchor.attack(envelope)
        powers = likeness.bin_powers(mags)
        slowly = slow_measures(mono, self.rate) if slow and sounds else SlowMeasures()
        floor = noise.noise_floor(np.concatenate(self._floor)) if self._floor else None
        offset = self._sum / max(1, self._frames)
        return Measures(
            sample_peak_dbfs=_decibels(self._peak),
            true_peak_dbtp=None if self._true is None else _decibels(self._true.value()),
            rms_dbfs=_decibels(math.sqrt(self._squares / max(1, self._frames * self.channels))),
            integrated_lufs=_rounded(loud.integrated_lufs),
            loudness_padded=padded,
            max_momentary_lufs=_rounded(loud.max_momentary_lufs),
            max_short_term_lufs=_rounded(loud.max_short_term_lufs),
            loudness_range_lu=_rounded(loud.range_lu),
            noise_floor_dbfs=_rounded(floor.dbfs if floor else None),
            brightness_hz=_rounded(shape.brightness_hz, 1),
            flatness=_rounded(shape.flatness_mean, 6),
            anchor_s=round(min(found.seconds, self._frames / self.rate), 6),
            anchor_kind=found.kind,
            clipped_samples=self._clipped,
            dc_offset=round(float(offset[np.argmax(np.abs(offset))]), 7) if self._frames else 0.0,
            correlation=_rounded(levels.correlation_of(self._pair)),
            attack_s=_rounded(rising.seconds, 4) if sounds else None,
            bands_db=likeness.band_levels(powers, self.rate) if sounds else (),
            timbre=timbre.timbre(mono, self.rate, self._frames / self.rate) if sounds else (),
            force=strength.force(_rounded(loud.max_momentary_lufs), rising.rise_db, likeness.low_share(powers, self.rate)) if sounds else None,
            **slowly.model_dump(),
        )


def measure(samples: Samples, rate: int, layout: str | None = None, *, slow: bool = True) -> Measures:
    """Measure samples of shape (frames, channels).

    Parameters
    ----------
    samples : array, shape (frames, channels)
        Amplitudes, 1.0 at full scale.
    rate : int
        Sample rate in Hz.
    layout : str, optional
        The layout of the channels; the usual one of so many when left out.
    slow : bool
        Measure pitch and key too, which take longest.

    Returns
    -------
    Measures
        Levels in dBFS, dBTP and LUFS, frequencies in Hz, moments in s; None where there is nothing to measure.

    Examples
    --------
    >>> import numpy as np
    >>> found = measure(np.full((4800, 1), 0.5, np.float32), 48_000, slow=False)
    >>> round(found.sample_peak_dbfs, 2), round(found.dc_offset, 2)
    (-6.02, 0.5)
    """
    return measure_blocks([samples], rate, samples.shape[1], layout, slow=slow)


def measure_blocks(
    parts: Iterable[Samples], rate: int, channels: int, layout: str | None = None, *, slow: bool = True, anchored: bool = False, true_peak: bool = True
) -> Measures:
    """Measure a sound given in blocks."""
    measuring = Measuring(rate, channels, layout, true_peak=true_peak)
    for part in parts:
        measuring.add(part)
    return measuring.finish(slow=slow, anchored=anchored)


class FileMeasures(Measures):
    """Measures of a file with what its header says; the answer of ``oskren measure``."""

    path: str
    duration_s: float
    frames: int
    sample_rate: int
    channels: int
    bit_depth: int | None


def measure_file(path: Path) -> FileMeasures:
    """Measure a file; raises AudioFileError with the reason when it cannot be used."""
    info = files.probe(path)
    # block edges fall on whole 50 ms frames, so that the floor does not depend on the block size
    size = max(1, round(info.rate * noise.FRAME_S)) * 100
    facts = measure_blocks(files.blocks(path, size=size), info.rate, info.channels, info.layout)
    return FileMeasures(
        path=str(path), duration_s=info.seconds, frames=info.frames, sample_rate=info.rate, channels=info.channels, bit_depth=info.bits, **facts.model_dump()
    )
