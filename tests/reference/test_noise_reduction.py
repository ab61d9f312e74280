"""Noise reduction beside noisereduce and plain spectral subtraction on mixes of the fixed corpus, at the same reduction."""

import itertools
import unittest

import noisereduce
import numpy as np
from scipy import signal

from bench.corpus import STRUCK, Case, attack_kept_db, cases, gain_wobble, pink, si_sdr, subtraction
from oskren.core.steps import Context, kind_of
from oskren.core.steps.noise import BIAS_HZ, NoiseParams, bias_curve, follow_noise, learn
from oskren.demo.synth import Maker
from tests.support import RATE

SECONDS = 6
REDUCTION = 15.0
SOME = ("Kiln door, hinge squeal", "Brass ratchet, quick", "Bellows, out breath")
"""Effects of the corpus that are hardest on the estimate; `make bench` judges all of them."""


def reduced(mix: np.ndarray, quiet: slice | None = None, **more: object) -> np.ndarray:
    kind, samples = kind_of("noise_reduction"), mix.astype(np.float32)[:, None]
    part = (0.0, (quiet.stop / RATE) if quiet else 0.7)
    params = NoiseParams.model_validate({"reduction_db": REDUCTION, "parts": (part,), "low_bias_db": 0.0, "high_bias_db": 0.0, **more})
    at = Context(RATE, 1, len(samples))
    stream = kind.stream(params, kind.analyse(params, iter([samples]), at), at, 0)
    return np.concatenate([stream.push(samples), stream.flush()])[:, 0].astype(np.float64)


def peer(case: Case) -> np.ndarray:
    quiet = case.mix[case.quiet]
    return np.asarray(noisereduce.reduce_noise(y=case.mix, sr=RATE, y_noise=quiet, stationary=True, prop_decrease=1 - 10 ** (-REDUCTION / 20)))


class BesideOthers(unittest.TestCase):
    def test_gain_over_both_attacks_and_steadiness_on_the_corpus(self) -> None:
        chosen = [case for case in cases() if case.effect in SOME and case.snr != 10]
        self.assertEqual(len(chosen), 18)
        for case in chosen:
            ours, plain = reduced(case.mix, case.quiet), subtraction(case.mix, case.mix[case.quiet], REDUCTION)
            with self.subTest(effect=case.effect, noise=case.noise, snr=case.snr):
                before, judged = si_sdr(case.clean, case.mix), si_sdr(case.clean, ours)
                self.assertGreater(judged, si_sdr(case.clean, plain) + (0.7 if case.snr == 20 else 1.2))
                self.assertGreater(judged, si_sdr(case.clean, peer(case)))
                self.assertGreater(judged, before + 3)
                self.assertLess(gain_wobble(case, ours), 0.5 * gain_wobble(case, plain))
                if case.effect in STRUCK:
                    self.assertLess(abs(attack_kept_db(case, ours)), 0.5)

    def test_the_gentle_default_makes_nothing_worse(self) -> None:
        for case in itertools.islice(cases(), 0, None, 5):
            with self.subTest(effect=case.effect, noise=case.noise, snr=case.snr):
                gentle = reduced(case.mix, case.quiet, reduction_db=6.0, low_bias_db=3.0, high_bias_db=3.0)
                self.assertGreater(si_sdr(case.clean, gentle), si_sdr(case.clean, case.mix))


def hits(random: np.random.Generator) -> np.ndarray:
    out = np.zeros(SECONDS * RATE)
    for k in range(8):
        at = round((0.8 + 0.62 * k) * RATE)
        t = np.arange(min(RATE // 2, len(out) - at)) / RATE
        out[at : at + len(t)] += 0.3 * random.standard_normal(len(t)) * np.exp(-t * 18) + sum(
            0.1 * np.sin(2 * np.pi * hz * (1 + 0.1 * k) * t) * np.exp(-t * 8) for hz in (820, 1730, 2990)
        )
    return out


class Character(unittest.TestCase):
    def setUp(self) -> None:
        random = np.random.default_rng(11)
        self.clean = hits(random)
        self.mix = self.clean + pink(Maker(11, RATE), SECONDS) * 0.004

    def test_noise_goes_down_by_what_was_asked(self) -> None:
        for asked in (3.0, 6.0, 12.0):
            out = reduced(self.mix, reduction_db=asked)
            change = 20 * np.log10(np.std(out[4800:33_000]) / np.std(self.mix[4800:33_000]))
            with self.subTest(asked=asked):
                self.assertAlmostEqual(change, -asked, delta=1.2)

    def test_attacks_keep_their_energy(self) -> None:
        out = reduced(self.mix)
        for k in range(8):
            at = round((0.8 + 0.62 * k) * RATE)
            part = slice(at, at + 960)
            self.assertGreater(10 * np.log10(np.sum(out[part] ** 2) / np.sum(self.clean[part] ** 2)), -1.0)

    def test_no_musical_noise(self) -> None:
        """In noise-only parts the level of single cells varies no more than in the noise itself: no chirps are left."""
        out = reduced(self.mix)

        def wobble(samples: np.ndarray) -> float:
            power = np.abs(signal.stft(samples[4800:33_000], RATE, nperseg=1024)[2][10:300]) ** 2
            return float(np.std(power) / np.mean(power))

        self.assertLess(wobble(out), 1.6 * wobble(self.mix))

    def test_what_is_removed_and_what_is_kept_make_the_whole(self) -> None:
        out = reduced(self.mix).astype(np.float32)
        removed = self.mix.astype(np.float32) - out
        np.testing.assert_allclose(removed + out, self.mix.astype(np.float32), atol=1e-6)

    def test_no_reduction_changes_nothing(self) -> None:
        np.testing.assert_allclose(reduced(self.mix, reduction_db=0.0), self.mix, atol=2e-6)

    def test_bias_lets_each_band_down_by_more(self) -> None:
        plain = reduced(self.mix)
        for name, low, high in (("low", 30, 90), ("low_mid", 340, 460), ("mid", 1350, 1650), ("high_mid", 4200, 4800), ("high", 11_000, 18_000)):
            biased = reduced(self.mix, **{f"{name}_bias_db": 8.0})
            band = signal.butter(2, [low, high], "bandpass", fs=RATE, output="sos")
            change = [20 * np.log10(np.std(signal.sosfilt(band, one)[6000:33_000])) for one in (plain, biased)]
            with self.subTest(band=name):
                self.assertLess(change[1] - change[0], -4)

    def test_the_bias_curve_goes_through_its_bands(self) -> None:
        params = NoiseParams(low_bias_db=1, low_mid_bias_db=2, mid_bias_db=-3, high_mid_bias_db=4, high_bias_db=5)
        np.testing.assert_allclose(bias_curve(params, np.array(BIAS_HZ)), [1, 2, -3, 4, 5])
        np.testing.assert_allclose(bias_curve(params, np.array([1.0, 50.0, 24_000.0])), [1, 1, 5])

    def test_several_parts_make_one_profile(self) -> None:
        samples = self.mix.astype(np.float32)[:, None]
        one, two = samples[:16_000], samples[16_000:33_000]
        together = learn([one, two], RATE)[0]
        apart = [learn(part, RATE)[0] for part in (one, two)]
        frames = [(len(part) - 2048) // 512 + 1 for part in (one, two)]
        np.testing.assert_allclose(together, (frames[0] * apart[0] + frames[1] * apart[1]) / sum(frames), rtol=1e-5)

    def test_a_part_stated_by_its_ends_is_the_same(self) -> None:
        """Chains kept before several parts were possible."""
        self.assertEqual(NoiseParams.model_validate({"start_s": 0.25, "end_s": 1}).parts, ((0.25, 1.0),))
        self.assertEqual(NoiseParams.model_validate({"start_s": None, "end_s": None}).parts, ())

    def test_sensitivity_takes_more_or_less_for_noise(self) -> None:
        faint = self.mix.copy()
        t = np.arange(len(faint)) / RATE
        faint += 0.0006 * np.sin(2 * np.pi * 1500 * t) * (t > 3)
        kept = [np.abs(np.dot(reduced(faint, sensitivity_db=db)[4 * RATE :], np.exp(-2j * np.pi * 1500 * t[4 * RATE :]))) for db in (-6.0, 0.0, 10.0)]
        self.assertGreater(kept[0], kept[1])
        self.assertGreater(kept[1], 1.3 * kept[2])

    def test_without_the_guard_attacks_lose(self) -> None:
        at = round(0.8 * RATE)
        energy = [np.sum(np.square(reduced(self.mix, guard=guard, sensitivity_db=10.0)[at : at + 480])) for guard in (0.0, 1.0)]
        self.assertGreater(energy[1], energy[0])

    def test_it_says_how_far_the_sound_stands_over_the_noise(self) -> None:
        kind, at = kind_of("noise_reduction"), Context(RATE, 1, SECONDS * RATE)
        for level, told in ((0.004, "over it"), (0.2, "too noisy for more than")):
            mix = (self.clean + pink(Maker(3, RATE), SECONDS) * level).astype(np.float32)[:, None]
            said = kind.found(kind.analyse(NoiseParams(parts=((0.0, 0.7),)), iter([mix]), at))
            with self.subTest(level=level):
                self.assertIn(told, said)
                self.assertIn(f"noise at {20 * np.log10(level):.0f} dBFS", said)

    def test_outer_bands_work_harder(self) -> None:
        plain, biased = reduced(self.mix), reduced(self.mix, high_bias_db=8.0)
        band = signal.butter(4, 13_000, "high", fs=RATE, output="sos")
        high = [np.std(signal.sosfilt(band, one)[4800:33_000]) for one in (plain, biased)]
        self.assertLess(20 * np.log10(high[1] / high[0]), -4)


class Following(unittest.TestCase):
    """Noise that slowly becomes 9 dB louder after the profile was learned."""

    def setUp(self) -> None:
        frames = 10 * RATE
        self.rise = 10 ** (np.interp(np.arange(frames) / RATE, [0, 2, 7, 10], [0, 0, 9, 9]) / 20)
        self.noise = Maker(5, RATE).noise(10) * 0.003 * self.rise
        self.profile = learn(self.noise[: RATE // 2].astype(np.float32)[:, None], RATE)[0]

    def test_the_track_is_the_change(self) -> None:
        track = follow_noise(self.noise.astype(np.float32)[:, None], RATE, self.profile, 1.2)
        for moment in (1.0, 4.5, 9.0):
            wanted = 20 * np.log10(self.rise[round(moment * RATE)])
            found = 10 * np.log10(np.median(track[round(moment / 0.05), 12:, 0]))
            with self.subTest(moment=moment):
                self.assertAlmostEqual(found, wanted, delta=1.2)

    def test_what_grew_is_let_down_too(self) -> None:
        left = {}
        for follow in ("no", "slowly", "quickly"):
            out = reduced(self.noise, slice(0, RATE // 2), follow=follow)
            left[follow] = 20 * np.log10(np.std(out[8 * RATE :]) / np.std(self.noise[8 * RATE :]))
        self.assertGreater(left["no"], -6)
        self.assertLess(left["slowly"], -10)
        self.assertLess(left["quickly"], -12)

    def test_from_any_position_it_is_the_same(self) -> None:
        kind, samples = kind_of("noise_reduction"), self.noise.astype(np.float32)[:, None]
        params, at = NoiseParams(reduction_db=15, parts=((0.0, 0.5),), follow="slowly"), Context(RATE, 1, len(samples))
        told = kind.analyse(params, iter([samples]), at)
        whole = kind.stream(params, told, at, 0)
        one = np.concatenate([whole.push(samples), whole.flush()])
        place = 5 * RATE + 123
        lead = kind.lead(params, at)
        later = kind.stream(params, told, at, place - lead)
        other = np.concatenate([later.push(samples[place - lead : 7 * RATE]), later.flush()])[lead:]
        np.testing.assert_allclose(other[:RATE], one[place : place + RATE], atol=1e-6)


class Refusals(unittest.TestCase):
    def test_a_profile_needs_two_frames(self) -> None:
        with self.assertRaisesRegex(Exception, "mark at least"):
            learn(np.zeros((3000, 1), np.float32), RATE)
