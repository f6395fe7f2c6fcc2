"""Repairs by one press: what each would change in the finished matte, and the change itself."""

from collections.abc import Callable, Sequence
from enum import Enum
from typing import Final

import cv2
import numpy as np

from peel.errors import MarkError
from peel.job.edits.marking import coverage_of
from peel.job.edits.touching import Touch, touch_region
from peel.job.job import Job
from peel.job.settings import Point
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.marking.regions import region_at
from peel.matte.repair.one_press import haze, hollow_inside, littered_outside, pinholes, specks
from peel.work.stages import Stages

__all__ = ["Repair", "fill_enclosed", "repair", "repair_region"]


class Repair(Enum):
    """A repair by one press, by its name in the window."""

    PINHOLES = "Close pinholes"
    SPECKS = "Drop specks"
    INSIDE = "Solid inside"
    OUTSIDE = "Clear outside"
    HAZE = "Take out haze"

    @property
    def is_solid(self) -> bool:
        """Whether it makes solid, rather than clear, what it finds."""
        return self in (Repair.PINHOLES, Repair.INSIDE)

    @property
    def has_amount(self) -> bool:
        """Whether it has a size or a distance in pixels."""
        return self is not Repair.HAZE


_HALF: Final = 0.5
_RIM: Final = 5  # side of the square by which a hole is filled beyond its half-way line
_MOST: Final = 0.5  # share of the photo above which an area that reaches the frame is not enclosed

_FIND: Final[dict[Repair, Callable[[FloatArray, float], BoolArray]]] = {
    Repair.PINHOLES: pinholes,
    Repair.SPECKS: specks,
    Repair.INSIDE: hollow_inside,
    Repair.OUTSIDE: littered_outside,
    Repair.HAZE: lambda alpha, _amount: haze(alpha),
}


def repair_region(stages: Stages, job: Job, sort: Repair, amount_px: float, area: Sequence[Point] = ()) -> BoolArray:
    """Return what a repair would change, (H, W) bool.

    Parameters
    ----------
    stages : Stages
    job : Job
    sort : Repair
    amount_px : float
        Largest size, or distance, in pixels of the photo.
    area : points of an outline to which it is kept; everywhere unless given.
    """
    region = _FIND[sort](stages.alpha(job, job.photo.bounds, 0), amount_px)
    return region & coverage_of(job, area) if len(area) > 2 else region


def repair(stages: Stages, job: Job, sort: Repair, amount_px: float, area: Sequence[Point] = ()) -> Job:
    """Make a repair, as touch-ups: it survives a new solve and can be released."""
    region = repair_region(stages, job, sort, amount_px, area)
    touch = Touch.SOLID if sort.is_solid else Touch.CLEAR
    return touch_region(job, region, job.photo.bounds, touch) if region.any() else job


def fill_enclosed(stages: Stages, job: Job, at: Point, sort: Touch, strength: float = 1.0) -> Job:
    """Put a touch-up on the enclosed area around a point: all that hangs together and is mostly solid, or mostly clear.

    Raises
    ------
    MarkError
        If nothing encloses it: it reaches the frame and takes in most of the photo.
    """
    column, row = int(np.floor(at[0])), int(np.floor(at[1]))
    if not (0 <= row < job.photo.height and 0 <= column < job.photo.width):
        return job
    whole = job.photo.bounds
    solid = (stages.alpha(job, whole, 0) >= _HALF).astype(np.uint8)
    area = region_at(solid, row, column)
    if area.mean() > _MOST and (area[0].any() or area[-1].any() or area[:, 0].any() or area[:, -1].any()):
        message = f"Nothing encloses this area: it is {area.mean() * 100:.0f} % of {job.photo.name}."
        raise MarkError(message, "Draw around what is meant, with Only in an area.")
    if (sort is Touch.SOLID and not solid[row, column]) or (sort is Touch.CLEAR and solid[row, column]):
        area = cv2.dilate(area.astype(np.uint8), np.ones((_RIM, _RIM), np.uint8)) > 0  # its half-clear rim goes with it
    return touch_region(job, area, whole, sort, strength)
