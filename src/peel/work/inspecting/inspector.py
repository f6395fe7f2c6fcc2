"""Inspect a job: every cell of its edge is looked at once, and again only after it changed."""

import threading
from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import count
from typing import Final

import numpy as np

from peel.job.edits.snags import least_sizes
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.space import Space
from peel.matte.inspect.faults import Find
from peel.matte.inspect.finds import FIND_REACH, find_in
from peel.matte.inspect.outline import Outline, outline_of
from peel.matte.inspect.snags import Severity, Snag, framed, gathered
from peel.matte.parallel import checkpoint, run_all
from peel.work.inspecting.looks import SnagLook, ranked
from peel.work.inspecting.proving import doubted
from peel.work.inspecting.reading import level_of, reading_of, reading_stamp
from peel.work.inspecting.snag_specs import is_accepted
from peel.work.solving.noise import noise_of
from peel.work.stages import Stages
from peel.work.stages.chain import cells_of

__all__ = ["Findings", "Inspector"]

_CELL: Final = 128  # pixels of the level that is looked at, a side, of what is known to be fresh or stale
_WINDOW: Final = 8 * _CELL  # a side, at most, of what is looked at in one go
_OUTLINE_PX: Final = 1600  # longest side of the matte that the outline is found in


@dataclass(frozen=True, eq=False)
class Findings:
    """What was found.

    Attributes
    ----------
    snags : tuple of Snag
        What shows most first, what shows nowhere last; those that were accepted among them.
    outline : Outline
    places : tuple of int
        Where each snag lies along the outline.
    """

    snags: tuple[Snag, ...] = ()
    outline: Outline | None = None
    places: tuple[int, ...] = ()

    def open_snags(self, job: Job) -> list[int]:
        """Return the numbers of the snags that were not accepted."""
        return [number for number, snag in enumerate(self.snags) if not is_accepted(job, snag)]

    def showing(self, job: Job) -> list[int]:
        """Return the numbers of the open snags that will show and for which the photo speaks."""
        return [number for number in self.open_snags(job) if self.snags[number].counts]


class Inspector:
    """Inspects the states of one photo's job; keeps what it found in each cell. Any thread, one at a time."""

    def __init__(self, stages: Stages) -> None:
        self._stages = stages
        self._found: dict[Rect, tuple[Hashable, tuple[Find, ...]]] = {}
        self._squares: dict[Rect, Hashable] = {}  # stamps of many cells at once
        self._doubts: dict[Hashable, str] = {}
        self._outlined: tuple[Hashable, Outline] | None = None
        self._turn = threading.Lock()
        self._level = level_of(Space(*stages.pyramid.pixels(0).shape[:2]))

    def inspect(
        self,
        job: Job,
        progress: Callable[[float], object] | None = None,
        looks: Sequence[SnagLook] | None = None,
    ) -> Findings:
        """Look for snags; only cells that changed since the last time are looked at.

        Parameters
        ----------
        job : Job
        progress : callable, optional
            Called with the share done.
        looks : sequence of SnagLook, optional
            On what the snags are ranked; as ordered unless given.

        Raises
        ------
        Cancelled
            At any `peel.matte.parallel.checkpoint`.
        """
        least = least_sizes(job.settings.recipe.inspection)
        with self._turn:
            # Measured before threads share the work: they would wait for each other over the photo's lock.
            noise = float(np.sqrt(noise_of(job.photo).variance.mean()))
            bounds = job.photo.space.bounds(self._level)
            squares = {square: self._stamp(job, self._around(job, square)) for square in cells_of(bounds, _WINDOW)}
            stale = [
                cell
                for square, stamp in squares.items()
                if self._squares.get(square) != stamp
                for cell in cells_of(square.intersection(bounds), _CELL)
                if not self._is_fresh(job, cell)
            ]
            windows = _windows_over(stale)
            done = count(1)

            def look(window: Rect) -> None:
                self._look(job, window, noise)
                if progress is not None:
                    progress(next(done) / len(windows))

            run_all([partial(look, window) for window in windows])
            self._squares = squares
            finds = [find for cell in cells_of(bounds, _CELL) for find in self._found[cell][1]]
            finds += self._framed(job)
            outline = self._outline(job)
            snags = ranked(self._stages, job, gathered(finds, least), looks)
            before, self._doubts = self._doubts, {}  # only what holds now is kept
            snags = sorted((self._judged(job, snag, before) for snag in snags), key=lambda snag: bool(snag.doubt))
        return Findings(tuple(snags), outline, tuple(outline.place_of(snag.at) for snag in snags))

    def _judged(self, job: Job, snag: Snag, before: Mapping[Hashable, str]) -> Snag:
        """Doubt a snag for which the photo does not speak; what was judged before is known."""
        checkpoint()
        box = Rect(*(part >> self._level for part in snag.finds[0].box))
        key = snag.sort, snag.finds[0].box, self._stamp(job, self._around(job, box))
        known = before.get(key)
        if known is None:
            known = doubted(self._stages, job, snag) if snag.shown.on else ""
        self._doubts[key] = known
        return replace(snag, doubt=known, severity=Severity.SLIGHT) if known else snag

    def _around(self, job: Job, rect: Rect) -> Rect:
        return job.photo.space.around(rect, self._level, FIND_REACH)

    def _stamp(self, job: Job, around: Rect) -> Hashable:
        return reading_stamp(self._stages, job, around, self._level)

    def _is_fresh(self, job: Job, cell: Rect) -> bool:
        """Return whether what was found in a cell still holds; where the matte is constant, nothing is found."""
        around = self._around(job, cell)
        known, stamp = self._found.get(cell), self._stamp(job, around)
        if known is not None and known[0] == stamp:
            return True
        if self._stages.matte.constant(job, around, self._level) is None:
            return False
        self._found[cell] = stamp, ()
        return True

    def _look(self, job: Job, window: Rect, noise: float) -> None:
        """Look for faults in a window of whole cells, and keep each with the cell that its middle lies in."""
        checkpoint()
        around = self._around(job, window)
        found = [
            find.moved(around.top, around.left)
            for find in find_in(reading_of(self._stages, job, around, self._level, noise))
        ]
        for cell in cells_of(window, _CELL):
            own = tuple(find.enlarged(1 << self._level) for find in found if _belongs(find, cell))
            self._found[cell] = self._stamp(job, self._around(job, cell)), own

    def _framed(self, job: Job) -> list[Find]:
        """Look at the four sides of the frame only."""
        height, width = job.photo.height, job.photo.width
        sides = (
            Rect(0, 0, 1, width),
            Rect(height - 1, 0, height, width),
            Rect(0, 0, height, 1),
            Rect(0, width - 1, height, width),
        )
        top, bottom, left, right = (self._stages.alpha(job, side, 0).ravel() for side in sides)
        return framed(top, bottom, left, right)

    def _outline(self, job: Job) -> Outline:
        level = job.photo.space.level_within(_OUTLINE_PX)
        rect = job.photo.space.bounds(level)
        stamp = self._stages.matte.stamp(job, rect, level)
        if self._outlined is None or self._outlined[0] != stamp:
            self._outlined = stamp, outline_of(self._stages.alpha(job, rect, level), 1 << level)
        return self._outlined[1]


def _windows_over(cells: Sequence[Rect]) -> list[Rect]:
    """Cover cells by few windows: a single one if it is small enough, otherwise one in each square of a grid."""
    if not cells:
        return []
    whole = _bounds_of(cells)
    if max(whole.height, whole.width) <= _WINDOW:
        return [whole]
    squares: dict[tuple[int, int], list[Rect]] = {}
    for cell in cells:
        squares.setdefault((cell.top // _WINDOW, cell.left // _WINDOW), []).append(cell)
    return [_bounds_of(own) for own in squares.values()]


def _bounds_of(cells: Sequence[Rect]) -> Rect:
    tops, lefts, bottoms, rights = zip(*((cell.top, cell.left, cell.bottom, cell.right) for cell in cells), strict=True)
    return Rect(min(tops), min(lefts), max(bottoms), max(rights))


def _belongs(find: Find, cell: Rect) -> bool:
    """Return whether the middle of a fault lies in a cell, so that no two cells report it."""
    top, left, bottom, right = find.box
    row, column = (top + bottom) // 2, (left + right) // 2
    return cell.top <= row < cell.bottom and cell.left <= column < cell.right
