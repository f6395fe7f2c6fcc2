"""Names for the arrays that the numeric code passes around."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["BoolArray", "ByteArray", "FloatArray", "IntArray", "unit_floats"]

FloatArray = NDArray[np.float32]
ByteArray = NDArray[np.uint8]
BoolArray = NDArray[np.bool_]
IntArray = NDArray[np.int32]


def unit_floats(pixels: NDArray[Any]) -> FloatArray:
    """Scale 8- or 16-bit values to float32 in [0, 1], a new array; floats are in [0, 1] already."""
    most = int(np.iinfo(pixels.dtype).max) if pixels.dtype.kind == "u" else 1
    return np.multiply(pixels, np.float32(1.0 / most), dtype=np.float32)
