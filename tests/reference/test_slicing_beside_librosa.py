"""Slicing by mir_eval's onset F-measure (50 ms window) beside librosa's onset detector, on takes with known starts."""

import unittest

import librosa
import mir_eval
import numpy as np

from oskren.core.slice import detect
from oskren.demo.synth import Maker
from oskren.demo.takes import PERFORMANCE, PERFORMANCE_S, gear_room
from tests.support import RATE, noise


def take(seed: int, floor_db: float, count: int = 30) -> tuple[np.ndarray, np.ndarray]:
    """Hits, clatters and tones of very different level over a noise floor: samples and the true starts (s)."""
    random = np.random.default_rng(seed)
    out = noise(count * 0.9 + 1, floor_db, seed=seed)[:, 0].astype(np.float64)
    starts, at = [], 0.4
    for k in range(count):
        t = np.arange(round(0.5 * RATE)) / RATE
        decay = 8 + 20 * random.random()
        body = random.standard_normal(len(t)) if k % 3 else np.sin(2 * np.pi * (200 + 900 * random.random()) * t)
        part = body * np.exp(-t * decay) * 10 ** (-(6 + 24 * random.random()) / 20)
        first = round(at * RATE)
        out[first : first + len(part)] += part[: len(out) - first]
        starts.append(first / RATE)
        at += 0.62 + 0.4 * random.random()
        if at > len(out) / RATE - 0.6:
            break
    return out.astype(np.float32), np.array(starts)


class Onsets(unittest.TestCase):
    def test_f_measure_lies_above_librosas(self) -> None:
        ours, theirs = [], []
        for seed, floor in ((1, -60), (2, -54), (3, -48), (4, -66)):
            mono, truth = take(seed, floor)
            found = detect.detect(detect.analyse([mono[:, None]], RATE), detect.SliceSettings())
            ours.append(mir_eval.onset.f_measure(truth, np.array([one.attack_s for one in found]), window=0.05)[0])
            theirs.append(mir_eval.onset.f_measure(truth, librosa.onset.onset_detect(y=mono, sr=RATE, units="time", backtrack=True), window=0.05)[0])
        self.assertGreater(np.mean(ours), 0.95)
        self.assertGreaterEqual(np.mean(ours), np.mean(theirs))

    def test_starts_lie_within_3_ms_over_a_low_floor(self) -> None:
        mono, truth = take(5, -66)
        found = np.array([one.attack_s for one in detect.detect(detect.analyse([mono[:, None]], RATE), detect.SliceSettings())])
        near = np.abs(found[None, :] - truth[:, None]).min(axis=1)
        self.assertLess(np.percentile(near, 90), 0.003)

    def test_the_gear_room_of_the_demo_is_found_without_a_touch(self) -> None:
        truth = np.array([at for at, _ in gear_room(Maker(1, PERFORMANCE.rate), PERFORMANCE_S)])
        found = np.array([one.attack_s for one in detect.detect(detect.analyse([PERFORMANCE.render(1)], PERFORMANCE.rate), detect.SliceSettings())])
        self.assertEqual(len(found), len(truth))
        self.assertLess(np.abs(found - truth).max(), 0.03)
