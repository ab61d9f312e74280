"""Loops that go from sample to sample, compiled: what cannot be said as an operation on whole arrays.

Import this where it is needed, not at the top of a module: compiling takes a second the first time (kept beside the code afterwards),
loading a few tenths.
"""

from __future__ import annotations

import numpy as np
from numba import float32, float64, int64, njit, void

from oskren.core.types import Floats, Samples

_ONE, _TWO, _THREE = float64[::1], float64[:, ::1], float64[:, :, ::1]
_SAMPLES = float32[:, ::1]


@njit(float64(_ONE, float64, float64, float64), cache=True, nogil=True)
def follow(values: Floats, rising: float, falling: float, state: float) -> float:
    """One-pole smoothing in place, with a coefficient (0 to 1, what is kept) for values over the state and one for those under; the last state."""
    for i in range(len(values)):
        kept = rising if values[i] > state else falling
        state = kept * state + (1 - kept) * values[i]
        values[i] = state
    return state


@njit(void(_TWO, _ONE, _ONE, _ONE, _TWO), cache=True, nogil=True)
def filter_svf(samples: Floats, g: Floats, k: Floats, mix: Floats, state: Floats) -> None:
    """A state-variable filter in place, its setting given for every frame.

    samples (frames, channels); g = tan(pi f / rate); k = 1 / Q; mix: shares of low, band and high in what is given;
    state (channels, 2). Trapezoidal integrators: Zavalishin, The Art of VA Filter Design, 2012, chapter 4.
    """
    for channel in range(samples.shape[1]):
        s1, s2 = state[channel, 0], state[channel, 1]
        for i in range(samples.shape[0]):
            x = samples[i, channel]
            high = (x - (k[i] + g[i]) * s1 - s2) / (1 + g[i] * (k[i] + g[i]))
            band = g[i] * high + s1
            low = g[i] * band + s2
            s1, s2 = g[i] * high + band, g[i] * band + low
            samples[i, channel] = mix[0] * low + mix[1] * k[i] * band + mix[2] * high
        state[channel, 0], state[channel, 1] = s1, s2


@njit(void(_TWO, _TWO, int64, _TWO, float64, float64, _TWO, int64), cache=True, nogil=True)
def echo(samples: Floats, line: Floats, delay: int, turn: Floats, low: float, high: float, state: Floats, start: int) -> None:
    """What a delay line gives through a low-pass and a high-pass of first order, in place; so filtered it goes back into it.

    line (length, channels) is a ring whose length is at least delay; turn (channels, channels) what each channel gives back to each;
    low and high are the coefficients of the two filters (what is kept); state (channels, 2); start counts frames since the line was new.
    """
    length, channels = line.shape
    back = np.zeros(channels)
    for i in range(samples.shape[0]):
        there, here = (start + i - delay) % length, (start + i) % length
        for channel in range(channels):
            given = line[there, channel]
            state[channel, 0] += (1 - low) * (given - state[channel, 0])
            state[channel, 1] += (1 - high) * (state[channel, 0] - state[channel, 1])
            back[channel] = state[channel, 0] - state[channel, 1]
        for channel in range(channels):
            fed = samples[i, channel]
            for other in range(channels):
                fed += turn[other, channel] * back[other]
            samples[i, channel] = back[channel]
            line[here, channel] = fed


@njit(void(_TWO, _THREE, float64, float64, int64, _TWO), cache=True, nogil=True)
def sweep(line: Floats, swings: Floats, centre: float, feedback: float, lead: int, out: Floats) -> None:
    """Voices that read a delay line at moving places, between frames by a cubic through four of them (Lagrange).

    line (channels, lead + frames): what came before, then what comes in, to which what is heard is added; swings (channels, voices, frames) say
    how much later than the centre each voice is, all in frames: 2 at least, lead - 2 at most; out (channels, frames) is the mean of the voices.
    """
    channels, voices, frames = swings.shape
    for channel in range(channels):
        row = line[channel]
        for i in range(frames):
            total = 0.0
            for voice in range(voices):
                delay = max(2.0, centre + swings[channel, voice, i])
                whole = int(delay)
                t = delay - whole
                at = lead + i - whole
                a, b, c, d = row[at + 1], row[at], row[at - 1], row[at - 2]
                # Farrow's form: powers of t by Horner
                third = (d - a) / 6 + (b - c) / 2
                second = (a + c) / 2 - b
                first = c - a / 3 - b / 2 - d / 6
                total += ((third * t + second) * t + first) * t + b
            total /= voices
            out[channel, i] = total
            row[lead + i] += feedback * total


@njit(void(_TWO, _TWO, float64, int64, _TWO), cache=True, nogil=True)
def all_passes(samples: Floats, turns: Floats, feedback: float, stages: int, state: Floats) -> None:
    """A row of first-order all-passes in place, each turning the phase by 90 degrees where the same coefficient says; with feedback.

    turns (frames, channels): the coefficient (t - 1) / (t + 1) with t = tan(pi f / rate); state (channels, stages + 1).
    """
    for channel in range(samples.shape[1]):
        for i in range(samples.shape[0]):
            a = turns[i, channel]
            x = samples[i, channel] + feedback * state[channel, stages]
            for stage in range(stages):
                y = a * x + state[channel, stage]
                state[channel, stage] = x - a * y
                x = y
            state[channel, stages] = x
            samples[i, channel] = x


_RUN = 1024
"""Frames a filter goes over at a time, so that they stay near the processor."""


@njit(void(_SAMPLES, _SAMPLES, _SAMPLES), cache=True, nogil=True, fastmath=True)
def raise_rate(lanes: Samples, phases: Samples, out: Samples) -> None:
    """A higher rate by a polyphase filter: lanes (channels, frames), phases (times, taps) reversed, out (channels, (frames - taps + 1) times)."""
    times, taps = phases.shape
    frames = lanes.shape[1] - taps + 1
    held = np.empty(_RUN, np.float32)
    for lane in range(lanes.shape[0]):
        for first in range(0, frames, _RUN):
            count = min(_RUN, frames - first)
            for phase in range(times):
                held[:] = 0
                for k in range(taps):
                    tap = phases[phase, k]
                    part = lanes[lane, first + k : first + k + count]
                    for i in range(count):
                        held[i] += part[i] * tap
                for i in range(count):
                    out[lane, (first + i) * times + phase] = held[i]


@njit(void(float32[:, :, ::1], _SAMPLES, _SAMPLES), cache=True, nogil=True, fastmath=True)
def lower_rate(parts: Samples, phases: Samples, out: Samples) -> None:
    """Back to a lower rate: parts (channels, times, frames) are every so many frames of a sound, from each of the first on; phases (times, taps).

    out (channels, frames - taps + 1).
    """
    times, taps = phases.shape
    for lane in range(parts.shape[0]):
        for first in range(0, out.shape[1], _RUN):
            count = min(_RUN, out.shape[1] - first)
            held = out[lane, first : first + count]
            held[:] = 0
            for phase in range(times):
                for k in range(taps):
                    tap = phases[phase, k]
                    part = parts[lane, phase, first + k : first + k + count]
                    for i in range(count):
                        held[i] += part[i] * tap


@njit(int64(_SAMPLES, float64, int64, int64, _SAMPLES), cache=True, nogil=True)
def take_and_hold(samples: Samples, every: float, first: int, taken: int, held: Samples) -> int:
    """Hold, in place, samples that are taken every so many frames, not always a whole number; how many were taken since frame 0.

    first is the frame the block begins at, taken how many were taken before; held (1, channels) is the one that is held, kept for the next block.
    """
    following = int(np.ceil(taken * every - 1e-9))
    for i in range(samples.shape[0]):
        if first + i >= following:
            for channel in range(samples.shape[1]):
                held[0, channel] = samples[i, channel]
            while first + i >= following:
                taken += 1
                following = int(np.ceil(taken * every - 1e-9))
        for channel in range(samples.shape[1]):
            samples[i, channel] = held[0, channel]
    return taken


@njit(void(_SAMPLES, _ONE, int64, int64), cache=True, nogil=True)
def ride(samples: Samples, gains_db: Floats, stretch: int, first: int) -> None:
    """Multiply, in place, by gains that go in straight lines in dB from edge to edge, ``stretch`` frames apart; the last one goes on.

    first is the frame, counted from the first edge, the block begins at.
    """
    last = len(gains_db) - 1
    gain = factor = 1.0
    for i in range(samples.shape[0]):
        place, into = divmod(first + i, stretch)
        if i == 0 or into == 0:
            here = gains_db[min(place, last)]
            step = (gains_db[min(place + 1, last)] - here) / stretch
            gain = 10.0 ** ((here + step * into) / 20)
            factor = 10.0 ** (step / 20)
        for channel in range(samples.shape[1]):
            samples[i, channel] = np.float32(samples[i, channel] * gain)
        gain *= factor


@njit(void(float32[::1], float64, float64, _ONE), cache=True, nogil=True)
def needed(envelope: Samples, ceiling: float, deepest_db: float, needs: Floats) -> None:
    """Gains (dB, 0 or less) that hold an envelope under a ceiling (linear): for each frame by what lies on either side of it; needs (envelope - 1)."""
    for i in range(len(needs)):
        highest = max(envelope[i], envelope[i + 1])
        needs[i] = max(20.0 * np.log10(ceiling / highest), -deepest_db) if highest > ceiling else 0.0


@njit(void(_ONE, _ONE, float64, _SAMPLES, _SAMPLES), cache=True, nogil=True)
def held_down(needs: Floats, released: Floats, slope: float, samples: Samples, out: Samples) -> None:
    """Samples under gains that are held down ahead of what needs it, released by ``slope`` dB a frame and then averaged.

    needs (dB) go as far past ``samples`` as is looked ahead, or less at the end of the sound; released: the gains of as many frames
    before as are looked ahead, which become those before the next frame.
    """
    look, frames, known = len(released), len(samples), len(needs)
    before = released.copy()
    gains = np.empty(frames)
    # places of needs, each lower than all after it up to where it was looked
    size = 2
    while size < look + 2:
        size *= 2
    lowest, first, last, seen = np.empty(size, np.int64), 0, 0, 0
    total, state = before.sum(), before[look - 1]
    for i in range(frames):
        while seen < known and seen <= i + look:
            while last > first and needs[lowest[(last - 1) & (size - 1)]] >= needs[seen]:
                last -= 1
            lowest[last & (size - 1)] = seen
            last, seen = last + 1, seen + 1
        while last > first and lowest[first & (size - 1)] < i:
            first += 1
        held = needs[lowest[first & (size - 1)]] if last > first else 0.0
        state = min(held, state + slope)
        gains[i] = state
        total += state
        mean = total / (look + 1)
        gain = 10.0 ** (mean / 20.0) if mean < -1e-9 else 1.0
        total -= before[i] if i < look else gains[i - look]
        for channel in range(samples.shape[1]):
            out[i, channel] = np.float32(samples[i, channel] * gain)
    for k in range(look):
        at = frames - look + k
        released[k] = gains[at] if at >= 0 else before[look + at]
