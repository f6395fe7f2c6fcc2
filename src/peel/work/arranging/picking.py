"""Which cutouts are seen at a point of the sheet."""

from typing import Final

import numpy as np

from peel.job.job import Job
from peel.job.placing.cutouts import matrix_of, size_of
from peel.job.rect import Rect
from peel.job.settings import PlacedCutout, Point
from peel.matte.composite.homography import mapped
from peel.work.stages import Stages

__all__ = ["cutouts_at"]

_SEEN: Final = 0.1  # alpha from which a cutout is there for the hand
_MOST_PX: Final = 24  # pixels of a picture around the point that are looked at


def cutouts_at(job: Job, stages: Stages, at: Point, reach_px: float) -> tuple[int, ...]:
    """Return the numbers of the cutouts that are not clear at a point, the foremost first.

    Nothing is waited for: a cutout whose picture is still being decoded is taken to be solid.

    Parameters
    ----------
    job : Job
    stages : Stages
    at : (float, float)
        In photo pixels.
    reach_px : float
        How far beside the point the hand may be.
    """
    cutouts = job.settings.photo.cutouts
    found = [number for number, cutout in enumerate(cutouts) if _is_seen(job, stages, cutout, at, reach_px)]
    return tuple(reversed(found))


def _is_seen(job: Job, stages: Stages, cutout: PlacedCutout, at: Point, reach_px: float) -> bool:
    size = size_of(job, cutout)
    if cutout.hidden or size is None:
        return False
    x, y = at
    back = np.linalg.inv(matrix_of(job, cutout))
    around = mapped(back, [(x - reach_px, y - reach_px), (x + reach_px, y + reach_px), (x, y)])
    middle, reach = around[2], min(float(np.abs(around[:2] - around[2]).max()), _MOST_PX)
    (left, top), (right, bottom) = np.floor(middle - reach).astype(int), np.floor(middle + reach).astype(int) + 1
    window = Rect(int(top), int(left), int(bottom), int(right)).intersection(Rect(0, 0, *size))
    if window.is_empty:
        return False
    if cutout.source == "subject":
        return float(job.alpha(window).max()) >= _SEEN
    picture = stages.sheets.picture_at_hand(job.assets[cutout.source], window)
    return picture is None or float(picture[..., 3].max()) >= _SEEN
