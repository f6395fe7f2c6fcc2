"""Repairs by one press: what each would change in the finished matte, and the change itself."""

from collections.abc import Callable, Sequence
from enum import Enum
from typing import Final

from peel.job.job import Job
from peel.job.marking import coverage_of
from peel.job.settings import Point
from peel.job.touching import force_region
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.repair.one_press import haze, hollow_inside, littered_outside, pinholes, specks
from peel.work.stages import Stages

__all__ = ["Repair", "repair", "repair_region"]


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
    return force_region(job, region, job.photo.bounds, solid=sort.is_solid) if region.any() else job
