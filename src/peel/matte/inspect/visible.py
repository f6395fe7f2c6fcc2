"""How far a fault shows: the difference that mending it would make to the eye, at the size that is delivered."""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import FloatArray
from peel.matte.composite.over import composite_over
from peel.matte.inspect.measures import ciede2000
from peel.matte.inspect.sorts import SnagSort
from peel.matte.srgb import to_lab

__all__ = ["LEAST_AREA_PX", "SEEN", "Shown", "difference_made", "mended_alpha"]

SEEN: Final = 2.0
"""CIEDE2000 from which a pixel is seen to differ."""

LEAST_AREA_PX: Final = 20.0
"""Delivered pixels that have to differ for a snag to show."""

_SOLID: Final = {SnagSort.PINHOLE, SnagSort.SEE_THROUGH, SnagSort.STRAND_CUT}
_CLEAR: Final = {SnagSort.SPECK, SnagSort.HAZE, SnagSort.BACKDROP_LEFT}
_COLOUR: Final = {SnagSort.FRINGE_LIGHT, SnagSort.FRINGE_DARK, SnagSort.FRINGE_TINTED, SnagSort.SPILL}


@dataclass(frozen=True)
class Shown:
    """Where a snag shows.

    Attributes
    ----------
    on : tuple of str
        The names of the backings on which it shows, where it shows best first; empty if on none.
    area_px : float
        Delivered pixels that differ visibly where it shows best.
    weight : float
        CIEDE2000 summed over them: what snags are ranked by.
    across_px : float
        How far it goes, of delivered pixels, from corner to corner of its largest fault.
    """

    on: tuple[str, ...] = ()
    area_px: float = 0.0
    weight: float = 0.0
    across_px: float = 0.0


def difference_made(
    sort: SnagSort,
    colours: FloatArray,
    alpha: FloatArray,
    change: FloatArray,
    behind: FloatArray,
    scale: float,
    *,
    linear: bool = False,
) -> tuple[float, float]:
    """Compare a window of a cutout with the same window as a mend would leave it, on a backing.

    Parameters
    ----------
    sort : SnagSort
        Says which way a mend goes: solid, clear, either (alpha is then moved away from its nearer end), or colour.
    colours, behind : (h, w, 3) float32 ndarray
    alpha, change : (h, w) float32 ndarray
        The matte, and by how much a mend changes it, or the colours.
    scale : float
        Delivered pixels for each, along a side.
    linear : bool
        Whether colours mix in linear light.

    Returns
    -------
    float
        Pixels that are seen to differ.
    float
        CIEDE2000 summed over them.
    """
    if sort in _COLOUR:
        pair = [composite_over(part, behind, alpha, linear=linear) for part in (colours, _shifted(colours, change))]
    else:
        mended = mended_alpha(sort, alpha, change)
        pair = [composite_over(colours, behind, part, linear=linear) for part in (alpha, mended)]
    if scale < 1:
        size = tuple(max(1, round(side * scale)) for side in reversed(alpha.shape))
        pair = [cv2.resize(part, size, interpolation=cv2.INTER_AREA) for part in pair]
    off = ciede2000(*(to_lab(part) for part in pair))
    seen, each = off > SEEN, max(scale, 1.0) ** 2
    return float(seen.sum()) * each, float(off[seen].sum()) * each


def mended_alpha(sort: SnagSort, alpha: FloatArray, change: FloatArray) -> FloatArray:
    """Return about what a mend makes of a matte, by how much it changes it at each pixel; all of (h, w)."""
    return np.clip(alpha + _way(sort, alpha) * change, 0, 1).astype(np.float32)


def _way(sort: SnagSort, alpha: FloatArray) -> FloatArray:
    if sort in _SOLID:
        return np.ones_like(alpha)
    if sort in _CLEAR:
        return -np.ones_like(alpha)
    if sort is SnagSort.SPREAD:
        return np.where(alpha > 0.5, 1, -1).astype(np.float32)
    return np.where(alpha > 0.5, -1, 1).astype(np.float32)


def _shifted(colours: FloatArray, change: FloatArray) -> FloatArray:
    """Return colours moved by an amount towards middle grey, which is as far as a correction moves them."""
    towards = np.where(colours > 0.5, -1, 1).astype(np.float32)
    return np.clip(colours + towards * change[..., None], 0, 1).astype(np.float32)
