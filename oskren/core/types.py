"""Array types used throughout the core."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float32]
"""float32, shape (frames, channels), 1.0 = 0 dBFS."""

Floats = NDArray[np.float64]

AnyArray = NDArray[Any]
