"""Lay the cutout over a backing. Display, proofs, files and measures all use this one function.

References
----------
.. [1] T. Porter, T. Duff, "Compositing digital images", Computer Graphics (SIGGRAPH '84) 18(3), 1984, pp. 253-259.
   :doi:`10.1145/800031.808606`
"""

from collections.abc import Sequence

import numpy as np

from peel.matte.arrays import FloatArray
from peel.matte.channels import blended
from peel.matte.srgb import to_encoded, to_linear

__all__ = ["checker", "composite_over"]


def composite_over(
    foreground: FloatArray, backing: FloatArray | Sequence[float], alpha: FloatArray, *, linear: bool = False
) -> FloatArray:
    """Lay straight colours over a backing through an alpha matte.

    Parameters
    ----------
    foreground : (H, W, 3) float32 ndarray
        Straight (not premultiplied) colours in [0, 1].
    backing : (H, W, 3) float32 ndarray or three floats
        What lies behind, in the same encoding.
    alpha : (H, W) float32 ndarray
        Opacity in [0, 1].
    linear : bool
        Whether to mix linear light, as a lens does, rather than encoded values.

    Returns
    -------
    (H, W, 3) float32 ndarray
        ``alpha * foreground + (1 - alpha) * backing``; a new array. Either of them where alpha is 1 or 0.

    Raises
    ------
    ValueError
        If the shapes do not agree.

    Examples
    --------
    >>> half = np.full((1, 1), 0.5, np.float32)
    >>> composite_over(np.ones((1, 1, 3), np.float32), (0.0, 0.0, 0.0), half).tolist()
    [[[0.5, 0.5, 0.5]]]
    """
    behind = np.asarray(backing, np.float32)
    if foreground.shape != (*alpha.shape, 3) or behind.shape not in {(3,), foreground.shape}:
        msg = f"foreground {foreground.shape}, alpha {alpha.shape}, backing {behind.shape} do not agree"
        raise ValueError(msg)
    beneath = behind if behind.ndim == 3 else np.full(foreground.shape, behind, np.float32)
    out = blended(beneath, foreground, alpha)
    if linear:
        some = (alpha > 0) & (alpha < 1)
        light, share = to_linear(beneath[some]), alpha[some][:, None]
        out[some] = to_encoded(light + share * (to_linear(foreground[some]) - light))
    return out


def checker(top: int, left: int, height: int, width: int, cell: int) -> FloatArray:
    """Draw the quiet check that stands for transparency.

    Parameters
    ----------
    top, left : int
        Where the window lies, so that neighbouring windows meet.
    height, width : int
        Size of the window in pixels.
    cell : int
        Side of a square in pixels.

    Returns
    -------
    (height, width, 3) float32 ndarray
    """
    rows = (np.arange(top, top + height) // cell) & 1
    columns = (np.arange(left, left + width) // cell) & 1
    dark = (rows[:, None] ^ columns[None, :]).astype(np.float32)
    gray = np.float32(0.93) - np.float32(0.09) * dark
    return np.repeat(gray[..., None], 3, axis=2)
