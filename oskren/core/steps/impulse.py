"""Convolution with another sound: a room that was recorded, or anything that is to colour."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from oskren.core.audio.layouts import convert
from oskren.core.controls import number
from oskren.core.steps.base import Context, Params, StepKind, Stream, Summary, register
from oskren.core.steps.convolving import Convolution, amplitudes
from oskren.core.types import Samples


class ImpulseParams(Params):
    longest_s: float = number(3.0, 0.02, 20, "s", "Used up to", "log", 2)
    pre_delay_ms: float = number(0.0, 0, 250, "ms", "Pre-delay")
    wet_db: float = number(-10.0, -60, 12, "dB", "Wet")
    dry_db: float = number(0.0, -60, 6, "dB", "Dry")


RINGS_DB = 15.0
"""Most gain a convolution has at any frequency before its wet level (own rule): a sound of a few tones would else come out 30 dB louder."""


@register
class Impulse(StepKind):
    """Convolves the sound with another sound of yours: a recorded room response, or anything that is to colour it."""

    key, label, family, params, analyses = "impulse", "Convolution", "Space", ImpulseParams, True
    words = "reverb impulse response room cabinet resonator colour through convolve further away"
    beside = "impulse response"
    learns_by = ("longest_s",)
    moving = ("wet_db", "dry_db")
    settings = {"only what it colours": {"dry_db": -60.0, "wet_db": 0.0}, "a little of it": {"wet_db": -18.0}}

    def _frames(self, params: ImpulseParams, rate: int) -> int:
        return max(1, round(params.longest_s * rate))

    def _delay(self, params: ImpulseParams, rate: int) -> int:
        return round(params.pre_delay_ms / 1000 * rate)

    def analyse(self, params: ImpulseParams, blocks: Iterator[Samples], at: Context) -> Summary:
        """Learns from the other sound: its beginning, up to the longest, each channel of unit energy at most (all by one gain).

        A room of unit energy is some 10 dB over that at single frequencies; what rings at a few is lowered until it is no more than ``RINGS_DB`` over.
        """
        from scipy.fft import rfft

        wanted, parts, have = self._frames(params, at.rate), [], 0
        for block in blocks:
            parts.append(block[: wanted - have])
            have += len(parts[-1])
            if have >= wanted:
                break
        found = np.concatenate(parts) if parts else np.zeros((1, at.channels), np.float32)
        loudest = math.sqrt(float(np.square(found, dtype=np.float64).sum(axis=0).max(initial=0.0)))
        rings = float(np.abs(rfft(found, axis=0)).max(initial=0.0))
        loudest = max(loudest, rings * 10 ** (-RINGS_DB / 20))
        return {"impulse": found / np.float32(loudest or 1.0), "rate": np.array(at.rate), "layout": np.array([at.named])}

    def found(self, summary: Summary) -> str:
        return f"{len(summary['impulse']) / int(summary['rate']):.2f} s" if summary else "no impulse response is chosen; the sound passes"

    def out_frames(self, params: ImpulseParams, at: Context) -> int:
        return at.frames + self._frames(params, at.rate) + self._delay(params, at.rate)

    def lead(self, params: ImpulseParams, at: Context) -> int:
        return self.out_frames(params, at) - at.frames

    def stream(self, params: ImpulseParams, summary: Summary, at: Context, position: int) -> Stream:
        frames = self._frames(params, at.rate) + self._delay(params, at.rate)
        impulse: Samples = np.zeros((frames + 1, at.channels), np.float32)
        if summary:
            own = summary["impulse"]
            if int(summary["rate"]) != at.rate:
                import soxr

                # a response is a density over time: at another rate its samples scale with the rate, so that its gain stays
                own = soxr.resample(own, int(summary["rate"]), at.rate, "VHQ") * (int(summary["rate"]) / at.rate)
            if own.shape[1] != at.channels:
                own = np.repeat(own, at.channels, axis=1) if own.shape[1] == 1 else convert(own, at.named, str(summary["layout"][0]))
            own = own[: self._frames(params, at.rate)]
            delay = self._delay(params, at.rate)
            impulse[delay : delay + len(own)] = own
        return Convolution(impulse, amplitudes(params, at, "wet_db"), amplitudes(params, at, "dry_db"), position)
