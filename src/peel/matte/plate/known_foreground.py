"""The subject's own colours where the backdrop is known."""

from typing import Final

import numpy as np

from peel.matte.arrays import FloatArray
from peel.matte.srgb import to_encoded, to_linear

__all__ = ["known_foreground"]

_ENOUGH: Final = 0.25  # alpha at which the exact colour counts by half
_OFF: Final = 0.02  # standard deviation of the set's colours at which it counts by half


def known_foreground(
    photo: FloatArray,
    behind: FloatArray,
    variance: FloatArray,
    alpha: FloatArray,
    estimate: FloatArray,
    *,
    linear: bool = False,
) -> FloatArray:
    """Return ``F = (I - (1 - alpha) B) / alpha``, towards an estimate where a pixel shows too little of the subject.

    What noise there is in I grows by 1 / alpha: the exact colour counts by ``alpha^2 / (alpha^2 + 0.25^2)``.

    Parameters
    ----------
    photo, behind, estimate : (H, W, 3) float32 ndarray
        Encoded colours in [0, 1].
    variance : (H, W) float32 ndarray
        Of the backdrop's colours; infinite where they are not known.
    alpha : (H, W) float32 ndarray
    linear : bool
        Whether linear light mixes.

    Returns
    -------
    (H, W, 3) float32 ndarray
        Encoded, in [0, 1].
    """
    into, back = (to_linear, to_encoded) if linear else (np.asarray, np.asarray)
    a = alpha[..., None]
    seen, under, near = (np.asarray(into(part), np.float32) for part in (photo, behind, estimate))
    exact = np.clip((seen - (1 - a) * under) / np.maximum(a, np.float32(1e-3)), 0, 1)
    share = np.square(a) / (np.square(a) + np.float32(_ENOUGH**2)) / (1 + variance[..., None] / np.float32(_OFF**2))
    share = np.where((a > 0) & (a < 1), share, 0)
    return np.asarray(back(np.clip(near + share * (exact - near), 0, 1)), np.float32)
