"""The simulated field recorder: two microphones at a place, a gain, a low-cut, a meter, and a card.

``advance`` is all it does, frame after frame; :class:`Running` lets it run in real time.
"""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from oskren.core.controls import number
from oskren.core.errors import OskrenError
from oskren.devices.card import Card, OnCard, WavFile
from oskren.devices.places import PLACES, Air, at_microphones, room
from oskren.devices.props import PROPS, Wave

RATE = 48_000
SENSITIVITY_DB = -46.0
"""Level (dBFS) that 1 Pa makes at 0 dB gain."""

CAPSULE_NOISE_DB = 14.0
"""Own noise of the microphones (dB SPL)."""

CONVERTER_NOISE_DB = -112.0
"""Own noise behind the gain (dBFS)."""

LOWEST_GAIN_DB, HIGHEST_GAIN_DB = 0.0, 70.0
LOW_CUT_HZ = 80.0
CLOSEST_M, FURTHEST_M = 0.2, 12.0
SPLIT_S = 600.0
"""A take longer than this goes on in another file."""

HEARD_S = 5.0


class RecorderSettings(BaseModel):
    """How the recorder is set, where it stands, and how far away the prop is."""

    place: str = "gear room"
    gain_db: float = number(38.0, LOWEST_GAIN_DB, HIGHEST_GAIN_DB, "dB", "Gain", digits=0, step=1)
    low_cut: bool = False
    shield: bool = False
    distance_m: float = number(0.8, CLOSEST_M, FURTHEST_M, "m", "Distance", "log", step=0.1)
    angle_deg: float = 0.0


class Recorder:
    """Sound in the air becomes samples, and samples a take on the card."""

    def __init__(
        self,
        card: Card,
        settings: RecorderSettings | None = None,
        *,
        seed: int = 1,
        split_s: float = SPLIT_S,
        clock: Callable[[], datetime] = datetime.now,
    ):
        self.card = card
        self.settings = settings or RecorderSettings()
        self.position = 0
        self.recorded = 0
        self.trouble = ""
        self.clips = 0
        self.held = np.zeros(2)
        self.peaks = np.zeros(2)
        self._random = np.random.default_rng(seed)
        self._split = round(split_s * RATE)
        self._clock = clock
        self._air = Air(PLACES[self.settings.place], RATE, seed, self.settings.shield)
        self._rooms: dict[str, Wave] = {}
        self._file: WavFile | None = None
        self._number = 0
        self._part = 0
        self._begun = clock()
        self._cut: tuple[NDArray[np.float64], NDArray[np.float64]] | None = None
        self._last: deque[tuple[int, NDArray[np.float32]]] = deque()
        self._played = 0

    @property
    def recording(self) -> str:
        """The file being written; empty when none is."""
        return self._file.path.name if self._file else ""

    @property
    def passing(self) -> str:
        """What passes by at present."""
        return self._air.passing

    def set(self, values: dict[str, Any]) -> None:
        """Change settings; OskrenError says which value cannot be had. Places and distances cannot be changed while it records: a take is of one place."""
        wanted = self.settings.model_copy(update=values)
        if wanted.place not in PLACES:
            raise OskrenError(f"There is no place '{wanted.place}' to record in; there are {', '.join(PLACES)}.")
        for name, low, high in (
            ("gain_db", LOWEST_GAIN_DB, HIGHEST_GAIN_DB),
            ("distance_m", CLOSEST_M, FURTHEST_M),
            ("angle_deg", -90.0, 90.0),
        ):
            if not low <= getattr(wanted, name) <= high:
                raise OskrenError(f"The recorder cannot be set to {name} {getattr(wanted, name):g}; it goes from {low:g} to {high:g}.")
        if self.recording and wanted.place != self.settings.place:
            raise OskrenError("The recorder is running: end the take before you carry it to another place.")
        if wanted.place != self.settings.place:
            self._air.move(PLACES[wanted.place])
        self._air.shielded = wanted.shield
        self.settings = wanted

    def gesture(self, prop: str, effort: float, seed: int | None = None) -> Wave:
        """A prop played as the microphones here get it (Pa), shape (frames, 2); not in the air yet."""
        if prop not in PROPS:
            raise OskrenError(f"There is no prop '{prop}' beside the recorder; there are {', '.join(PROPS)}.")
        self._played += 1
        here = self.settings
        place = PLACES[here.place]
        if place.name not in self._rooms:
            self._rooms[place.name] = room(place, RATE)
        wave = PROPS[prop].play(effort, self._played if seed is None else seed, RATE)
        return at_microphones(wave, place, here.distance_m, here.angle_deg, RATE, self._rooms[place.name])

    def play(self, wave: Wave) -> float:
        """Play a gesture from now on; how long it sounds (s)."""
        self._air.add(wave)
        return len(wave) / RATE

    def advance(self, frames: int) -> NDArray[np.float32]:
        """Hear the next frames (one at least), and write them when a take runs; samples of shape (frames, 2)."""
        pressure = self._air.block(frames) + self._random.standard_normal((frames, 2)) * 20e-6 * 10 ** (CAPSULE_NOISE_DB / 20)
        volts = pressure * 10 ** ((SENSITIVITY_DB + self.settings.gain_db) / 20)
        volts = self._low_cut(volts) + self._random.standard_normal((frames, 2)) * 10 ** (CONVERTER_NOISE_DB / 20)
        self.clips += int(np.count_nonzero(np.abs(volts) >= 1.0))
        samples = np.clip(volts, -1.0, 1.0 - 2.0**-23).astype(np.float32)
        self.peaks = np.abs(samples).max(axis=0)
        self.held = np.maximum(self.held, self.peaks)
        self._write(samples)
        self._last.append((self.position, samples))
        self.position += frames
        while self._last and self.position - self._last[0][0] > HEARD_S * RATE:
            self._last.popleft()
        return samples

    def _low_cut(self, volts: Wave) -> Wave:
        """A second-order high-pass before the converter; its state goes on, so that switching it makes no click worth hearing."""
        from scipy.signal import butter, sosfilt

        if self._cut is None:
            self._cut = np.asarray(butter(2, LOW_CUT_HZ, "highpass", fs=RATE, output="sos")), np.zeros((1, 2, 2))
        sections, state = self._cut
        cut, state = sosfilt(sections, volts, axis=0, zi=state)
        self._cut = sections, state
        return np.asarray(cut) if self.settings.low_cut else volts

    def heard(self, since: int) -> tuple[int, NDArray[np.float32]]:
        """What was heard since a position (frames): where it begins, and its samples; at most the last seconds."""
        parts = [(at, block) for at, block in self._last if at + len(block) > since]
        if not parts:
            return self.position, np.zeros((0, 2), np.float32)
        begin = max(since, parts[0][0])
        return begin, np.concatenate([block for _, block in parts])[begin - parts[0][0] :]

    def clear_meter(self) -> None:
        """Forget the held peaks and the clips."""
        self.held, self.clips = np.zeros(2), 0

    # ---- takes

    def start(self) -> str:
        """Begin a take; the name of its file."""
        if self.recording:
            raise OskrenError("The recorder is running already; end the take first.")
        self._number, self._part, self.recorded, self.trouble = self.card.next_number(), 0, 0, ""
        self._begun = self._clock()
        self._next_file()
        return self.recording

    def _next_file(self) -> None:
        self._part += 1
        here = self.settings
        note = f"Take {self._number}{f', part {self._part}' if self._part > 1 else ''}: {PLACES[here.place].name}, gain {here.gain_db:.0f} dB"
        note += f", prop at {here.distance_m:g} m{', low-cut' if here.low_cut else ''}{', wind shield' if here.shield else ''}"
        begun = self._begun + timedelta(seconds=self.recorded / RATE)
        self._file = self.card.begin(self._number, self._part, begun, RATE, 2, note)

    def _write(self, samples: NDArray[np.float32]) -> None:
        while self._file is not None and len(samples):
            room_left = self._split - self._file.frames
            part, samples = samples[:room_left], samples[room_left:]
            try:
                self._file.add(part)
                self.recorded += len(part)
                if self._file.frames >= self._split:
                    self._file.close()
                    self._next_file()
            except OskrenError as error:
                self.trouble = str(error)
                self.stop()

    def stop(self) -> str:
        """End the take; the name of its last file."""
        if self._file is None:
            raise OskrenError("The recorder is not running; there is no take to end.")
        file, self._file = self._file, None
        try:
            file.close()
        except OSError as error:
            self.trouble = f"{file.path}: its end could not be written ({error.strerror}); what came before stays."
        return file.path.name


TICK_S = 0.05
LEFT_ALONE_S = 600.0


class Running:
    """A recorder that runs in real time in a thread of its own; switched off by itself when nobody has looked for ten minutes."""

    def __init__(self, folder: Path, split_s: float = SPLIT_S):
        self.card = Card(folder)
        self.lock = threading.RLock()
        self._split_s = split_s
        self._recorder: Recorder | None = None
        self._thread: threading.Thread | None = None
        self._looked = 0.0

    @property
    def on(self) -> bool:
        return self._recorder is not None

    def recorder(self) -> Recorder:
        """The recorder, switched on; OskrenError when it is off."""
        if self._recorder is None:
            raise OskrenError("The recorder is off; switch it on first.")
        self._looked = time.monotonic()
        return self._recorder

    def files(self) -> list[OnCard]:
        """What lies on the card, oldest first; a file that is being recorded lies there once it has ended."""
        recorder = self._recorder
        written = recorder.recording if recorder is not None else ""
        return [file for file in self.card.files() if Path(file.name).name != written]

    def switch(self, on: bool) -> None:
        """Switch it on or off; a running take is ended first."""
        with self.lock:
            if on and self._recorder is None:
                recorder = Recorder(self.card, seed=int(time.time()), split_s=self._split_s)
                recorder.advance(round(TICK_S * RATE))  # the filters' library takes a second to load: before the clock runs
                self._recorder = recorder
                self._looked = time.monotonic()
                self._thread = threading.Thread(target=self._run, args=(self._recorder,), daemon=True, name="recorder")
                self._thread.start()
            elif not on and self._recorder is not None:
                if self._recorder.recording:
                    self._recorder.stop()
                self._recorder = None

    def _run(self, recorder: Recorder) -> None:
        begun, done = time.monotonic(), 0
        while self._recorder is recorder:
            time.sleep(TICK_S)
            due = int((time.monotonic() - begun) * RATE)
            with self.lock:
                if self._recorder is not recorder:
                    return
                recorder.advance(min(due - done, RATE))
            # a machine that slept does not have to hear what it missed
            done = due
            if time.monotonic() - self._looked > LEFT_ALONE_S:
                self.switch(False)
