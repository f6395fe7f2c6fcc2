"""The three zones of a photo, and the band laid around a marked boundary."""

from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, ByteArray, FloatArray

__all__ = [
    "BACKGROUND",
    "FOREGROUND",
    "UNKNOWN",
    "alpha_from_trimap",
    "lay_band",
    "missing_zone",
    "trimap_from_gray",
]

BACKGROUND: Final = 0
UNKNOWN: Final = 128
FOREGROUND: Final = 255


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
    """Give the alpha that the zones fix, with one half where they are unsure.

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
    return table[trimap]


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


def lay_band(subject: BoolArray, outward_px: float, inward_px: float) -> ByteArray:
    """Lay the unsure band around the boundary of a marked subject.

    The frame of the picture is not a boundary: a subject cut off by the frame gets no band along it.

    Parameters
    ----------
    subject : (H, W) bool ndarray
        True inside the mark.
    outward_px, inward_px : float
        How far the band reaches from the boundary into the backdrop and into the subject, in pixels. Larger:
        more of the photo is computed rather than taken as marked.

    Returns
    -------
    (H, W) uint8 ndarray
        A trimap.
    """
    trimap = np.where(subject, np.uint8(FOREGROUND), np.uint8(BACKGROUND))
    if subject.all() or not subject.any():
        return trimap
    inside = subject.astype(np.uint8)
    # Distances to the nearest pixel of the other side; the 5x5 mask errs by under 2 %, which no one can see.
    if outward_px > 0:
        to_subject = cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5)
        trimap[(inside == 0) & (to_subject <= outward_px)] = UNKNOWN
    if inward_px > 0:
        to_backdrop = cv2.distanceTransform(inside, cv2.DIST_L2, 5)
        trimap[(inside == 1) & (to_backdrop <= inward_px)] = UNKNOWN
    return trimap
