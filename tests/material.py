"""A library of a few sounds made by hand, for tests of what is placed and layered."""

import tempfile
import unittest
from pathlib import Path
from typing import ClassVar

import numpy as np

from oskren.core.audio import files
from oskren.store import Home
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import follow_up, import_paths
from tests.killing import Threads
from tests.support import RATE


class OfMaterial(unittest.TestCase):
    """``MATERIAL`` by name, imported and measured; ``ids`` of its sounds by name."""

    MATERIAL: ClassVar[dict[str, np.ndarray]] = {}

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        folder = Path(holder.name)
        for name, samples in cls.MATERIAL.items():
            files.write(folder / "in" / f"{name}.wav", samples, RATE, 24)
        cls.studio = Studio(Home(folder / "home"), Threads(2))
        cls.addClassCleanup(cls.studio.close)
        cls.library = cls.studio.home.library("Mine", create=True)
        ids = import_paths(cls.studio, cls.library, [folder / "in"], "in").sounds
        follow_up(cls.studio, cls.library)
        cls.ids = {cls.library.sound(id).name: id for id in ids}
