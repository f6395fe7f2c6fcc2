"""Pixels between floats in [0, 1] and integers of 8 or 16 bits; the one place that rounds and clips them."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import ByteArray, FloatArray

__all__ = ["bytes_of_words", "to_bytes", "to_words", "unit_floats", "words_of_bytes"]


def unit_floats(pixels: NDArray[Any]) -> FloatArray:
    """Scale 8- or 16-bit values to float32 in [0, 1], a new array; floats are in [0, 1] already.

    Takes and returns any shape.
    """
    most = int(np.iinfo(pixels.dtype).max) if pixels.dtype.kind == "u" else 1
    return np.multiply(pixels, np.float32(1.0 / most), dtype=np.float32)


def to_bytes(values: NDArray[Any]) -> ByteArray:
    """Round floats to 8 bits; what lies beyond [0, 1] is clipped.

    >>> to_bytes(np.array([-1.0, 0.0, 0.5, 1.0, 2.0])).tolist()
    [0, 0, 128, 255, 255]
    """
    return np.asarray(_rounded(values, 255), np.uint8)


def to_words(values: NDArray[Any]) -> NDArray[np.uint16]:
    """Round floats to 16 bits; what lies beyond [0, 1] is clipped.

    >>> to_words(np.array([0.0, 0.5, 1.0])).tolist()
    [0, 32768, 65535]
    """
    return np.asarray(_rounded(values, 65535), np.uint16)


def _rounded(values: NDArray[Any], most: int) -> NDArray[Any]:
    scaled = np.clip(values, 0, 1) * np.float32(most)
    scaled += np.float32(0.5)
    return scaled.astype(np.uint8 if most == 255 else np.uint16)


def bytes_of_words(pixels: NDArray[Any]) -> ByteArray:
    """Round 16-bit values to 8 bits, contiguous; values of 8 bits are returned as they are.

    >>> bytes_of_words(np.array([0, 128, 129, 65535], np.uint16)).tolist()
    [0, 0, 1, 255]
    """
    if pixels.dtype == np.uint8:
        return np.ascontiguousarray(pixels)
    return np.ascontiguousarray(((pixels.astype(np.uint32) + 128) // 257).astype(np.uint8))


def words_of_bytes(pixels: ByteArray) -> NDArray[np.uint16]:
    """Spread 8-bit values over 16 bits: 255 becomes 65535.

    Takes and returns any shape.
    """
    return pixels.astype(np.uint16) * np.uint16(257)
