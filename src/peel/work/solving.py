"""Solve what a job's edits left unsolved: the whole band, or the window that a stroke can affect."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from peel.errors import SolveError
from peel.job.edits import with_matte
from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import FloatArray
from peel.matte.conjugate_gradients import Progress, SolveReport
from peel.matte.solve import SolveSettings, solve_matte
from peel.matte.trimap import BACKGROUND, FOREGROUND

__all__ = ["Window", "check_solvable", "solve_job", "window_for"]

_MARGIN: Final = 32  # pixels that a stroke is first given to settle in
_RIM: Final = 2  # pixels held at the present matte: as many as the windows of the Laplacian reach
_SETTLED: Final = 2 / 255
_WIDEST: Final = 4  # times that a window may be widened


@dataclass(frozen=True)
class Window:
    """A solved part of the photo."""

    rect: Rect
    alpha: FloatArray
    report: SolveReport


def check_solvable(job: Job) -> None:
    """Make sure that the zones allow a matte.

    Raises
    ------
    SolveError
        If there is no subject or no backdrop to tell apart.
    """
    values = {tile.constant for tile in job.zones.tiles}
    for value, name, hint in (
        (FOREGROUND, "subject", "Mark some of what belongs to it."),
        (BACKGROUND, "backdrop", "Leave some of it outside the mark."),
    ):
        mixed = (tile.values for tile in job.zones.tiles if tile.constant is None)
        if value not in values and not any((tile == value).any() for tile in mixed):
            message = f"{job.photo.name} has no {name} in its zones."
            raise SolveError(message, hint)


def window_for(job: Job, rect: Rect, margin: int) -> Rect:
    """Give the window to solve around a change."""
    return rect.grown(margin).intersection(job.photo.bounds)


def solve_job(job: Job, progress: Callable[[float], bool] | None = None) -> Job:
    """Bring the matte up to the zones.

    Parameters
    ----------
    job : Job
    progress : callable, optional
        Told the share done; answers False to stop.

    Returns
    -------
    Job
        With nothing unsolved.

    Raises
    ------
    Cancelled
        If `progress` said to stop.
    """
    for number, rect in enumerate(job.unsolved):
        share = _part_of(progress, number, len(job.unsolved))
        window = _solve_around(job, rect, share)
        job = with_matte(job, window.rect, window.alpha, [rect])
    return job


def _part_of(progress: Progress | None, number: int, count: int) -> Progress | None:
    if progress is None:
        return None
    return lambda share: progress((number + share) / count)


def _solve_around(job: Job, rect: Rect, progress: Progress | None) -> Window:
    """Solve a window around a change, widening it while its border still wants to move."""
    margin = _MARGIN
    for _ in range(_WIDEST):
        window = _solve_window(job, window_for(job, rect, margin), progress)
        if not _wants_room(job, window):
            break
        margin *= 2
    return window


def _solve_window(job: Job, rect: Rect, progress: Progress | None) -> Window:
    zones = job.zones.read(rect)
    before = job.alpha(rect)
    held = np.full(before.shape, np.nan, np.float32)
    inner = _inner(job, rect)
    held[...] = before
    held[inner] = np.nan
    alpha, report = solve_matte(job.photo.colours(rect), zones, rim=held, settings=SolveSettings(), progress=progress)
    return Window(rect, alpha, report)


def _inner(job: Job, rect: Rect) -> tuple[slice, slice]:
    """Index the part of a window that is free to move: all but the rim, which the photo's own frame has not."""
    bounds = job.photo.bounds
    return (
        slice(0 if rect.top == bounds.top else _RIM, rect.height - (0 if rect.bottom == bounds.bottom else _RIM)),
        slice(0 if rect.left == bounds.left else _RIM, rect.width - (0 if rect.right == bounds.right else _RIM)),
    )


def _wants_room(job: Job, window: Window) -> bool:
    """Tell whether the matte just inside the held border moved, so that it would move beyond it too."""
    bounds, rect = job.photo.bounds, window.rect
    if rect == bounds:
        return False
    moved = np.abs(window.alpha - job.alpha(rect)) > _SETTLED
    deep = 3 * _RIM
    edges = []
    if rect.top > bounds.top:
        edges.append(moved[:deep])
    if rect.bottom < bounds.bottom:
        edges.append(moved[-deep:])
    if rect.left > bounds.left:
        edges.append(moved[:, :deep])
    if rect.right < bounds.right:
        edges.append(moved[:, -deep:])
    return any(bool(edge.any()) for edge in edges)
