"""Types used throughout."""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from typing_extensions import TypedDict

Samples = NDArray[np.float32]
"""float32, shape (frames, channels), 1.0 = 0 dBFS."""

Floats = NDArray[np.float64]

AnyArray = NDArray[Any]


class Failed(TypedDict):
    """Something that failed alone: its path or name, and why."""

    path: str
    reason: str
