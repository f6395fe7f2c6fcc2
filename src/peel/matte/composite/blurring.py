"""Blurs of any width, in a time that does not grow with it."""

from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import FloatArray

__all__ = ["BLUR_REACH", "wide_blur"]

BLUR_REACH: Final = 3.5
"""Sigmas around a window within which pixels are seen."""

_MOST: Final = 4.0  # sigma in pixels of the small picture


def wide_blur(values: FloatArray, sigma_px: float, *, flatness: float = 1.0) -> FloatArray:
    """Blur by a Gaussian, in a picture made smaller as the blur allows.

    Parameters
    ----------
    values : (H, W) or (H, W, C) float32 ndarray
    sigma_px : float
        Standard deviation; below 0.3 nothing is blurred.
    flatness : float
        Share of it that is used down the picture, for a blur wider than high.

    Returns
    -------
    ndarray like `values`
        Beyond the border the outermost values are continued.

    Notes
    -----
    The picture is halved until the sigma is below 4 pixels (averaging squares adds their own variance, which is taken
    off the sigma), blurred, and interpolated back by cubics.
    """
    if sigma_px < 0.3:
        return values.copy()
    step = 1
    while sigma_px * min(flatness, 1.0) / step > _MOST:
        step *= 2
    height, width = values.shape[:2]
    missing = -height % step, -width % step
    padded = cv2.copyMakeBorder(values, 0, missing[0], 0, missing[1], cv2.BORDER_REPLICATE) if any(missing) else values
    size = (padded.shape[1] // step, padded.shape[0] // step)
    small = cv2.resize(padded, size, interpolation=cv2.INTER_AREA) if step > 1 else padded
    across, down = (_left(part, step) / step for part in (sigma_px, sigma_px * flatness))
    small = cv2.GaussianBlur(small, (0, 0), max(across, 0.3), sigmaY=max(down, 0.3), borderType=cv2.BORDER_REPLICATE)
    if step == 1:
        return np.asarray(small, np.float32)
    full = cv2.resize(small, (padded.shape[1], padded.shape[0]), interpolation=cv2.INTER_CUBIC)
    return np.ascontiguousarray(full[:height, :width], np.float32)


def _left(sigma_px: float, step: int) -> float:
    """Return the sigma that is left to do once squares of a side were averaged and interpolated again."""
    return float(np.sqrt(max(sigma_px**2 - (step**2 - 1) / 6, 0.0)))
