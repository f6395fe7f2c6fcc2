"""Pictures, zones and masks at a smaller size, square by square.

What is left over at the right and at the bottom counts as a whole square.
"""

from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.parallel import map_chunks
from peel.matte.pixels import unit_floats

__all__ = ["any_in_squares", "averaged", "smaller_trimap"]

_ROWS: Final = 64  # of the smaller picture, per task


def averaged(picture: NDArray[Any], step: int) -> FloatArray:
    """Average a picture over squares.

    Parameters
    ----------
    picture : (H, W, ...) ndarray
        Floats, or 8- or 16-bit integers.
    step : int

    Returns
    -------
    (ceil(H / step), ceil(W / step), ...) float32 ndarray
        Integers are scaled to [0, 1]; unlike `peel.matte.edge.laying.reduced` nothing is rounded.
    """
    height, width = (-(-side // step) for side in picture.shape[:2])
    out = np.empty((height, width, *picture.shape[2:]), np.float32)

    def rows(part: slice) -> None:
        strip = unit_floats(picture[part.start * step : part.stop * step])
        over = [side * step - own for side, own in zip((part.stop - part.start, width), strip.shape[:2], strict=True)]
        if any(over):
            strip = cv2.copyMakeBorder(strip, 0, over[0], 0, over[1], cv2.BORDER_REPLICATE)
        out[part] = cv2.resize(strip, (width, part.stop - part.start), interpolation=cv2.INTER_AREA)

    map_chunks(rows, height, _ROWS)
    return out


def any_in_squares(mask: BoolArray, step: int) -> BoolArray:
    """Return which squares hold a set pixel.

    The mask is (H, W) bool; returns (ceil(H / step), ceil(W / step)) bool.
    """
    if step == 1:
        return mask
    padded = np.pad(mask, [(0, -side % step) for side in mask.shape])
    rows = np.logical_or.reduce([padded[k::step] for k in range(step)])
    return np.asarray(np.logical_or.reduce([rows[:, k::step] for k in range(step)]))


def smaller_trimap(trimap: ByteArray, step: int) -> ByteArray:
    """Return the zones of squares: certain where all pixels are of the same certain zone.

    Zones are (H, W) uint8; returns (ceil(H / step), ceil(W / step)) uint8.
    """
    if step == 1:
        return trimap
    small = np.full([-(-side // step) for side in trimap.shape], UNKNOWN, np.uint8)
    for zone in (FOREGROUND, BACKGROUND):
        small[~any_in_squares(trimap != zone, step)] = zone
    return small
