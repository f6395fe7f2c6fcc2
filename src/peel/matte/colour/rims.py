"""Rims: edges that are lighter, darker or otherwise tinted than the subject a little further in; and brushed tones."""

from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.channels import blended, mean_part, writable
from peel.matte.colour.outward import mean_around

__all__ = ["MOST_RIM", "RIM_REACH", "Rim", "has_tone_near", "lightened", "measured_rim", "rim_corrected", "rim_reach"]

MOST_RIM: Final = 16.0
"""Widest rim, in pixels."""

_INNER: Final = 2.5  # widths of the rim that are looked at further in
_SPREAD: Final = 1.2  # sigma of what is compared, in widths of the rim
_HALF: Final = 0.5
_SOME: Final = 0.02  # alpha from which a pixel belongs to a rim
_USUAL: Final = 0.4  # least mean of a rim's fade nearby by which its excess is divided


def rim_reach(width: float) -> int:
    """Return how many pixels around a window its rims of a width read."""
    return int(max(width, 1.0) * (_INNER + 4 * _SPREAD)) + 8


RIM_REACH: Final = rim_reach(MOST_RIM)
"""Pixels around a window that its widest rims read."""

Rim = tuple[FloatArray, FloatArray, FloatArray]


def measured_rim(colours: FloatArray, alpha: FloatArray, width: float) -> Rim:
    """Compare an edge with the subject a little further in.

    Parameters
    ----------
    colours : (H, W, 3) float32 ndarray
        The subject's own colours, straight.
    alpha : (H, W) float32 ndarray
    width : float
        Of the rim inside the half-way line, in pixels.

    Returns
    -------
    (H, W, 3) float32 ndarray
        By how much the colour at the edge exceeds that of the subject further in, on average nearby, if the excess
        fades evenly over the rim.
    (H, W, 3) float32 ndarray
        The mean colour further in; the pixel's own where nothing further in is near.
    (H, W) float32 ndarray
        How far a pixel belongs to the rim: 1 at the edge, 0 further in and where nothing further in is near.
    """
    width = max(width, 1.0)
    inside, inner = _further_in(alpha, width)
    rim = (alpha > _SOME) & (inside < width)
    spread = width * _SPREAD
    edge, at_edge = mean_around(colours, rim, spread)
    further, at_inner = mean_around(colours, inner, 2 * spread)
    fade = np.clip(1 - inside / np.float32(width), 0, 1).astype(np.float32)
    usual, _ = mean_around(fade[..., None], rim, spread)
    # divided, it is the excess at the edge itself, where it is strongest
    by = np.maximum(usual[..., 0], np.float32(_USUAL))
    excess = cv2.divide(cv2.subtract(edge, further), cv2.merge([by, by, by]))
    share = fade * np.minimum(at_edge, at_inner) * (alpha > 0)
    # a stroke that darkens towards nothing would leave black
    return np.asarray(excess, np.float32), blended(colours, further, at_inner), np.asarray(share, np.float32)


def has_tone_near(alpha: FloatArray, width: float) -> BoolArray:
    """Return where the tone of the subject further in, by which `lightened` goes, is known; (H, W).

    Parameters are those of `measured_rim`.
    """
    width = max(width, 1.0)
    _, share = mean_around(alpha[..., None], _further_in(alpha, width)[1], 2 * width * _SPREAD)
    return (share > 0) & (alpha > 0)


def _further_in(alpha: FloatArray, width: float) -> tuple[FloatArray, BoolArray]:
    """Return how deep in the subject each pixel lies, and which ones lie further in than a rim, but near it."""
    inside = cv2.distanceTransform((alpha >= _HALF).astype(np.uint8), cv2.DIST_L2, 5)
    return np.asarray(inside, np.float32), (inside >= width) & (inside < width * (1 + _INNER))


def rim_corrected(
    colours: FloatArray, rim: tuple[FloatArray, FloatArray], light: FloatArray | float, tint: FloatArray | float
) -> FloatArray:
    """Bring a rim to the tone of the subject further in; its texture stays.

    Parameters
    ----------
    colours : (H, W, 3) float32 ndarray
    rim : tuple of ndarray
        By how much the edge exceeds the subject further in, and how far a pixel belongs to the rim; see `measured_rim`.
    light, tint : (H, W) float32 ndarray or float
        How much of the difference in brightness, and of that in tint, is taken off.
    """
    excess, share = rim
    fields = [np.broadcast_to(np.asarray(part, np.float32), share.shape) for part in (light, tint)]
    out = np.empty(colours.shape, np.float32)
    _correct(*(writable(part) for part in (colours, excess, share, *fields)), out)
    return out


@njit(
    "void(float32[:,:,::1], float32[:,:,::1], float32[:,::1], float32[:,::1], float32[:,::1], float32[:,:,::1])",
    cache=True,
    nogil=True,
)
def _correct(colours: Any, excess: Any, share: Any, light: Any, tint: Any, out: Any) -> None:
    zero, one = np.float32(0), np.float32(1)
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            gray = (excess[y, x, 0] + excess[y, x, 1] + excess[y, x, 2]) / np.float32(3)
            for k in range(3):
                change = share[y, x] * (light[y, x] * gray + tint[y, x] * (excess[y, x, k] - gray))
                out[y, x, k] = min(max(colours[y, x, k] - change, zero), one)


def lightened(colours: FloatArray, further: FloatArray, amount: FloatArray) -> FloatArray:
    """Lighten what is darker than the subject further in, or darken what is lighter.

    Parameters
    ----------
    colours : (H, W, 3) float32 ndarray
    further : (H, W, 3) float32 ndarray
        The subject's mean colour further in.
    amount : (H, W) float32 ndarray
        From -1, darkened, to 1, lightened; 0 changes nothing.

    Notes
    -----
    Darkening scales a colour down to the brightness further in and leaves what is darker alone, so that a light fringe
    goes while dark hair stays; lightening is the same the other way round.
    """
    own, aim = mean_part(colours), mean_part(further)
    wanted = np.where(amount > 0, np.maximum(own, aim), np.minimum(own, aim))
    factor = 1 + np.abs(amount) * (wanted / np.maximum(own, np.float32(0.02)) - 1)
    return np.asarray(np.clip(colours * factor[..., None], 0, 1), np.float32)
