"""Where the subject stands: the ground line, how high it stands on it, and where a wall behind it begins."""

from typing import Final

from peel.job.job import Job
from peel.job.placing.sheet import subject_box
from peel.job.settings import Point

__all__ = ["direction_of", "ground_line", "height_of", "middle_of", "wall_of"]

_FOOT: Final = 0.01  # of the subject's height, that its foot lies above the lowest of it
_WALL: Final = 0.2  # of its height, above the ground line, at which a wall begins unless it is said


def ground_line(job: Job) -> tuple[Point, Point]:
    """Return the line that the subject stands on, in photo pixels: as drawn, else along the lowest of it."""
    if job.settings.photo.ground is not None:
        return job.settings.photo.ground
    top, left, bottom, right = subject_box(job)
    foot = bottom - _FOOT * (bottom - top)
    return (float(left), foot), (float(right), foot)


def middle_of(line: tuple[Point, Point]) -> Point:
    """Return the middle of a line."""
    return (line[0][0] + line[1][0]) / 2, (line[0][1] + line[1][1]) / 2


def direction_of(line: tuple[Point, Point]) -> Point:
    """Return where a line runs, as a vector; to the right where both its points are one."""
    (x0, y0), (x1, y1) = line
    return (x1 - x0, y1 - y0) if (x0, y0) != (x1, y1) else (1.0, 0.0)


def height_of(job: Job) -> float:
    """Return how high the subject stands above its ground line, in photo pixels; at least 1."""
    return max(middle_of(ground_line(job))[1] - subject_box(job)[0], 1.0)


def wall_of(job: Job) -> float:
    """Return how far above the ground line floor and wall meet, in photo pixels."""
    said = job.settings.photo.wall_px
    return round(_WALL * height_of(job)) if said is None else said
