"""Shadows as pixels of a picture with room around it, placed on a sheet."""

from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from peel.job.rect import Rect
from peel.job.space import level_size
from peel.matte.arrays import FloatArray
from peel.matte.composite.homography import scaled
from peel.matte.composite.warping import warped
from peel.work.stages.pyramid import shrunk

__all__ = ["Raster", "placed_raster", "working_level"]

_LONGEST: Final = 2048  # pixels of the longest side of a picture that shadows are made in
_PREVIEWED: Final = 1024  # the same while a coarser level is looked at
_HORIZON: Final = 0.05  # of the depth at a picture's middle, short of which nothing is placed


@dataclass(frozen=True)
class Raster:
    """Values (h, w) or (h, w, C) in [0, 1], in pixels of a step, of which the first lies at a place of its picture."""

    values: NDArray[Any]
    left: float
    top: float
    step: int


def working_level(height: int, width: int, level: int) -> int:
    """Return the level that shadows are made at, to be seen at another one."""
    longest = _LONGEST if level == 0 else _PREVIEWED
    while max(level_size(height, width, level)) > longest:
        level += 1
    return level


def placed_raster(
    raster: Raster, size: tuple[int, int], to_sheet: NDArray[Any], rect: Rect, level: int
) -> NDArray[Any]:
    """Return a window of a sheet on which a raster lies, (h, w, C) float32; 0 beyond it.

    Parameters
    ----------
    raster : Raster
    size : (int, int)
        Height and width of the picture that it belongs to.
    to_sheet : (3, 3) ndarray
        From that picture to the sheet.
    rect, level
        The window.
    """
    step, values = raster.step, raster.values
    to_picture = np.array([[step, 0.0, raster.left], [0.0, step, raster.top], [0.0, 0.0, 1.0]])
    matrix = scaled(to_sheet, 1 / (1 << level)) @ to_picture
    height, width = values.shape[:2]
    depths = [matrix[2] @ (x, y, 1.0) for x in (0, width) for y in (0, height)]
    middle = to_sheet[2] @ (size[1] / 2, size[0] / 2, 1.0)
    if min(depths) < _HORIZON * middle:  # in perspective its room reaches beyond the horizon
        top, left = round(-raster.top / step), round(-raster.left / step)
        rows, columns = level_size(*size, int(step).bit_length() - 1)
        top, left = max(top, 0), max(left, 0)
        values = values[top : top + rows, left : left + columns]
        matrix = scaled(to_sheet, 1 / (1 << level)) @ np.diag([step, step, 1.0])
    if 0 in values.shape:
        return np.zeros((rect.height, rect.width, 1 if values.ndim == 2 else values.shape[2]), np.float32)

    def read(window: tuple[int, int, int, int], at: int) -> FloatArray:
        first, before, last, after = window
        small = shrunk(values, at)[first:last, before:after]
        return np.asarray(small if small.ndim == 3 else small[..., None], np.float32)

    return warped(read, values.shape[:2], matrix, rect.as_tuple)
