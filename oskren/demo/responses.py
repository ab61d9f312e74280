"""What rooms and things of the Saltglass Observatory answer to a click: impulse responses, to convolve other sounds with."""

from __future__ import annotations

from oskren.demo.scenario import Recording
from oskren.demo.synth import Maker, Wave


def _gallery(m: Maker, seconds: float) -> Wave:
    """What a paper bag that was burst in the lamp gallery left: a knock off its panes, and a tail that is bright and fades evenly."""
    out = m.band(m.coloured(seconds, 1.5), 90, 14_000) * 10 ** (-3 * m.time(seconds) / 1.6) * 0.25
    for k in range(26):
        i = round((0.004 + 0.06 * (k / 26) ** 1.4) * m.rate)
        out[i] += (1 if k % 3 else -1) * 3.5 * (1 - k / 30)
    out[0] += 8
    return out


def _horn(m: Maker, seconds: float) -> Wave:
    """A click through a brass horn: the few partials of its air, soon gone, and the edge of its bell."""
    return m.modes(seconds, 410, [1, 1.98, 2.93, 3.9, 4.8, 5.9], 0.09, 0.85, 0.004, 0.05)


RESPONSES = [
    Recording("Rooms", "Lamp gallery, response", 48000, 24, -1.0, "Ambience", "impulse response bright", 3, lambda m: _gallery(m, 2.2)),
    Recording("Rooms", "Brass horn, response", 48000, 24, -1.0, "Metal", "impulse response small", 3, lambda m: _horn(m, 0.2)),
]
