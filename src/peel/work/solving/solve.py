"""Solve the part of a job that its edits left unsolved: the whole band, or what a stroke can affect."""

from collections.abc import Callable
from functools import cache, partial
from typing import Final

import numpy as np

from peel.errors import SolveError
from peel.job.edits.values import with_matte
from peel.job.job import Job
from peel.job.plane import Plane
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.parallel import checkpoint
from peel.matte.solve.closed_form import COLOUR_MARGIN
from peel.matte.solve.conjugate_gradients import NOTHING_TO_DO, Progress, SolveReport, together
from peel.work.separating.tones import with_found
from peel.work.solving.free_pixels import Palette, palette_of, solve_free, widened
from peel.work.solving.mixing import with_mixing
from peel.work.solving.sized import solve_step
from peel.work.solving.solve_pieces import NEAR, WIDEST, SolvePiece, pieces_of, unsolved_rect
from peel.work.solving.spilling import with_spill
from peel.work.solving.windows import solve_windows, solved_roughly

__all__ = ["check_solvable", "solve_job"]

Interim = Callable[[Job], None] | None

_RIM: Final = 4  # width, in pixels, of the held rim
_WIDEST: Final = WIDEST - _RIM
_BLEND: Final = 0.6  # share of the margin over which the new matte is blended into the old one
_OUTER: Final = 0.5  # share of the margin beyond which the matte should not move
_SETTLED: Final = 6 / 255
_LARGE: Final = 3_000_000  # pixels, at the size at which they are solved, from which a piece is solved window by window
_FEW: Final = 0.1  # share of those pixels that may move before the window is widened


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


def solve_job(
    job: Job,
    progress: Progress | None = None,
    interim: Callable[[Job], None] | None = None,
    *,
    first: Rect | None = None,
) -> tuple[Job, SolveReport]:
    """Bring the matte up to the zones.

    Parameters
    ----------
    job : Job
    progress : callable, optional
        Called with the share done.
    interim : callable, optional
        Called with the job as far as it is solved, or coarsely solved, while the rest is computed.
    first : Rect, optional
        Where the last change was made: the pieces nearest to it are solved first.

    Returns
    -------
    Job
        With nothing unsolved.
    SolveReport
        All pieces together; the worst of their residuals and movements, the most of their iterations.

    Raises
    ------
    Cancelled
        If it is cancelled; see `peel.matte.parallel.cancellable`.

    Notes
    -----
    Only pixels of the band near a change are free to move; the rest is held at the present matte. Pieces of band that
    do not touch are solved one after another, and each is shown when it is done.
    """
    tiles = unsolved_rect(job)
    if tiles.is_empty:
        return job, NOTHING_TO_DO
    job = with_spill(with_found(with_mixing(job)))
    checkpoint()
    pieces = pieces_of(job, first)
    checkpoint()
    palette = cache(partial(palette_of, job))
    total, done = sum(piece.size for piece in pieces), 0
    reports = []
    for piece in pieces:

        def notify(share: float, piece: SolvePiece = piece, done: int = done) -> None:
            if progress:
                progress((done + share * piece.size) / total)

        job, report = _solve_piece(job, piece, palette, first, notify, interim)
        reports.append(report)
        done += piece.size
        if progress:
            progress(done / total)
        if interim and done < total:
            interim(job)
    return job.with_planes(unsolved=_cleared(job, tiles)), together(reports)


def _cleared(job: Job, tiles: Rect) -> Plane:
    return job.unsolved.write(tiles, np.zeros((tiles.height, tiles.width), np.uint8))


def _solve_piece(
    job: Job, piece: SolvePiece, palette: Palette, first: Rect | None, progress: Progress, interim: Interim
) -> tuple[Job, SolveReport]:
    """Solve a piece near a change; while it moves far from the change, show it, widen the window and go on."""

    def show(rect: Rect, alpha: FloatArray) -> None:
        if interim is not None:
            interim(with_matte(job, rect, alpha, settled=False))

    margin, left = NEAR, 1.0
    while True:
        rect = piece.within(margin + _RIM)
        distance = piece.distance[rect.within(piece.window)]
        is_cut = bool(((distance > margin) & (distance <= margin + _RIM)).any())
        is_last = not is_cut or margin >= _WIDEST
        notify = partial(_report_window, progress, left, 1.0 if is_last else 0.5)
        near = distance <= margin
        if np.count_nonzero(near) > _LARGE * solve_step(job.photo) ** 2:
            seen = interim if is_last else None
            after, report = solve_windows(job, rect, near, palette, first=first, progress=notify, interim=seen)
            if not is_cut:
                return piece.settled(after), report
            solved = after.alpha(rect)
        else:
            if interim and not is_cut:
                interim(solved_roughly(job, rect, near))
            elif interim and margin == NEAR and solve_step(job.photo) > 1:  # else it is as quick as a rough answer
                show(rect, _blended(solved_roughly(job, rect, near).alpha(rect), job.alpha(rect), distance, margin))
            solved, report = _solve_near(job, rect, near, palette, notify)
        before = job.alpha(rect)
        alpha = _blended(solved, before, distance, margin) if is_cut else solved
        if is_last or not _is_restless(solved, before, distance, margin):
            return piece.settled(with_matte(job, rect, alpha, settled=False)), report
        show(rect, alpha)
        margin, left = min(2 * margin, _WIDEST), left / 2


def _report_window(progress: Progress, left: float, portion: float, share: float) -> None:
    """Report the share done of a window as that of its piece; a wider one may follow, and counts for half the rest."""
    progress(1 - left * (1 - portion * share))


def _solve_near(
    job: Job, rect: Rect, near: BoolArray, palette: Palette, progress: Progress
) -> tuple[FloatArray, SolveReport]:
    """Solve the pixels near a change, with the others held at the present matte."""
    around = widened(rect, COLOUR_MARGIN, solve_step(job.photo)).intersection(job.photo.bounds)
    inner = rect.within(around)
    pixels = np.zeros((around.height, around.width), bool)
    pixels[inner] = near
    solved, report = solve_free(job, around, pixels, palette, progress)
    return solved[inner], report


def _blended(solved: FloatArray, before: FloatArray, distance: FloatArray, margin: float) -> FloatArray:
    """Blend a new matte into the old one away from the change, where it moved only to meet the held rim."""
    share = np.clip((np.float32(margin) - distance) / np.float32(margin * _BLEND), 0, 1)
    return before + (solved - before) * share


def _is_restless(solved: FloatArray, before: FloatArray, distance: FloatArray, margin: float) -> bool:
    """Return whether the matte moved far from the change; right beside the held rim it hardly can."""
    outer = (distance > margin * _OUTER) & (distance <= margin)
    moved = np.abs(solved - before)[outer] > _SETTLED
    return bool(moved.size and moved.mean() > _FEW)
