"""Time code against SMPTE ST 12-1 (values from memory), an independent count, and its own inverse."""

import doctest
import unittest
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from oskren.core import timecode
from oskren.core.errors import OskrenError
from oskren.core.timecode import FRAME_RATES, FrameRate, code_of, frame_at, frame_of, moment_of

RATES = st.sampled_from(sorted(FRAME_RATES))
DAY_S = 24 * 3600


def counted(rate: FrameRate, minutes: int) -> list[str]:
    """Codes one after the other, as the standard words it: numbers 00 to 01 (03) are left out at every minute but each tenth."""
    found = []
    for minute in range(minutes):
        for second in range(60):
            for frame in range(rate.nominal):
                if second == 0 and frame < rate.dropped and minute % 10:
                    continue
                found.append(f"{minute // 60:02d}:{minute % 60:02d}:{second:02d}{';' if rate.dropped else ':'}{frame:02d}")
    return found


class TimeCode(unittest.TestCase):
    def test_values_of_the_standard(self) -> None:
        drop = FRAME_RATES["29.97 drop"]
        self.assertEqual(code_of(1800, drop), "00:01:00;02")
        self.assertEqual(frame_of("00:10:00;00", drop), 17_982)
        self.assertEqual(frame_of("01:00:00;00", drop), 107_892)
        self.assertEqual(frame_of("01:00:00;00", FRAME_RATES["59.94 drop"]), 215_784)
        self.assertEqual(frame_of("01:00:00:00", FRAME_RATES["29.97"]), 108_000)
        # after a day the count is 2.6 frames off the clock, without dropping 86.5 s
        self.assertLess(abs(float(frame_of("24:00:00;00", drop) / drop.rate) - DAY_S), 0.1)
        self.assertAlmostEqual(float(Fraction(frame_of("24:00:00:00", FRAME_RATES["29.97"])) / drop.rate) - DAY_S, 86.4, places=3)

    def test_every_frame_of_two_hours_is_counted_one_by_one(self) -> None:
        for name in ("29.97 drop", "59.94 drop", "23.976"):
            rate = FRAME_RATES[name]
            for frame, code in enumerate(counted(rate, 121)):
                if code_of(frame, rate) != code or frame_of(code, rate) != frame:
                    self.fail(f"{name}: frame {frame} is {code_of(frame, rate)}, counted {code}, which reads {frame_of(code, rate)}")

    @given(RATES, st.integers(-10_000_000, 10_000_000))
    def test_there_and_back(self, name: str, frame: int) -> None:
        rate = FRAME_RATES[name]
        self.assertEqual(frame_of(code_of(frame, rate), rate), frame)
        self.assertEqual(frame_at(moment_of(frame, rate), rate), frame)
        self.assertEqual(frame_at(moment_of(frame, rate) + 0.98 / float(rate.rate), rate), frame)

    def test_what_is_no_time_code_is_said(self) -> None:
        for code, rate, said in (
            ("00:01:00;00", "29.97 drop", "left out in drop-frame"),
            ("00:00:00:25", "25", "has 25 frames"),
            ("1:2:3", "25", "no time code"),
            ("", "25", "no time code"),
            ("00:61:00:00", "25", "no time code"),
        ):
            with self.subTest(code=code), self.assertRaisesRegex(OskrenError, said):
                frame_of(code, FRAME_RATES[rate])

    def test_the_example(self) -> None:
        self.assertEqual(doctest.testmod(timecode).failed, 0)


if __name__ == "__main__":
    unittest.main()
