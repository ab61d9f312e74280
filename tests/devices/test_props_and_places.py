"""The simulated props and places against the physics they are made from."""

import itertools
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from oskren.devices.places import EARS_APART_M, PLACES, SHIELD_DB, SPEED_OF_SOUND, Air, Place, at_microphones, passing_by, room
from oskren.devices.props import GLASS_HZ, GLASS_RATIOS, PROPS, minnaert_hz, modes, pascal, pulse_spectrum

RATE = 48_000
STILL = Place("nowhere", -60, 0, 0, 0, 0.0, -90, "", 0, 1e9, 100, 1000)


def db(value: float) -> float:
    return float(20 * np.log10(value))


def rms(wave: np.ndarray) -> float:
    return float(np.sqrt(np.mean(wave**2)))


def centre_hz(wave: np.ndarray) -> float:
    power = np.abs(np.fft.rfft(wave)) ** 2
    return float(np.sum(power * np.fft.rfftfreq(len(wave), 1 / RATE)) / np.sum(power))


def level_at(wave: np.ndarray, hz: float, width: float = 4.0) -> float:
    """Level (dB) of what lies within a few hertz of a frequency."""
    spectrum = np.abs(np.fft.rfft(wave * np.hanning(len(wave)))) / len(wave) * 4
    grid = np.fft.rfftfreq(len(wave), 1 / RATE)
    return db(np.max(spectrum[np.abs(grid - hz) < width]) + 1e-15)


class Props(unittest.TestCase):
    def test_at_least_five_and_each_its_own(self) -> None:
        self.assertGreaterEqual(len(PROPS), 5)
        centres = sorted(centre_hz(prop.play(0.7, 3, RATE)) for prop in PROPS.values())
        self.assertGreater(min(b / a for a, b in itertools.pairwise(centres)), 1.04)

    @settings(max_examples=15, deadline=None)
    @given(st.sampled_from(sorted(PROPS)), st.floats(0, 1), st.integers(0, 1000))
    def test_every_gesture_is_sound_of_the_level_it_says(self, key: str, effort: float, seed: int) -> None:
        prop = PROPS[key]
        wave = prop.play(effort, seed, RATE)
        self.assertTrue(np.isfinite(wave).all())
        wanted = prop.quietest_db + (prop.loudest_db - prop.quietest_db) * effort
        self.assertAlmostEqual(db(np.max(np.abs(wave)) / 20e-6), wanted, places=3)

    def test_the_same_seed_is_the_same_gesture_and_another_is_not(self) -> None:
        for key, prop in PROPS.items():
            with self.subTest(prop=key):
                np.testing.assert_array_equal(prop.play(0.5, 7, RATE), prop.play(0.5, 7, RATE))
                self.assertFalse(np.allclose(prop.play(0.5, 7, RATE), prop.play(0.5, 8, RATE)))

    def test_glass_rings_at_the_modes_of_a_vessel(self) -> None:
        """Ratios of a wine glass, French 1983 (from memory): 1, 2.32, 4.25, 6.63 times the lowest."""
        wave = PROPS["glass"].play(0.8, 1, RATE)[round(0.05 * RATE) : round(1.05 * RATE)]
        for ratio in GLASS_RATIOS[:4]:
            with self.subTest(ratio=ratio):
                at = level_at(wave, GLASS_HZ * ratio, GLASS_HZ * ratio * 0.008)
                self.assertGreater(at, level_at(wave, GLASS_HZ * ratio * 1.13) + 18)

    def test_a_harder_strike_is_a_shorter_contact_and_brighter(self) -> None:
        """Hertz's contact: the half-sine pulse has its first zero at 1.5 over its length."""
        hz = np.linspace(0, 6000, 6001)
        spectrum = pulse_spectrum(hz, 0.5e-3)
        self.assertAlmostEqual(hz[1:][np.argmin(spectrum[1:4000])], 3000, delta=2)
        self.assertAlmostEqual(float(pulse_spectrum(np.array([1000.0]), 0.5e-3)[0]), np.pi / 4, places=6)
        soft, hard = (np.mean([centre_hz(PROPS["glass"].play(effort, seed, RATE)[:9600]) for seed in range(6)]) for effort in (0.1, 1.0))
        self.assertGreater(hard, soft * 1.02)

    def test_effort_turns_the_gears_faster(self) -> None:
        def strokes(effort: float) -> int:
            wave = np.abs(PROPS["brass"].play(effort, 2, RATE))
            smooth = np.convolve(wave, np.ones(96) / 96, "same")
            return int(np.sum((smooth[1:] > 0.25 * smooth.max()) & (smooth[:-1] <= 0.25 * smooth.max())))

        self.assertGreater(strokes(0.9), 1.5 * strokes(0.1))

    def test_bubbles_have_the_pitch_of_their_size(self) -> None:
        """Minnaert 1933: a bubble of 1 mm radius in water sounds at about 3.26 kHz."""
        self.assertAlmostEqual(float(minnaert_hz(1e-3)), 3260, delta=1)
        soft, hard = (centre_hz(PROPS["water"].play(effort, 4, RATE)) for effort in (0.1, 1.0))
        self.assertGreater(soft, hard)  # more effort, larger bubbles

    def test_bellows_brighten_with_the_flow(self) -> None:
        """Strouhal: the peak of turbulence moves up with the speed of the flow."""
        self.assertGreater(centre_hz(PROPS["bellows"].play(1.0, 5, RATE)), 1.3 * centre_hz(PROPS["bellows"].play(0.2, 5, RATE)))

    def test_modes_fall_by_sixty_decibels_in_the_time_stated(self) -> None:
        wave = modes(np.array([1000.0]), np.array([1.0]), np.array([0.5]), 0.7, RATE)
        window = round(0.01 * RATE)
        early, late = rms(wave[:window]), rms(wave[round(0.5 * RATE) : round(0.5 * RATE) + window])
        self.assertAlmostEqual(db(late / early), -60, delta=0.1)

    def test_a_pascal_is_ninety_four_decibels(self) -> None:
        self.assertAlmostEqual(pascal(93.979), 1.0, places=3)


class Places(unittest.TestCase):
    def test_direct_sound_falls_by_six_decibels_when_the_distance_doubles(self) -> None:
        click = np.zeros(1000)
        click[0] = 1.0
        near, far = (np.max(np.abs(at_microphones(click, STILL, metres, 0, RATE))) for metres in (1.0, 2.0))
        self.assertAlmostEqual(db(far / near), -6.02, delta=0.01)
        self.assertAlmostEqual(near, 1.0, places=6)

    def test_sound_needs_its_time(self) -> None:
        click = np.ones(1)
        heard = at_microphones(click, STILL, 3.43, 0, RATE)
        self.assertEqual(int(np.argmax(heard[:, 0])), round(3.43 / SPEED_OF_SOUND * RATE))
        left = at_microphones(click, STILL, 2.0, -90, RATE)
        apart = int(np.argmax(left[:, 1])) - int(np.argmax(left[:, 0]))
        self.assertAlmostEqual(apart / RATE, EARS_APART_M / SPEED_OF_SOUND, delta=2 / RATE)

    def test_the_room_answers_as_long_and_as_loud_as_it_says(self) -> None:
        """Decay by backward integration (Schroeder 1965), taken from -5 to -35 dB as ISO 3382-1 asks for T30."""
        for place in PLACES.values():
            if place.decay_s <= 0:
                self.assertEqual(len(room(place, RATE)), 0)
                continue
            with self.subTest(place=place.name):
                response = room(place, RATE)
                energy = np.cumsum(response[::-1, 0] ** 2)[::-1]
                curve = 10 * np.log10(energy / energy[0])
                start, end = (int(np.argmax(curve <= level)) for level in (-5, -35))
                self.assertAlmostEqual(2 * (end - start) / RATE / place.decay_s, 1.0, delta=0.08)
                self.assertAlmostEqual(10 * np.log10(np.sum(response**2) / 2), place.reverberant_db, delta=0.5)

    def test_further_away_there_is_more_room_to_it(self) -> None:
        click = np.ones(1)
        place = PLACES["sluice cellar"]

        def direct_share(metres: float) -> float:
            heard = at_microphones(click, place, metres, 0, RATE)[:, 0]
            at = round(metres / SPEED_OF_SOUND * RATE)
            return float(heard[at] ** 2 / np.sum(heard[at + 100 :] ** 2))

        self.assertGreater(direct_share(0.5), 30 * direct_share(6.0))

    def test_hum_lies_on_the_mains_and_its_harmonics(self) -> None:
        air = Air(PLACES["lamp gallery"], RATE, shielded=True)
        wave = np.concatenate([air.block(4800) for _ in range(40)])[:, 0]
        for hz in (100, 150):
            self.assertGreater(level_at(wave, hz, 1), level_at(wave, hz + 25, 4) + 12)
        self.assertAlmostEqual(level_at(wave, 100, 1) - db(pascal(48)), -5 + 3.01, delta=1.5)

    def test_a_shield_takes_the_wind_down(self) -> None:
        levels = []
        for shielded in (False, True):
            air = Air(PLACES["causeway"], RATE, seed=3, shielded=shielded)
            levels.append(rms(np.concatenate([air._wind(4800) for _ in range(60)])))
        self.assertAlmostEqual(db(levels[0] / levels[1]), SHIELD_DB, delta=0.1)

    def test_wind_is_low_and_comes_in_gusts(self) -> None:
        air = Air(PLACES["causeway"], RATE, seed=5)
        wave = np.concatenate([air._wind(4800) for _ in range(200)])[:, 0]
        self.assertLess(centre_hz(wave), 90)
        second = [rms(part) for part in np.split(wave, 20)]
        self.assertGreater(db(max(second) / min(second)), 6)

    def test_what_passes_comes_and_goes(self) -> None:
        wave = passing_by(PLACES["causeway"], 2, RATE)
        loud = np.array([rms(part) for part in np.split(wave[: len(wave) // 14 * 14], 14)])
        self.assertIn(int(np.argmax(loud)), range(4, 10))
        self.assertLess(db(loud[0] / loud.max()), -6)
        self.assertLess(db(loud[-1] / loud.max()), -6)

    def test_passing_is_announced_while_it_lasts(self) -> None:
        air = Air(PLACES["causeway"], RATE, seed=1)
        said = []
        for _ in range(120):
            air.block(RATE)
            said.append(air.passing)
        self.assertIn("a tide cart", said)
        self.assertIn("", said)

    def test_blocks_of_any_size_join_without_a_gap(self) -> None:
        """What was played lies in the air whole, however it is asked for."""
        gesture = PROPS["glass"].play(0.5, 1, RATE)[:RATE]
        wave = np.stack([gesture, gesture], axis=1)
        for sizes in ([RATE], [777] * 62, [1, 4095, 30_000, 20_000]):
            air = Air(STILL, RATE, seed=1)
            air.add(wave)
            heard = np.concatenate([air.block(size) for size in sizes])[:RATE]
            np.testing.assert_allclose(heard[: len(wave)], wave[: len(heard)], atol=pascal(-40))
