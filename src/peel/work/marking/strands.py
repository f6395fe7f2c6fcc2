"""Single strands that a hand points out: followed through the photo, and made part of the subject."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
import numpy.typing as npt

from peel.errors import MarkError, PhotoError
from peel.job.edits.marking import open_band
from peel.job.edits.touching import lay_over
from peel.job.job import MATTE_ONE, Job
from peel.job.rect import Rect
from peel.job.settings import Point
from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.edge.zones import FOREGROUND, UNKNOWN
from peel.matte.marking.strand_trace import Trace, trace_strand, trace_through
from peel.matte.repair.strand_matte import strand_matte
from peel.matte.srgb import to_linear
from peel.work.stages import Pyramid

__all__ = ["FollowedStrand", "another_way", "follow_strand", "follow_strands", "strand_through", "take_strand"]

_AROUND_PX: Final = 1600  # each way, in which a strand is followed
_AVOID_PX: Final = 3  # to each side of a way that is not wanted again
_APART_PX: Final = 3.0  # from which two ways differ
_APART_LENGTH: Final = 12.0  # ... and over how many pixels
_SURELY: Final = 0.1  # by how much more an end lies in the subject that is the root
_ROOT_PX: Final = 14  # around a root, in which the subject's colour is read

Points = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class FollowedStrand:
    """A strand in pixels of the photo.

    Attributes
    ----------
    points : (N, 2) float64 ndarray
        x and y from root to tip.
    side_px : float
        How far beside it the backdrop is seen.
    """

    points: Points
    side_px: float

    @property
    def length(self) -> float:
        """In pixels."""
        return float(np.hypot(*np.diff(self.points, axis=0).T).sum())


def follow_strand(pyramid: Pyramid, job: Job, at: Point, avoided: Sequence[FollowedStrand] = ()) -> FollowedStrand:
    """Follow the strand that is next to a press, by another way than some.

    Raises
    ------
    MarkError
        If there is none, or nothing is marked yet.
    """
    if not job.has_subject:
        raise MarkError("Nothing is marked yet, so no strand has a root.", "Mark the subject first.")
    window = _around(job, at)
    zone = _zone(job, window, avoided)
    trace = trace_strand(pyramid.pixels(0)[window.slices], zone, (at[0] - window.left, at[1] - window.top))
    if trace is None:
        raise _nothing_there(zone[int(at[1]) - window.top, int(at[0]) - window.left] == 2, bool(avoided))
    return _rooted(job, _of(trace, window))


def _nothing_there(is_subject: bool, is_second: bool) -> MarkError:
    if is_second:
        return MarkError("There is no other way from there.", "Press elsewhere on the strand, or take it as it is.")
    if is_subject:
        return MarkError("That is certain subject already.", "Press on the strand outside it.")
    return MarkError("No strand stands out there.", "Press on a hair, a whisker or a wire, or nearer to its middle.")


def _rooted(job: Job, strand: FollowedStrand) -> FollowedStrand:
    """Let a strand begin at the end that is nearer to the subject."""
    first, last = (_cover_at(job, strand.points[end]) for end in (0, -1))
    if last > first + _SURELY:
        return FollowedStrand(np.ascontiguousarray(strand.points[::-1]), strand.side_px)
    return strand


def _cover_at(job: Job, at: Points) -> float:
    """Return how much around a place is subject, or may be."""
    x, y = (int(part) for part in at)
    near = Rect(y - _ROOT_PX, x - _ROOT_PX, y + _ROOT_PX, x + _ROOT_PX).intersection(job.photo.bounds)
    zones = job.zones.read(near)
    return float(((zones == FOREGROUND) + 0.5 * (zones == UNKNOWN)).mean()) if zones.size else 0.0


def another_way(strand: FollowedStrand, others: Sequence[FollowedStrand]) -> bool:
    """Return whether a strand goes another way than others; may take a few hundredths of a second."""
    return all(_apart(strand, other) >= _APART_LENGTH for other in others)


def _apart(one: FollowedStrand, other: FollowedStrand) -> float:
    """Return over how many pixels a strand lies away from another."""
    away = np.hypot(*(one.points[:, None] - other.points[None]).T).min(axis=0)
    steps = np.hypot(*np.diff(one.points, axis=0).T)
    return float(steps[away[1:] > _APART_PX].sum())


def strand_through(pyramid: Pyramid, job: Job, points: Sequence[Point]) -> FollowedStrand:
    """Return the strand that is next to a path of two points or more."""
    given = np.asarray(points, np.float64)
    low, high = given.min(axis=0), given.max(axis=0)
    window = Rect(int(low[1]) - 40, int(low[0]) - 40, int(high[1]) + 40, int(high[0]) + 40)
    window = window.intersection(job.photo.bounds)
    if window.is_empty:
        raise MarkError("That strand lies outside the photo.", "Give its points in pixels of the photo.")
    return _of(trace_through(pyramid.pixels(0)[window.slices], given - [window.left, window.top]), window)


def follow_strands(pyramid: Pyramid, job: Job, given: Sequence[Sequence[Point]]) -> list[FollowedStrand]:
    """Follow strands as a file gives them: one point is a press, more are a path.

    Raises
    ------
    PhotoError
        If one is not there; the sentence says which.
    """
    found = []
    for number, points in enumerate(given, 1):
        try:
            one = len(points) == 1
            found.append(follow_strand(pyramid, job, points[0]) if one else strand_through(pyramid, job, points))
        except MarkError as error:
            message = f"Strand {number}, at {points[0][0]:.0f}, {points[0][1]:.0f}: {error.message}"
            raise PhotoError(message, error.hint) from error
    return found


def take_strand(pyramid: Pyramid, job: Job, strand: FollowedStrand) -> Job:
    """Make a strand part of the subject: the band opens along it, and its alpha is laid over what is solved."""
    window = _window(job, strand)
    colours = pyramid.colours(window, 0)
    if job.settings.photo.is_linear:
        colours = to_linear(colours)
    inner = strand.points - [window.left, window.top]
    solved = strand_matte(colours, inner, strand.side_px, _root_colour(job, colours, window, inner[0]))
    top, left = window.top + solved.top, window.left + solved.left
    part = Rect(top, left, top + solved.alpha.shape[0], left + solved.alpha.shape[1])
    opened = open_band(job, part, solved.weight > 0)
    certain = job.zones.read(part) == FOREGROUND
    present = job.matte.read(part).astype(np.float32) / MATTE_ONE
    had = job.borrowed_weight.read(part).astype(np.float32) / 255
    present += had * (job.borrowed.read(part).astype(np.float32) / MATTE_ONE - present)
    return lay_over(opened, part, np.maximum(solved.alpha, present), np.where(certain, 0, solved.weight))


def _root_colour(job: Job, colours: FloatArray, window: Rect, root: Points) -> FloatArray | None:
    """Return the colour of the certain subject next to a root; None if there is none."""
    x, y = int(root[0]) + window.left, int(root[1]) + window.top
    near = Rect(y - _ROOT_PX, x - _ROOT_PX, y + _ROOT_PX, x + _ROOT_PX).intersection(window)
    if near.is_empty:
        return None
    certain = job.zones.read(near) == FOREGROUND
    return colours[near.within(window)][certain].mean(axis=0) if certain.any() else None


def _zone(job: Job, window: Rect, avoided: Sequence[FollowedStrand]) -> ByteArray:
    """Return where a strand has its root, and where it is not to go again."""
    zone = np.where(job.zones.read(window) == FOREGROUND, 2, 0).astype(np.uint8)
    for strand in avoided:
        drawn = np.zeros_like(zone)
        line = np.round(strand.points - [window.left, window.top]).astype(np.int32)
        cv2.polylines(drawn, [line], isClosed=False, color=1, thickness=2 * _AVOID_PX + 1)
        zone[(drawn > 0) & (zone == 0)] = 1
    return zone


def _around(job: Job, at: Point) -> Rect:
    x, y = int(at[0]), int(at[1])
    if not (0 <= x < job.photo.width and 0 <= y < job.photo.height):
        raise MarkError("That is outside the photo.", "Press on a strand.")
    around = Rect(y - _AROUND_PX, x - _AROUND_PX, y + _AROUND_PX, x + _AROUND_PX)
    return around.intersection(job.photo.bounds)


def _window(job: Job, strand: FollowedStrand) -> Rect:
    """Return the pixels that the alpha of a strand depends on."""
    low, high = strand.points.min(axis=0), strand.points.max(axis=0)
    room = int(strand.side_px) + _ROOT_PX + 4
    wanted = Rect(int(low[1]) - room, int(low[0]) - room, int(high[1]) + room + 1, int(high[0]) + room + 1)
    return wanted.intersection(job.photo.bounds)


def _of(trace: Trace, window: Rect) -> FollowedStrand:
    return FollowedStrand(trace.points + np.array([window.left, window.top]), trace.side_px)
