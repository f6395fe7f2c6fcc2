"""Edits that change the shape of all that is marked, everywhere or within an area."""

from collections.abc import Callable, Sequence
from enum import Enum
from typing import Final

import numpy as np

from peel.errors import MarkError
from peel.job.edits.lay_band import lay_zones
from peel.job.edits.marking import coverage_of, lay_where_changed
from peel.job.job import Job
from peel.job.marked import marked_subject
from peel.job.settings import Point
from peel.matte.arrays import BoolArray
from peel.matte.marking.regions import drop_islands, fill_holes, grown, smoothed

__all__ = ["Change", "changed_region", "reshape", "swap_sides"]


class Change(Enum):
    """A change to the shape of all that is marked."""

    GROW = "Grow"
    SHRINK = "Shrink"
    SMOOTH = "Smooth"
    FILL_HOLES = "Fill holes"
    DROP_ISLANDS = "Drop islands"


_CHANGES: Final[dict[Change, Callable[[BoolArray, float], BoolArray]]] = {
    Change.GROW: grown,
    Change.SHRINK: lambda region, px: grown(region, -px),
    Change.SMOOTH: smoothed,
    Change.FILL_HOLES: lambda region, px: fill_holes(region, px**2),
    Change.DROP_ISLANDS: lambda region, px: drop_islands(region, px**2),
}
"""Each takes the region and an amount in pixels; for holes and islands, the side of a square as large as they are."""


_NO_CHANGE: Final = {
    Change.FILL_HOLES: "The mark has no hole of up to {amount:.0f} × {amount:.0f} px{where}.",
    Change.DROP_ISLANDS: "Nothing marked apart is as small as {amount:.0f} × {amount:.0f} px{where}.",
}


def changed_region(region: BoolArray, change: Change, amount_px: float, area: BoolArray | None = None) -> BoolArray:
    """Return a region changed in shape, everywhere or within an area.

    Takes and returns (H, W) bool.
    """
    new = _CHANGES[change](region, amount_px)
    return new if area is None else np.where(area, new, region)


def reshape(job: Job, change: Change, amount_px: float, area: Sequence[Point] = ()) -> Job:
    """Change the shape of all that is marked as subject.

    Parameters
    ----------
    job : Job
    change : Change
    amount_px : float
        Pixels of the photo.
    area : points of an outline within which to do it; everywhere unless given.

    Raises
    ------
    MarkError
        If nothing is marked, or nothing is there that the change would change.
    """
    whole = job.photo.bounds
    region = marked_subject(job, whole)
    if not region.any():
        message = f"Nothing is marked yet: {change.value} has nothing to change."
        raise MarkError(message, "Mark the subject first.")
    changed = changed_region(region, change, amount_px, _area(job, area))
    if np.array_equal(changed, region):
        where = " in the drawn area" if len(area) > 2 else ""
        raise MarkError(_NO_CHANGE.get(change, "The mark stays as it is{where}.").format(amount=amount_px, where=where))
    return _remarked(job, region, changed)


def swap_sides(job: Job, area: Sequence[Point] = ()) -> Job:
    """Make subject what was backdrop and the other way round, everywhere or within an area."""
    whole = job.photo.bounds
    if len(area) > 2:
        region = marked_subject(job, whole)
        return _remarked(job, region, region ^ coverage_of(job, area))
    flip = np.array([0, 2, 1], np.uint8)
    turn = np.array([0, 3, 2, 1], np.uint8)
    contours = tuple(contour.model_copy(update={"hole": not contour.hole}) for contour in job.settings.photo.contours)
    unmarked = "backdrop" if job.settings.photo.unmarked == "subject" else "subject"
    swapped = job.with_photo_settings(contours=contours, unmarked=unmarked).with_planes(
        outline=job.outline.write(whole, 255 - job.outline.read()),
        marks=job.marks.write(whole, flip[job.marks.read()]),
        corrections=job.corrections.write(whole, turn[job.corrections.read()]),
    )
    return lay_zones(swapped, whole)


def _area(job: Job, area: Sequence[Point]) -> BoolArray | None:
    return coverage_of(job, area) if len(area) > 2 else None


def _remarked(job: Job, before: BoolArray, after: BoolArray) -> Job:
    """Mark what changed; corrections that stood there give way."""
    whole = job.photo.bounds
    differs = before != after
    if not differs.any():
        return job
    marks, corrections = job.marks.read(), job.corrections.read()
    marks[differs] = np.where(after[differs], 2, 1)
    corrections[differs] = 0
    marked = job.with_planes(marks=job.marks.write(whole, marks), corrections=job.corrections.write(whole, corrections))
    return lay_where_changed(marked, job)
