"""Solve a large stretch of band window by window, so that memory depends on the window and not on the photo.

Each window is solved with its rim held at a rough matte of the whole stretch. Near the border between two windows both
answers are blended (restricted additive Schwarz [1]_, with a smooth partition of unity), so that no seam is left.

References
----------
.. [1] X.-C. Cai, M. Sarkis, "A restricted additive Schwarz preconditioner for general sparse linear systems", SIAM
   Journal on Scientific Computing 21(2), 1999, pp. 792-797. :doi:`10.1137/S106482759732678X`
"""

import threading
from collections.abc import Callable
from functools import partial
from itertools import pairwise, product
from math import ceil, sqrt
from typing import Final

import numpy as np

from peel.job.edits.values import with_matte
from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, FloatArray, IntArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.parallel import checkpoint, run_all
from peel.matte.solve.conjugate_gradients import Progress, SolveReport, together
from peel.work.solving.free_pixels import CONTEXT_PX, Palette, solve_free, solve_small, widened
from peel.work.solving.sized import solve_step

__all__ = ["SIDE", "solve_windows", "solved_roughly"]

SIDE: Final = 1024
"""Side of the part of a window that is its own, in pixels of the size at which the photo is solved."""

_NARROWEST: Final = 4  # a rest narrower than this part of a side belongs to the window before it
_MARGIN: Final = 64  # pixels around that part which are solved with it
_SEEN: Final = 32  # ... and around these, whose colours enter the local colour model
_BLEND: Final = 36  # pixels to either side of a border over which two windows blend
_UNIT: Final = 65535 * 256  # of the sums: a 256th of a step of the stored matte
_ROUGH_PIXELS: Final = 700_000  # of the photo at the size of the rough matte, about
_ROUGH: Final = 0.05  # share of the work that the rough matte is


def solve_windows(
    job: Job,
    rect: Rect,
    near: BoolArray,
    palette: Palette,
    *,
    first: Rect | None = None,
    progress: Progress,
    interim: Callable[[Job], None] | None = None,
) -> tuple[Job, SolveReport]:
    """Solve the free pixels of a large rectangle.

    Parameters
    ----------
    job : Job
    rect : Rect
    near : (H, W) bool ndarray
        The pixels of the rectangle that are free, if they belong to the band; others are held at the present matte.
    palette : callable
    first : Rect, optional
        Where to begin.
    progress : callable
        Called with the share done.
    interim : callable, optional
        Called with the job as far as it is solved: first with a rough matte of all of it, then window by window.

    Returns
    -------
    Job
        With the matte; all of it still counts as unsolved.
    SolveReport
    """
    job = solved_roughly(job, rect, near)
    progress(_ROUGH)
    if interim:
        interim(job)
    windows = _Windows(job, rect, near, palette)
    own = [part for part in _grid(rect, SIDE * solve_step(job.photo)) if windows.free_in(part).any()]
    if first is not None:
        own.sort(key=partial(_away, first))
    done = 0

    def solve(part: Rect) -> SolveReport:
        nonlocal done
        report = windows.solve(part)
        with windows.turn:
            done += 1
            progress(_ROUGH + (1 - _ROUGH) * done / len(own))
            if interim and done < len(own):
                interim(windows.job)
        return report

    reports = run_all([partial(solve, part) for part in own])
    return windows.job, together(reports)


def solved_roughly(job: Job, rect: Rect, near: BoolArray) -> Job:
    """Return a job with a rough matte of the free pixels; parameters are those of `solve_windows`."""
    step = max(2 * solve_step(job.photo), ceil(sqrt(rect.height * rect.width / _ROUGH_PIXELS)))
    around = widened(rect, CONTEXT_PX, solve_step(job.photo)).intersection(job.photo.bounds)
    pixels = np.zeros((around.height, around.width), bool)
    pixels[rect.within(around)] = near
    small = solve_small(job, around, pixels, step)
    for part in _grid(rect, SIDE):
        inside = part.within(rect)
        zones = job.zones.read(part)
        free = near[inside] & (zones != BACKGROUND) & (zones != FOREGROUND)
        if free.any():
            checkpoint()
            alpha = job.alpha(part)
            small.enlarge(job, part, free, alpha)
            job = with_matte(job, part, alpha, settled=False)
    return job


class _Windows:
    """The sum of the windows solved so far.

    Parameters
    ----------
    job : Job
        With a rough matte, from which each window's own differs by what is added to the sum.
    rect, near, palette
        As in `solve_windows`.

    Attributes
    ----------
    job : Job
        As far as it is solved.
    turn : Lock
        Held while it changes.
    """

    def __init__(self, job: Job, rect: Rect, near: BoolArray, palette: Palette) -> None:
        self.job = self._rough = job
        self.turn = threading.RLock()
        self._rect, self._near, self._palette = rect, near, palette
        # whole numbers: their sum does not depend on the order in which windows are done
        self._sum = job.matte.read(rect).astype(np.int32) * np.int32(_UNIT // 65535)

    def free_in(self, part: Rect) -> BoolArray:
        """Return which pixels of a part of the rectangle are free; (h, w)."""
        zones = self._rough.zones.read(part)
        return self._near[part.within(self._rect)] & (zones != BACKGROUND) & (zones != FOREGROUND)

    def solve(self, own: Rect) -> SolveReport:
        """Solve a window and add it to the sum."""
        inner = own.grown(_MARGIN).intersection(self._rect)
        seen = widened(inner, _SEEN, solve_step(self._rough.photo)).intersection(self._rough.photo.bounds)
        pixels = np.zeros((seen.height, seen.width), bool)
        pixels[inner.within(seen)] = self._near[inner.within(self._rect)]
        solved, report = solve_free(self._rough, seen, pixels, self._palette)
        self._add(own, inner, solved[inner.within(seen)])
        return report

    def _add(self, own: Rect, inner: Rect, solved: FloatArray) -> None:
        blended = own.grown(_BLEND).intersection(self._rect)
        at = blended.within(inner)
        more = (solved[at] - self._rough.alpha(blended)) * self._weights(own, blended)
        whole = np.rint(more * np.float32(_UNIT)).astype(np.int32)
        with self.turn:
            part = self._sum[blended.within(self._rect)]
            part += whole
            self.job = with_matte(self.job, blended, _alpha(part), settled=False)

    def _weights(self, own: Rect, blended: Rect) -> FloatArray:
        """Return how much a window counts: with its neighbours' weights it adds up to 1."""
        down = _ramp(own.top, own.bottom, blended.top, blended.bottom, self._rect.top, self._rect.bottom)
        across = _ramp(own.left, own.right, blended.left, blended.right, self._rect.left, self._rect.right)
        return np.asarray(down[:, None] * across[None, :], np.float32)


def _alpha(sums: IntArray) -> FloatArray:
    return np.asarray(np.clip(sums / np.float32(_UNIT), 0, 1), np.float32)


def _ramp(start: int, stop: int, first: int, last: int, least: int, most: int) -> FloatArray:
    """Return the weights along one axis, which rise and fall over the borders that have a neighbour."""
    at = np.arange(first, last) + 0.5
    weight = np.ones(len(at))
    if start > least:
        weight = np.minimum(weight, (at - start + _BLEND) / (2 * _BLEND))
    if stop < most:
        weight = np.minimum(weight, (stop - at + _BLEND) / (2 * _BLEND))
    return np.clip(weight, 0, 1)


def _grid(rect: Rect, side: int) -> list[Rect]:
    """Cut a rectangle where every window begins, at multiples of their side."""
    ends = (rect.top, rect.bottom), (rect.left, rect.right)
    down, across = (list(pairwise(_cuts(*part, side))) for part in ends)
    return [Rect(top, left, bottom, right) for (top, bottom), (left, right) in product(down, across)]


def _cuts(start: int, stop: int, side: int) -> list[int]:
    """Return where windows begin and end along one axis; none is narrow."""
    between = range(start // side * side + side, stop, side)
    return [start, *(cut for cut in between if min(cut - start, stop - cut) >= side // _NARROWEST), stop]


def _away(place: Rect, part: Rect) -> float:
    """Return the squared distance between the centres of two rectangles."""
    down = place.top + place.bottom - part.top - part.bottom
    right = place.left + place.right - part.left - part.right
    return down * down + right * right
