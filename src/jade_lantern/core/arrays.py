"""Names for the arrays that signatures speak of; docstrings give their shapes and units."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Floats32 = NDArray[np.float32]
Indices = NDArray[np.int64]  # places in other arrays; -1 for none, where a docstring says so
Indices32 = NDArray[np.int32]
Flags = NDArray[np.bool_]
Bytes = NDArray[np.uint8]  # pictures, mostly: (H, W) or (H, W, channels)
Packed = NDArray[np.uint32]  # four 8-bit channels in one number, red in the lowest byte
