"""The sRGB transfer function between encoded values and amounts of light.

References
----------
.. [1] IEC 61966-2-1:1999.
"""

from functools import partial
from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import FloatArray
from peel.matte.parallel import run_all, split_range

__all__ = ["encoded", "to_encoded", "to_lab", "to_linear"]

_TABLE_SIZE: Final = 4096


def _light(values: Any) -> Any:
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)


@njit(cache=True, nogil=True, fastmath=True)
def encoded(light: Any) -> Any:
    """Encode one amount of light; for kernels."""
    return 1.055 * light ** (1 / 2.4) - 0.055 if light > 0.0031308 else 12.92 * light


_STEPS: Final = np.arange(_TABLE_SIZE) / (_TABLE_SIZE - 1)
_LIGHTS: Final = np.append(_light(_STEPS), 1.0).astype(np.float32)
_VALUES_OF_ROOTS: Final = np.array(
    [*map(encoded.py_func, _STEPS**2), 1.0], np.float32
)  # of roots, since it is steep at black


@njit("void(float32[::1], float32[::1], float32[::1])", cache=True, nogil=True)
def _look_up(values: Any, table: Any, out: Any) -> None:
    last = table.shape[0] - 2
    for i in range(values.shape[0]):
        place = min(max(values[i], np.float32(0)), np.float32(1)) * np.float32(last)
        k = int(place)
        out[i] = table[k] + (table[k + 1] - table[k]) * (place - np.float32(k))


def to_linear(colours: FloatArray) -> FloatArray:
    """Turn encoded values into amounts of light; float32 in [0, 1], any shape, a new array.

    >>> to_linear(np.array([0.0, 0.5, 1.0], np.float32)).round(3).tolist()
    [0.0, 0.214..., 1.0]
    """
    return _looked_up(colours, _LIGHTS)


def _looked_up(numbers: Any, table: FloatArray) -> FloatArray:
    flat = np.ascontiguousarray(numbers, np.float32).ravel()
    out = np.empty_like(flat)
    run_all([partial(_look_up, flat[part], table, out[part]) for part in split_range(len(flat), 2)])
    return out.reshape(np.shape(numbers))


def to_encoded(light: FloatArray) -> FloatArray:
    """Encode amounts of light; float32 in [0, 1], any shape, a new array.

    >>> to_encoded(np.array([0.0, 0.214, 1.0], np.float32)).round(2).tolist()
    [0.0, 0.5, 1.0]
    """
    return _looked_up(np.sqrt(np.clip(light, 0, 1)), _VALUES_OF_ROOTS)


def to_lab(colours: FloatArray) -> FloatArray:
    """Convert encoded sRGB colours (H, W, 3) in [0, 1] to CIE Lab: L* 0 to 100, a* and b* about -100 to 100."""
    return cv2.cvtColor(np.ascontiguousarray(np.clip(colours, 0, 1), np.float32), cv2.COLOR_RGB2Lab)
