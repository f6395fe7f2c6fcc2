"""Light wrap: the backing's light bled over the edge, as it scatters in a lens."""

import numpy as np

from peel.matte.arrays import FloatArray
from peel.matte.composite.blurring import wide_blur

__all__ = ["backing_glow", "light_wrapped"]


def backing_glow(behind: FloatArray, alpha: FloatArray, sigma_px: float) -> FloatArray:
    """Return the light of what lies behind a cutout, (H, W, 3), where nothing stands before it, blurred.

    Pixels within 3.5 sigmas of the border are not exact.
    """
    free = np.asarray(behind * (1 - alpha)[..., None], np.float32)
    return np.clip(wide_blur(free, sigma_px), 0, 1)


def light_wrapped(foreground: FloatArray, glow: FloatArray, amount: float) -> FloatArray:
    """Screen the light of what lies behind over a cutout's colours.

    Parameters
    ----------
    foreground : (H, W, 3) float32 ndarray
        Straight, in [0, 1].
    glow : (H, W, 3) float32 ndarray
        See `backing_glow`.
    amount : float
        In [0, 1]; 0 changes nothing.

    Returns
    -------
    (H, W, 3) float32 ndarray
        A new array, nowhere darker than the foreground.
    """
    return np.asarray(foreground + np.float32(amount) * glow * (1 - foreground), np.float32)
