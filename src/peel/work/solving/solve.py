"""Solve the part of a job that its edits left unsolved: the whole band, or what a stroke can affect."""

from collections.abc import Callable
from functools import cache, partial
from typing import Final

import numpy as np

from peel.errors import SolveError
from peel.job.edits.kinds import is_said, kinds_in
from peel.job.edits.values import with_matte
from peel.job.job import Job
from peel.job.question import solve_settings
from peel.job.rect import Rect
from peel.job.settings import rgb_from_hex
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.edge.kind import KINDS
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.parallel import checkpoint
from peel.matte.solve.closed_form import ALIGNMENT, COLOUR_MARGIN, Given, solve_matte
from peel.matte.solve.conjugate_gradients import NOTHING_TO_DO, Progress, SolveReport
from peel.matte.solve.evidence import Evidence, gather_evidence
from peel.matte.solve.kind_terms import term_maps
from peel.matte.solve.noise import NoiseCurve
from peel.matte.solve.patches import REACH_PX
from peel.matte.solve.sampling import ColourPrior, colour_prior, subject_palette
from peel.matte.solve.settings import SolveSettings
from peel.matte.solve.term_maps import TermMaps
from peel.matte.srgb import to_linear
from peel.work.separating.pulls import Separated, separate
from peel.work.separating.tones import with_found
from peel.work.solving.mixing import with_mixing
from peel.work.solving.noise import noise_of
from peel.work.solving.solve_pieces import NEAR, WIDEST, SolvePiece, pieces_of, unsolved_rect
from peel.work.solving.spilling import with_spill

__all__ = ["check_solvable", "solve_job"]

Palette = Callable[[], FloatArray]  # found when first asked for

_ONLY_SAID: Final = tuple(kind for kind, spec in KINDS.items() if not spec.suggests)
_CONTEXT: Final = 300  # pixels around a window that are sampled for its colour prior
_RIM: Final = 4  # width, in pixels, of the held rim
_WIDEST: Final = WIDEST - _RIM
_BLEND: Final = 0.6  # share of the margin over which the new matte is blended into the old one
_OUTER: Final = 0.5  # share of the margin beyond which the matte should not move
_SETTLED: Final = 6 / 255
_ALL: Final = 0.999  # share of the matte from which the tone alone is the matte
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
    palette = cache(partial(_palette, job))
    total, done = sum(piece.size for piece in pieces), 0
    reports = []
    for piece in pieces:

        def notify(share: float, piece: SolvePiece = piece, done: int = done) -> None:
            if progress:
                progress((done + share * piece.size) / total)

        job, report = _solve_piece(job, piece, palette, notify, interim)
        reports.append(report)
        done += piece.size
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


def _solve_piece(
    job: Job, piece: SolvePiece, palette: Palette, progress: Progress, interim: Callable[[Job], None] | None
) -> tuple[Job, SolveReport]:
    """Solve a piece near a change; while it moves far from the change, show it, widen the window and go on."""

    def show(rect: Rect, alpha: FloatArray) -> None:
        if interim is not None:
            interim(with_matte(job, rect, alpha, settled=False))

    margin, left = NEAR, 1.0
    while True:
        rect = piece.within(margin + _RIM)
        distance = piece.distance[rect.within(piece.window)]
        before = job.alpha(rect)
        is_cut = bool(((distance > margin) & (distance <= margin + _RIM)).any())
        preview = None if is_cut else partial(show, rect)  # beside a settled matte a preliminary one would flicker
        is_last = not is_cut or margin >= _WIDEST
        notify = partial(_report_window, progress, left, 1.0 if is_last else 0.5)
        solved, report = _solve_near(job, rect, distance <= margin, palette, notify, preview)
        alpha = _blended(solved, before, distance, margin) if is_cut else solved
        if is_last or not _is_restless(solved, before, distance, margin):
            return piece.settled(with_matte(job, rect, alpha, settled=False)), report
        show(rect, alpha)
        margin, left = min(2 * margin, _WIDEST), left / 2


def _report_window(progress: Progress, left: float, portion: float, share: float) -> None:
    """Report the share done of a window as that of its piece; a wider one may follow, and counts for half the rest."""
    progress(1 - left * (1 - portion * share))


def _solve_near(
    job: Job,
    rect: Rect,
    near: BoolArray,
    palette: Palette,
    progress: Progress,
    preview: Callable[[FloatArray], None] | None,
) -> tuple[FloatArray, SolveReport]:
    """Solve the pixels near a change, with the others held at the present matte.

    It starts from one half like a whole solve, not from the old matte: the priors follow from the preliminary
    solutions, which must be those of a whole solve if the result is to agree with one.
    """
    around = _widened(rect, COLOUR_MARGIN).intersection(job.photo.bounds)
    inner, shape = rect.within(around), (job.photo.height, job.photo.width)
    zones = job.zones.read(around)
    free = np.zeros(zones.shape, bool)
    free[inner] = near
    others = (zones != BACKGROUND) & (zones != FOREGROUND) & ~free
    colours = _encoded(job, job.photo.colours(around))
    separated = separate(job, around, colours)
    held = np.where(others, job.alpha(around), np.float32(np.nan)) if others.any() else None
    if separated is not None:
        held, free = _held_by_tone(separated, held, free)
        if not free.any():
            return _toned(separated, job.alpha(around), near, inner), NOTHING_TO_DO
    settings = solve_settings(job.settings.recipe.solving)
    maps = _maps_for(job, around)
    evidence = _evidence_for(job, around, free, settings)
    if separated is not None:
        evidence = evidence.pulled(separated.weight, separated.pull)
    prior = _prior_for(job, around, free, palette())
    checkpoint()
    given = Given(
        rim=held,
        guide=None if separated is None else separated.guide,
        prior=prior,
        evidence=evidence,
        noise=_noise(job),
        own_colours=_sheer_colours(job),
        photo_shape=shape,
        maps=maps,
    )
    shown = (lambda alpha: preview(alpha[inner])) if preview else None
    solved, report = solve_matte(colours, zones, given, settings=settings, progress=progress, interim=shown)
    return (solved[inner] if separated is None else _toned(separated, solved, near, inner)), report


def _held_by_tone(
    separated: Separated, held: FloatArray | None, free: BoolArray
) -> tuple[FloatArray | None, BoolArray]:
    """Hold the pixels whose matte is the tone's alone."""
    toned = free & (separated.share > _ALL)
    if not toned.any():
        return held, free
    if held is None:
        held = np.full(free.shape, np.nan, np.float32)
    return np.where(toned, separated.alpha, held), free & ~toned


def _toned(separated: Separated, alpha: FloatArray, near: BoolArray, inner: tuple[slice, slice]) -> FloatArray:
    """Cross-fade a window from the solved matte to the tone's."""
    solved, share = alpha[inner], separated.share[inner] * near
    return np.asarray(solved + share * (separated.alpha[inner] - solved), np.float32)


def _blended(solved: FloatArray, before: FloatArray, distance: FloatArray, margin: float) -> FloatArray:
    """Blend a new matte into the old one away from the change, where it moved only to meet the held rim."""
    share = np.clip((np.float32(margin) - distance) / np.float32(margin * _BLEND), 0, 1)
    return before + (solved - before) * share


def _is_restless(solved: FloatArray, before: FloatArray, distance: FloatArray, margin: float) -> bool:
    """Return whether the matte moved far from the change; right beside the held rim it hardly can."""
    outer = (distance > margin * _OUTER) & (distance <= margin)
    moved = np.abs(solved - before)[outer] > _SETTLED
    return bool(moved.size and moved.mean() > _FEW)


def _palette(job: Job) -> FloatArray:
    """Return the subject's palette, in the solve's encoding."""
    return _encoded(job, subject_palette(job.photo.pixels, job.zones.read()))


def _sheer_colours(job: Job) -> FloatArray:
    """Return the colours of sheer material, in the solve's encoding."""
    return _encoded(job, _own_colours(job))


def _own_colours(job: Job) -> FloatArray:
    own = [rgb_from_hex(colour) for colour in job.settings.photo.sheer_colours]
    return np.array(own, np.float32).reshape(-1, 3)


def _prior_for(job: Job, rect: Rect, near: BoolArray, palette: FloatArray) -> ColourPrior:
    """Compute the sampled-colour prior of the pixels near a change, with samples from a wider neighbourhood."""
    around = _widened(rect, _CONTEXT - COLOUR_MARGIN).intersection(job.photo.bounds)
    wanted = np.zeros((around.height, around.width), bool)
    wanted[rect.within(around)] = near
    shape = (job.photo.height, job.photo.width)
    checkpoint()
    colours, zones = _encoded(job, job.photo.colours(around)), job.zones.read(around)
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


def _evidence_for(job: Job, rect: Rect, near: BoolArray, settings: SolveSettings) -> Evidence:
    """Gather the kinds' evidence for the pixels near a change, from as far around as similar patches may lie."""
    around = _widened(rect, REACH_PX - COLOUR_MARGIN).intersection(job.photo.bounds)
    wanted = np.zeros((around.height, around.width), bool)
    wanted[rect.within(around)] = near
    evidence = gather_evidence(
        job.photo.colours(around),
        job.zones.read(around),
        wanted,
        settings.terms,
        _maps_for(job, around),
        is_linear=job.settings.photo.is_linear,
        own_colours=_own_colours(job),
        photo_shape=(job.photo.height, job.photo.width),
    )
    return evidence.part(rect.within(around))


def _maps_for(job: Job, rect: Rect) -> TermMaps | None:
    """Return how the kinds in a window weigh the terms.

    A mere suggestion of sheer cloth is not solved by unless a colour was picked for it: taken for sheer, a hard edge
    would come out half-clear.
    """
    kinds = kinds_in(job, rect)
    if not job.settings.photo.sheer_colours:
        kinds[np.isin(kinds, _ONLY_SAID) & ~is_said(job, rect)] = 0
    return term_maps(kinds)


def _widened(rect: Rect, margin: int) -> Rect:
    """Widen a window by a margin, and to where blocks of pixels begin."""
    wide = rect.grown(margin)
    return Rect(wide.top // ALIGNMENT * ALIGNMENT, wide.left // ALIGNMENT * ALIGNMENT, wide.bottom, wide.right)


def _encoded(job: Job, colours: FloatArray) -> FloatArray:
    """Return colours in the solve's encoding: linear light where the photo mixes so."""
    return to_linear(colours) if job.settings.photo.is_linear else colours


def _noise(job: Job) -> NoiseCurve:
    return noise_of(job.photo).in_linear_light() if job.settings.photo.is_linear else noise_of(job.photo)
