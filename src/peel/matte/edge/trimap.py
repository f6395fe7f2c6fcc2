"""The three zones of a photo, and the band laid around a marked boundary."""

from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.parallel import map_chunks

__all__ = [
    "alpha_from_trimap",
    "lay_band",
    "missing_zone",
    "trimap_from_gray",
]


_ROWS: Final = 256  # per task


def trimap_from_gray(gray: ByteArray) -> ByteArray:
    """Read zones drawn in gray: 0 is backdrop, 255 subject, anything between unsure.

    Parameters
    ----------
    gray : (H, W) uint8 ndarray

    Returns
    -------
    (H, W) uint8 ndarray
        Holding BACKGROUND, UNKNOWN and FOREGROUND only; a new array.

    Examples
    --------
    >>> trimap_from_gray(np.array([[0, 3, 255]], np.uint8)).tolist()
    [[0, 128, 255]]
    """
    trimap = np.full(gray.shape, UNKNOWN, np.uint8)
    trimap[gray == 0] = BACKGROUND
    trimap[gray == 255] = FOREGROUND
    return trimap


def alpha_from_trimap(trimap: ByteArray) -> FloatArray:
    """Return the alpha that the zones fix, with one half where they are unsure.

    Parameters
    ----------
    trimap : (H, W) uint8 ndarray

    Returns
    -------
    (H, W) float32 ndarray
        0, 0.5 or 1.
    """
    table = np.full(256, 0.5, np.float32)
    table[BACKGROUND], table[FOREGROUND] = 0.0, 1.0
    out = np.empty(trimap.shape, np.float32)

    def look_up(part: slice) -> None:
        out[part] = table[trimap[part]]

    map_chunks(look_up, len(trimap), _ROWS)
    return out


def missing_zone(trimap: ByteArray) -> str | None:
    """Name the zone without which no matte can be solved, or None when both are there.

    >>> missing_zone(np.array([[0, 128]], np.uint8))
    'subject'
    """
    if not (trimap == FOREGROUND).any():
        return "subject"
    if not (trimap == BACKGROUND).any():
        return "backdrop"
    return None


def lay_band(
    subject: BoolArray, outward_px: float, inward_px: float, exact: BoolArray | None = None, exact_px: float = 0.0
) -> ByteArray:
    """Lay the unsure band around the boundary of a marked subject.

    The frame of the picture is not a boundary: a subject cut off by the frame gets no band along it.

    Parameters
    ----------
    subject : (H, W) bool ndarray
        True inside the mark.
    outward_px, inward_px : float
        How far the band reaches from the boundary into the backdrop and into the subject, in pixels. Larger:
        more of the photo is computed rather than taken as marked.
    exact : (H, W) bool ndarray, optional
        Where the boundary is known well.
    exact_px : float
        How far the band reaches from there, both ways.

    Returns
    -------
    (H, W) uint8 ndarray
        A trimap.
    """
    trimap = np.where(subject, np.uint8(FOREGROUND), np.uint8(BACKGROUND))
    if subject.all() or not subject.any():
        return trimap
    inside = subject.astype(np.uint8)
    if exact is None or not exact.any():
        _widen(trimap, inside, 1 - inside, outward_px)
        _widen(trimap, 1 - inside, inside, inward_px)
        return trimap
    for side, other, reach in ((inside, 1 - inside, outward_px), (1 - inside, inside, inward_px)):
        rim = side & cv2.dilate(other, np.ones((3, 3), np.uint8))
        loose = rim & ~exact
        _widen(trimap, side, other, min(exact_px, reach))
        if loose.any():
            _widen(trimap, loose, other, reach)
    return trimap


def _widen(trimap: ByteArray, source: ByteArray, other: ByteArray, reach_px: float) -> None:
    """Make unsure what lies on the other side within reach of a source."""
    if reach_px > 0:
        # The 5x5 mask errs by under 2 %, which no one can see.
        distance = cv2.distanceTransform(1 - source, cv2.DIST_L2, 5)
        trimap[(other == 1) & (distance <= reach_px)] = UNKNOWN
