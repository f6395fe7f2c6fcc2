"""Names for the arrays that the numeric code passes around."""

import numpy as np
from numpy.typing import NDArray

__all__ = ["BoolArray", "ByteArray", "FloatArray", "IntArray"]

FloatArray = NDArray[np.float32]
ByteArray = NDArray[np.uint8]
BoolArray = NDArray[np.bool_]
IntArray = NDArray[np.int32]
