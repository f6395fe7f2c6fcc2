"""Solve what a job's edits left unsolved: the whole band, or what a stroke can affect."""

from collections.abc import Callable
from functools import partial
from typing import Final

import numpy as np

from peel.errors import SolveError
from peel.job.edits import with_matte
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import rgb_from_hex
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.conjugate_gradients import NOTHING_TO_DO, Progress, SolveReport
from peel.matte.light import mixes_as_light
from peel.matte.noise import NoiseCurve
from peel.matte.parallel import checkpoint
from peel.matte.sampling import ColourPrior, colour_prior, subject_palette
from peel.matte.solve import GRID, LENDING, solve_matte
from peel.matte.srgb import to_light
from peel.matte.trimap import BACKGROUND, FOREGROUND
from peel.work.patches import NEAR, WIDEST, Patch, patches_of, unsolved_rect

__all__ = ["check_solvable", "solve_job"]

_CONTEXT: Final = 300  # pixels around a window that lend it their colours
_RIM: Final = 4  # pixels of the held rim
_WIDEST: Final = WIDEST - _RIM
_RUN_OUT: Final = 0.6  # of a margin in which a new answer gives way to the old one
_OUTER: Final = 0.5  # of a margin: what lies beyond should rest
_SETTLED: Final = 6 / 255
_FEW: Final = 0.1  # share of those pixels that may move without a wider look


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
        Told the share done.
    interim : callable, optional
        Given the job as far as it is solved, or coarsely solved, while the rest is computed.
    first : Rect, optional
        Where the last change was made: what is nearest to it is solved first.

    Returns
    -------
    Job
        With nothing unsolved.
    SolveReport
        All pieces together; the worst of their residuals and movements, the most of their iterations.

    Raises
    ------
    Cancelled
        If it is called off; see `peel.matte.parallel.stopping`.

    Notes
    -----
    Only pixels of the band near a change are free to move; the rest is held at the present matte. Pieces of band that
    do not touch are solved one after another, and each is shown when it is done.
    """
    tiles = unsolved_rect(job)
    if tiles.is_empty:
        return job, NOTHING_TO_DO
    if job.settings.matte.mixing is None:
        in_light = mixes_as_light(job.photo.pixels, job.zones.read())
        mixing = "light" if in_light else "value"
        job = job.with_settings(matte=job.settings.matte.model_copy(update={"mixing": mixing}))
    checkpoint()
    patches = patches_of(job, first)
    checkpoint()
    palette = _palette(job)
    total, done = sum(patch.size for patch in patches), 0
    reports = []
    for patch in patches:

        def told(share: float, patch: Patch = patch, done: int = done) -> None:
            if progress:
                progress((done + share * patch.size) / total)

        job, report = _solve_patch(job, patch, palette, told, interim)
        reports.append(report)
        done += patch.size
        if progress:
            progress(done / total)
        if interim and done < total:
            interim(job)
    return with_matte(job, tiles, job.alpha(tiles)), _together(reports)


def _together(reports: list[SolveReport]) -> SolveReport:
    if not reports:
        return NOTHING_TO_DO
    return SolveReport(
        sum(report.unknowns for report in reports),
        max(report.iterations for report in reports),
        max(report.residual for report in reports),
        max(report.moved for report in reports),
        all(report.converged for report in reports),
    )


def _solve_patch(
    job: Job, patch: Patch, palette: FloatArray, progress: Progress, interim: Callable[[Job], None] | None
) -> tuple[Job, SolveReport]:
    """Solve a piece near what was changed; while it moves far from there, show it, widen it and go on."""

    def show(rect: Rect, alpha: FloatArray) -> None:
        if interim is not None:
            interim(with_matte(job, rect, alpha, settled=False))

    margin, left = NEAR, 1.0
    while True:
        rect = patch.within(margin + _RIM)
        distance = patch.distance[rect.within(patch.window)]
        before = job.alpha(rect)
        is_cut = bool(((distance > margin) & (distance <= margin + _RIM)).any())
        rough = None if is_cut else partial(show, rect)  # beside a settled matte a rough answer would only flicker
        is_last = not is_cut or margin >= _WIDEST
        told = partial(_tell, progress, left, 1.0 if is_last else 0.5)
        solved, report = _solve_near(job, rect, distance <= margin, palette, told, rough)
        alpha = _joined(solved, before, distance, margin) if is_cut else solved
        if is_last or not _is_restless(solved, before, distance, margin):
            return patch.settled(with_matte(job, rect, alpha, settled=False)), report
        show(rect, alpha)
        margin, left = min(2 * margin, _WIDEST), left / 2


def _tell(progress: Progress, left: float, portion: float, share: float) -> None:
    """Tell the share done of a window as that of its piece; a wider one may follow, and counts for half of the rest."""
    progress(1 - left * (1 - portion * share))


def _solve_near(
    job: Job,
    rect: Rect,
    near: BoolArray,
    palette: FloatArray,
    progress: Progress,
    rough: Callable[[FloatArray], None] | None,
) -> tuple[FloatArray, SolveReport]:
    """Solve the pixels near a change, the others held at the present matte.

    It begins where a whole solve begins: what is pulled where follows from the first rough answers, and these must be
    those of a whole solve if the last one is to be.
    """
    around = _lent(rect, LENDING).intersection(job.photo.bounds)
    inner, shape = rect.within(around), (job.photo.height, job.photo.width)
    zones = job.zones.read(around)
    free = np.zeros(zones.shape, bool)
    free[inner] = near
    others = (zones != BACKGROUND) & (zones != FOREGROUND) & ~free
    held = np.where(others, job.alpha(around), np.float32(np.nan)) if others.any() else None
    prior = _prior_for(job, around, free, palette)
    checkpoint()
    solved, report = solve_matte(
        _seen(job, job.photo.colours(around)),
        zones,
        rim=held,
        prior=prior,
        noise=_noise(job),
        own_colours=_own_colours(job),
        photo_shape=shape,
        progress=progress,
        interim=(lambda alpha: rough(alpha[inner])) if rough else None,
    )
    return solved[inner], report


def _joined(solved: FloatArray, before: FloatArray, distance: FloatArray, margin: float) -> FloatArray:
    """Let a new answer run out into what was there: far from a change, what moved only did so for the rim's sake."""
    share = np.clip((np.float32(margin) - distance) / np.float32(margin * _RUN_OUT), 0, 1)
    return before + (solved - before) * share


def _is_restless(solved: FloatArray, before: FloatArray, distance: FloatArray, margin: float) -> bool:
    """Tell whether the matte moved far from the change: right beside what is held it can hardly move."""
    outer = (distance > margin * _OUTER) & (distance <= margin)
    moved = np.abs(solved - before)[outer] > _SETTLED
    return bool(moved.size and moved.mean() > _FEW)


def _palette(job: Job) -> FloatArray:
    """Give colours that stand for the subject, as the solve looks at them."""
    return _seen(job, subject_palette(job.photo.pixels, job.zones.read()))


def _own_colours(job: Job) -> FloatArray:
    """Give the colours of sheer material, as the solve looks at them."""
    own = [rgb_from_hex(colour) for colour in job.settings.matte.own_colours]
    return _seen(job, np.array(own, np.float32).reshape(-1, 3))


def _prior_for(job: Job, rect: Rect, near: BoolArray, palette: FloatArray) -> ColourPrior:
    """Ask colour about the pixels near a change, lending the colours of a wider neighbourhood."""
    around = _lent(rect, _CONTEXT - LENDING).intersection(job.photo.bounds)
    wanted = np.zeros((around.height, around.width), bool)
    wanted[rect.within(around)] = near
    shape = (job.photo.height, job.photo.width)
    checkpoint()
    colours, zones = _seen(job, job.photo.colours(around)), job.zones.read(around)
    checkpoint()
    prior = colour_prior(
        colours,
        zones,
        noise=_noise(job),
        wanted=wanted,
        photo_shape=shape,
        palette=palette,
    )
    return prior.part(rect.within(around))


def _lent(rect: Rect, margin: int) -> Rect:
    """Widen a window by what lends it colours; it begins where blocks of pixels do."""
    wide = rect.grown(margin)
    return Rect(wide.top // GRID * GRID, wide.left // GRID * GRID, wide.bottom, wide.right)


def _seen(job: Job, colours: FloatArray) -> FloatArray:
    """Give colours as the solve looks at them: as amounts of light where the photo mixes so."""
    return to_light(colours) if job.settings.matte.in_light else colours


def _noise(job: Job) -> NoiseCurve:
    return job.photo.noise.in_light() if job.settings.matte.in_light else job.photo.noise
