"""The edge unrolled: a strip along the outline, straight, at the photo's own size, in any view."""

from typing import Final

import cv2
import numpy as np

from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import ByteArray
from peel.matte.inspect.outline import Outline
from peel.matte.parallel import checkpoint
from peel.work.stages import Stages
from peel.work.views import Look, View, render

__all__ = ["unrolled"]

_STRETCH: Final = 192  # points that are drawn from one window of the photo
_OUTSIDE: Final = (128, 128, 128)


def unrolled(
    stages: Stages,
    job: Job,
    view: View,
    outline: Outline,
    stretch: tuple[int, int],
    reach: int,
    look: Look | None = None,
) -> ByteArray:
    """Draw a stretch of the edge as a strip.

    Parameters
    ----------
    stages : Stages
    job : Job
    view : View
        One in the photo's own frame.
    outline : Outline
    stretch : tuple of int
        Its first and last point, the last one excluded.
    reach : int
        Pixels to either side of the outline.
    look : Look, optional

    Returns
    -------
    (2 * reach, n, 3) uint8 ndarray
        sRGB; outside of the subject above, its inside below. Gray beyond the photo.
    """
    first, last = max(stretch[0], 0), min(stretch[1], outline.length)
    out = np.empty((2 * reach, max(last - first, 0), 3), np.uint8)
    away = np.arange(reach, -reach, -1, dtype=np.float32)[:, None] - np.float32(0.5)
    for start in range(first, last, _STRETCH):
        checkpoint()
        end = min(start + _STRETCH, last)
        points, normals = outline.points[start:end], outline.normals[start:end]
        xs, ys = (points[:, k] + away * normals[:, k] for k in range(2))
        out[:, start - first : end - first] = _sampled(stages, job, view, xs, ys, look)
    return out


def _sampled(stages: Stages, job: Job, view: View, xs: np.ndarray, ys: np.ndarray, look: Look | None) -> ByteArray:
    """Read a view at places of the photo."""
    window = Rect(
        int(np.floor(ys.min())) - 1, int(np.floor(xs.min())) - 1, int(np.ceil(ys.max())) + 2, int(np.ceil(xs.max())) + 2
    ).intersection(job.photo.bounds)
    if window.is_empty:
        return np.full((*xs.shape, 3), _OUTSIDE, np.uint8)
    picture = render(stages, job, view, window, 0, look)
    across, down = ((part - low - 0.5).astype(np.float32) for part, low in ((xs, window.left), (ys, window.top)))
    edge = cv2.BORDER_CONSTANT
    return np.asarray(cv2.remap(picture, across, down, cv2.INTER_LINEAR, borderMode=edge, borderValue=_OUTSIDE))
