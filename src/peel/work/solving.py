"""Solve what a job's edits left unsolved: the whole band, or what a stroke can affect."""

from collections.abc import Callable
from typing import Final

import cv2
import numpy as np

from peel.errors import SolveError
from peel.job.edits import with_matte
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import rgb_from_hex
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.conjugate_gradients import Progress
from peel.matte.light import mixes_as_light
from peel.matte.noise import NoiseCurve
from peel.matte.sampling import ColourPrior, colour_prior, subject_palette
from peel.matte.solve import solve_matte
from peel.matte.srgb import to_light
from peel.matte.trimap import BACKGROUND, FOREGROUND

__all__ = ["check_solvable", "solve_job", "unsolved_rect"]

_MARGIN: Final = 64  # pixels around a change that are first given to settle
_WIDEST: Final = 112
_CONTEXT: Final = 300  # pixels around a window that lend it their colours
_RIM: Final = 4  # pixels just inside the held rim that show whether it wants to move
_RUN_OUT: Final = 0.6  # of a margin in which a new answer gives way to the old one
_SETTLED: Final = 8 / 255
_FEW: Final = 0.05  # share of the pixels beside the rim that may move without a wider look


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


def unsolved_rect(job: Job) -> Rect:
    """Give the smallest rectangle of whole tiles around everything unsolved; empty if nothing is."""
    tiles = enumerate(job.unsolved.tiles)
    return Rect.around(job.unsolved.tile_rect(number) for number, tile in tiles if tile.constant != 0)


def solve_job(job: Job, progress: Progress | None = None, interim: Callable[[Job], None] | None = None) -> Job:
    """Bring the matte up to the zones.

    Parameters
    ----------
    job : Job
    progress : callable, optional
        Told the share done; answers False to stop.
    interim : callable, optional
        Given the job with a coarse matte while the finer one is computed.

    Returns
    -------
    Job
        With nothing unsolved.

    Raises
    ------
    Cancelled
        If `progress` said to stop.

    Notes
    -----
    Only pixels of the band near a change are free to move; the rest is held at the present matte. Where the matte
    moves right beside what is held, that answer is shown and the neighbourhood is widened and solved from there.
    """
    tiles = unsolved_rect(job)
    if tiles.is_empty:
        return job
    if job.settings.matte.mixing is None:
        in_light = mixes_as_light(job.photo.pixels, job.zones.read())
        mixing = "light" if in_light else "value"
        job = job.with_settings(matte=job.settings.matte.model_copy(update={"mixing": mixing}))
    whole = tiles.grown(_WIDEST).intersection(job.photo.bounds)
    changed = job.unsolved.read(whole) > 0
    if changed.all():
        distance = np.zeros(changed.shape, np.float32)
    else:
        distance = np.asarray(cv2.distanceTransform((~changed).astype(np.uint8), cv2.DIST_L2, 5), np.float32)
    start: FloatArray | None = None
    palette = _palette(job)
    margin = _MARGIN
    while True:
        rect = _around(distance <= margin + _RIM, whole)
        near = distance[rect.within(whole)] <= margin

        def show(coarse: FloatArray, rect: Rect = rect) -> None:
            if interim is not None:
                interim(with_matte(job, rect, coarse, settled=False))

        prior = _prior_for(job, rect, near, palette)
        solved, restless = _solve_near(job, rect, near, start, prior, progress, show)
        alpha = _joined(solved, job.alpha(rect), distance[rect.within(whole)], margin)
        if not restless or margin >= _WIDEST:
            return with_matte(_settled(job, tiles), rect, alpha)
        if interim is not None:
            interim(with_matte(job, rect, alpha, settled=False))
        margin = _WIDEST
        wider = _around(distance <= margin + _RIM, whole)
        start = job.alpha(wider)
        start[rect.within(wider)] = solved


def _joined(solved: FloatArray, before: FloatArray, distance: FloatArray, margin: float) -> FloatArray:
    """Let a new answer run out into what was there: far from a change, what moved only did so for the rim's sake."""
    share = np.clip((np.float32(margin) - distance) / np.float32(margin * _RUN_OUT), 0, 1)
    return before + (solved - before) * share


def _settled(job: Job, tiles: Rect) -> Job:
    """Strike everything off the list of what is unsolved; most of it is fixed by the zones anyway."""
    return with_matte(job, tiles, job.alpha(tiles))


def _around(mask: BoolArray, whole: Rect) -> Rect:
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    return Rect(
        whole.top + int(rows[0]),
        whole.left + int(columns[0]),
        whole.top + int(rows[-1]) + 1,
        whole.left + int(columns[-1]) + 1,
    )


def _solve_near(
    job: Job,
    rect: Rect,
    near: BoolArray,
    start: FloatArray | None,
    prior: ColourPrior,
    progress: Progress | None,
    interim: Callable[[FloatArray], None],
) -> tuple[FloatArray, bool]:
    """Solve the band near a change; tell whether it moved right beside what is held."""
    zones, before = job.zones.read(rect), job.alpha(rect)
    band = (zones != BACKGROUND) & (zones != FOREGROUND)
    held = np.where(near, np.float32(np.nan), before)
    if start is None and (band & ~near).any():
        start = before  # a matte all of whose band is solved anew must not depend on what it was
    alpha, _ = solve_matte(
        _seen(job, job.photo.colours(rect)),
        zones,
        start=start,
        rim=held,
        prior=prior,
        noise=_noise(job),
        progress=progress,
        interim=interim,
    )
    rim = (band & ~near).astype(np.uint8)
    if not rim.any():
        return alpha, False
    beside = cv2.dilate(rim, np.ones((2 * _RIM + 1, 2 * _RIM + 1), np.uint8)).astype(bool) & near & band
    moved = np.abs(alpha - before)[beside] > _SETTLED
    return alpha, bool(moved.size and moved.mean() > _FEW)


def _palette(job: Job) -> FloatArray:
    """Give the subject's colours, those of sheer material included, as the solve looks at them."""
    own = np.array([rgb_from_hex(colour) for colour in job.settings.matte.own_colours], np.float32).reshape(-1, 3)
    return _seen(job, np.concatenate([subject_palette(job.photo.pixels, job.zones.read()), own]))


def _prior_for(job: Job, rect: Rect, near: BoolArray, palette: FloatArray) -> ColourPrior:
    """Ask colour about the pixels near a change, lending the colours of a wider neighbourhood."""
    wide = rect.grown(_CONTEXT)
    even = Rect(wide.top // 2 * 2, wide.left // 2 * 2, wide.bottom, wide.right)
    around = even.intersection(job.photo.bounds)
    wanted = np.zeros((around.height, around.width), bool)
    wanted[rect.within(around)] = near
    shape = (job.photo.height, job.photo.width)
    colours, zones = _seen(job, job.photo.colours(around)), job.zones.read(around)
    prior = colour_prior(colours, zones, noise=_noise(job), wanted=wanted, photo_shape=shape, own_colours=palette)
    return prior.part(rect.within(around))


def _seen(job: Job, colours: FloatArray) -> FloatArray:
    """Give colours as the solve looks at them: as amounts of light where the photo mixes so."""
    return to_light(colours) if job.settings.matte.mixing == "light" else colours


def _noise(job: Job) -> NoiseCurve:
    return job.photo.noise.in_light() if job.settings.matte.mixing == "light" else job.photo.noise
