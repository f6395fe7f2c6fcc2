"""Chains of stages: each makes a window from the stage before it, and all are cached alike."""

from abc import ABC, abstractmethod
from collections.abc import Callable, Hashable, Sequence
from functools import partial
from itertools import count, zip_longest
from typing import Any, Final
from weakref import ReferenceType, ref

import numpy as np
from numpy.typing import NDArray

from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.space import Space
from peel.matte.arrays import FloatArray
from peel.matte.parallel import run_all
from peel.work.stages.cache import Cache

__all__ = ["CELL", "Before", "Chain", "Stage", "assembled", "cells_of"]

CELL: Final = 256
"""Pixels of a level, a side, of the squares that results are made and kept in."""

Before = Callable[[Rect], FloatArray]
"""Returns a window of the stage before."""

_numbers = count()


class Stage(ABC):
    """One step of a chain.

    Attributes
    ----------
    reach : int
        Pixels of the level that it reads around a window of the stage before.
    """

    reach = 0

    @abstractmethod
    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return all that the stage itself brings into a window: equal stamps mean equal results."""

    @abstractmethod
    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Compute a window as a new array; `before` may be read up to `reach` pixels around it.

        Of (h, w) or (h, w, C), float32.
        """

    def is_neutral(self, job: Job) -> bool:
        """Return whether the stage changes nothing anywhere."""
        del job
        return False

    def passes(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether the stage leaves a window as the stage before made it."""
        del job, rect, level
        return False

    def is_cached(self, level: int) -> bool:
        """Return whether its results are worth keeping."""
        del level
        return True

    def constant(self, job: Job, rect: Rect, level: int, before: float | None) -> float | None:
        """Return the one value of a window, given that of the stage before, if that is known without computing."""
        del job, rect, level, before
        return None


class Chain:
    """Stages in their order; what consumers ask for. Any thread.

    Parameters
    ----------
    stages : sequence of Stage
        The first one needs nothing before it.
    space : Space
    cache : Cache
    """

    def __init__(self, stages: Sequence[Stage], space: Space, cache: Cache) -> None:
        self._stages, self._space, self._cache = tuple(stages), space, cache
        self._number = next(_numbers)  # chains share a cache
        self._last: tuple[ReferenceType[Job], tuple[Stage, ...]] | None = None

    def window(self, job: Job, rect: Rect, level: int) -> FloatArray:
        """Compute a window of a level, which must lie inside the space; a new array.

        Of (h, w) or (h, w, C), float32.
        """
        return self._window(self._active(job), job, rect, level)

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return all that a window depends on: equal stamps mean equal windows."""
        return self._stamp(self._active(job), job, rect, level)

    def constant(self, job: Job, rect: Rect, level: int) -> float | None:
        """Return the constant value of a window if that is known without computing, otherwise None."""
        value: float | None = None
        for stage in self._active(job):
            value = stage.constant(job, rect, level, value)
        return value

    def _active(self, job: Job) -> tuple[Stage, ...]:
        last = self._last
        if last is not None and last[0]() is job:  # asked for again and again while a window is made
            return last[1]
        active = tuple(stage for stage in self._stages if not stage.is_neutral(job))
        self._last = ref(job), active
        return active

    def _stamp(self, stages: tuple[Stage, ...], job: Job, rect: Rect, level: int) -> Hashable:
        parts: list[Hashable] = []
        for stage in reversed(stages):
            if stage.passes(job, rect, level):
                continue  # what it would do elsewhere is nothing to this window
            parts.append((type(stage).__name__, stage.stamp(job, rect, level)))
            rect = self._space.around(rect, level, stage.reach)
        return (self._number, *parts)

    def _window(self, stages: tuple[Stage, ...], job: Job, rect: Rect, level: int) -> FloatArray:
        stage, earlier = stages[-1], stages[:-1]

        def before(wanted: Rect) -> FloatArray:
            return self._window(earlier, job, wanted, level)

        if not stage.is_cached(level):
            return stage.make(job, rect, level, before)

        def cell(part: Rect) -> FloatArray:
            if stage.passes(job, part, level):
                return before(part)
            key = (self._stamp(stages, job, part, level), level, part)
            return self._cache.get(key, lambda: np.ascontiguousarray(stage.make(job, part, level, before)))

        cells = [part.intersection(self._space.bounds(level)) for part in cells_of(rect)]
        return assembled(rect, cells, cell)


def assembled(rect: Rect, cells: list[Rect], make: Callable[[Rect], NDArray[Any]]) -> FloatArray:
    """Make cells in parallel and put their parts of a window together.

    Of (h, w) or (h, w, C).
    """
    out: list[FloatArray] = []

    def fill(cell: Rect) -> None:
        values, part = make(cell), cell.intersection(rect)
        out[0][part.within(rect)] = values[part.within(cell)]

    first = make(cells[0])
    out.append(np.empty((rect.height, rect.width, *first.shape[2:]), np.float32))
    part = cells[0].intersection(rect)
    out[0][part.within(rect)] = first[part.within(cells[0])]
    run_all([partial(fill, cell) for cell in _apart(cells[1:])])
    return out[0]


def _apart(cells: list[Rect]) -> list[Rect]:
    """Order cells so that neighbours, which need the same cells of the stage before, are not made at the same time."""
    half = -(-len(cells) // 2)
    return [cell for pair in zip_longest(cells[:half], cells[half:]) for cell in pair if cell is not None]


def cells_of(rect: Rect, side: int = CELL) -> list[Rect]:
    """List the cells of a grid that a window touches."""
    return [
        Rect(top, left, top + side, left + side)
        for top in range(rect.top // side * side, rect.bottom, side)
        for left in range(rect.left // side * side, rect.right, side)
    ]
