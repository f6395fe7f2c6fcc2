"""Again here: a drawn area solved in other ways, to choose from."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from peel.errors import MarkError
from peel.files.profiles import to_screen
from peel.job.edits.kinds import kinds_in
from peel.job.edits.marking import coverage_of, kind_area
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import Point, Separation
from peel.matte.arrays import ByteArray
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import UNKNOWN
from peel.matte.pixels import to_bytes
from peel.work.separating.choosing import add_stretch
from peel.work.solving.solve import solve_job
from peel.work.stages import Stages

__all__ = ["Answer", "Way", "answer", "on_white", "ways_of", "window_of"]

_KINDS: Final = (Kind.STRAND, Kind.HARD, Kind.SOFT, Kind.LACY)
_MOST_PX: Final = 900  # side of the part of an area that is shown
_ROOM: Final = 12


@dataclass(frozen=True)
class Way:
    """A way in which an area could be solved: what it is called, and the edit that makes it so."""

    name: str
    edit: Callable[[Job], Job]


@dataclass(frozen=True)
class Answer:
    """What came of a way: the area on white, (H, W, 3) sRGB."""

    way: Way
    picture: ByteArray


def window_of(job: Job, area: Sequence[Point]) -> Rect:
    """Return the part of the photo that answers show: the area with a little room, at most 900 pixels a side."""
    points = np.asarray(area, np.float64)
    middle = points.mean(axis=0)
    half = np.minimum((points.max(axis=0) - points.min(axis=0)) / 2 + _ROOM, _MOST_PX / 2)
    left, top = np.floor(middle - half).astype(int)
    right, bottom = np.ceil(middle + half).astype(int)
    return Rect(int(top), int(left), int(bottom), int(right)).intersection(job.photo.bounds)


def ways_of(job: Job, area: Sequence[Point]) -> list[Way]:
    """List four ways in which the edges within an outline could be solved, other than they are.

    Raises
    ------
    MarkError
        If there is no unsure band within it.
    """
    region = coverage_of(job, area)
    band = region & (job.zones.read() == UNKNOWN)
    if not band.any():
        message = "There is no unsure band in that area."
        raise MarkError(message, "Draw around a stretch of edge.")
    present = np.bincount(kinds_in(job, job.photo.bounds)[band], minlength=len(Kind) + 1)
    others = [kind for kind in _KINDS if kind != int(present.argmax())][:2]
    outline = tuple(area)

    def by_kind(kind: Kind) -> Way:
        return Way(f"as {kind.id}", lambda job: kind_area(job, outline, kind))

    def by_separation(name: str, separation: Separation) -> Way:
        return Way(name, lambda job: add_stretch(job, coverage_of(job, outline), separation))

    return [
        *(by_kind(kind) for kind in others),
        by_separation("pulled by its best mix", Separation(use="pull", strength=3.0)),
        by_separation("cut by tone", Separation(use="matte")),
    ]


def answer(stages: Stages, job: Job, way: Way, window: Rect) -> Answer:
    """Solve one way and draw it on white."""
    return Answer(way, on_white(stages, solve_job(way.edit(job))[0], window))


def on_white(stages: Stages, job: Job, window: Rect) -> ByteArray:
    """Draw a window on white, (h, w, 3) sRGB."""
    colours = np.clip(stages.composite(job, window, 0, stages.backing_colour("#ffffff")), 0, 1)
    return to_screen(to_bytes(colours), job.photo.profile)
