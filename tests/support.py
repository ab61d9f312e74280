"""Signals and folders that tests share."""

from __future__ import annotations

import fcntl
import os
import socket
import tempfile
import unittest
from pathlib import Path

import numpy as np

from oskren.core.audio import files
from oskren.core.nodes import Cache, Renderer, Source
from oskren.core.nodes.voices import between_sides
from oskren.core.types import Samples

RATE = 48_000

PATIENCE_S = 90
"""How long a test waits for what must come; how fast it comes is measured in bench/, where a busy machine is told from a slow app."""


def own_port() -> int:
    """A free port that no other process of tests is given while this one runs, not even while its server is killed."""
    folder = Path(tempfile.gettempdir()) / "oskren-test-ports"
    folder.mkdir(exist_ok=True)
    for port in range(4800, 5000):
        lock = os.open(folder / str(port), os.O_CREAT | os.O_WRONLY)  # held until this process ends
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            with socket.create_server(("127.0.0.1", port)):
                return port
        except OSError:
            os.close(lock)
    raise AssertionError("no port between 4800 and 4999 is free")


def sine(hz: float, seconds: float, level_dbfs: float = 0.0, rate: int = RATE, channels: int = 1, phase_deg: float = 0.0) -> Samples:
    """A sine whose peak lies at a level, the same on all channels."""
    t = np.arange(round(seconds * rate)) / rate
    wave = 10 ** (level_dbfs / 20) * np.sin(2 * np.pi * hz * t + np.radians(phase_deg))
    return np.repeat(wave[:, None], channels, axis=1).astype(np.float32)


def noise(seconds: float, level_dbfs: float = -20.0, rate: int = RATE, channels: int = 1, seed: int = 1) -> Samples:
    """White noise of an RMS level."""
    random = np.random.default_rng(seed)
    return (random.standard_normal((round(seconds * rate), channels)) * 10 ** (level_dbfs / 20)).astype(np.float32)


def struck(seconds: float = 0.5, decay: float = 0.1, seed: int = 1, rate: int = RATE) -> Samples:
    """A noisy hit that starts at its first frame."""
    random = np.random.default_rng(seed)
    t = np.arange(round(seconds * rate)) / rate
    return (0.4 * random.standard_normal(len(t)) * np.exp(-t / decay))[:, None].astype(np.float32)


def pitch_of(samples: Samples, rate: int = RATE) -> float:
    """Frequency (Hz) of the strongest partial, by a parabola through the peak of a windowed spectrum (error under 0.01 cent here)."""
    mono = samples[:, 0].astype(np.float64)
    size = len(mono)
    spectrum = np.abs(np.fft.rfft(mono * np.blackman(size), size * 4))
    top = int(np.argmax(spectrum))
    a, b, c = np.log(spectrum[top - 1 : top + 2])
    return (top + 0.5 * (a - c) / (a - 2 * b + c)) * rate / (size * 4)


def cents(measured: float, wanted: float) -> float:
    return float(1200 * np.log2(measured / wanted))


def pan_gains(pan: float, channels: int) -> Samples:
    """What each channel of a sound gives to left and right at a pan, as a mix hears it: shape (channels, 2)."""
    layout = "mono" if channels == 1 else "stereo"
    return between_sides(np.eye(channels, dtype=np.float32), layout, np.array([pan]), np.ones(1), "-3 dB")


class InFolder(unittest.TestCase):
    """A test with a temporary folder, and a renderer over files written into it."""

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.media: dict[str, Path] = {}
        self.renderer = Renderer(lambda audio: self.media[audio], Cache(self.folder / "cache"))

    def source(self, samples: Samples, rate: int = RATE, name: str = "source.wav") -> Source:
        """Write samples as float WAV and give the node of it."""
        path = self.folder / name
        files.write(path, samples, rate, 32)
        key = files.audio_hash(path)
        self.media[key] = path
        return Source(audio=key, rate=rate, channels=samples.shape[1], frames=len(samples))
