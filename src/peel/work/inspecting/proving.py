"""Whether a mend of one key improves matters: it is made, and judged, before it is offered."""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.job.edits.kinds import HARD_CODES
from peel.job.job import Job
from peel.job.planes import PLANES
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.channels import length_of
from peel.matte.inspect.finds import find_sort
from peel.matte.inspect.reading import READING_REACH, Reading
from peel.matte.inspect.snags import Snag
from peel.matte.inspect.sorts import SnagSort
from peel.matte.inspect.visible import mended_alpha
from peel.matte.repair.profile import EdgeShape, shaped
from peel.work.inspecting.reading import reading_of
from peel.work.inspecting.snag_specs import SNAGS, mend
from peel.work.solving.solve import solve_job
from peel.work.stages import Stages

__all__ = ["Proof", "doubted", "prove"]

_CHANGED: Final = 0.01  # alpha
_BACKDROP, _SUBJECT = 1, 3  # codes of the plane of corrections
_SAID_PX: Final = 4  # pixels on which the person said otherwise that a mend may change
_MARGIN: Final = 40
_LARGEST: Final = 1500  # side of the window, in pixels, that is judged
_BETTER: Final = 0.3  # of what a mend changes that the photo has to speak for
_LEAST_TOLD: Final = 0.2  # of the changed pixels that have to say anything
_NEARER: Final = 0.8  # of the difference from the photo that may be left
_STEEPER: Final = 0.95  # of the agreement with the photo's gradients that has to be kept
_COLOUR: Final = {SnagSort.FRINGE_LIGHT, SnagSort.FRINGE_DARK, SnagSort.FRINGE_TINTED, SnagSort.SPILL}
_PLAINLY: Final = {SnagSort.PINHOLE, SnagSort.SPECK, SnagSort.SEE_THROUGH}
"""Sorts that are mended where nothing speaks against it: what is small, and all solid or all clear around it."""

_UNJUDGED: Final = {SnagSort.FRAME, SnagSort.RESIDUE, SnagSort.SPREAD}
"""Sorts of which it is not known which way a mend goes."""

_RESHAPED: Final = {SnagSort.HARD_CUT, SnagSort.STEPPED}
_RESHAPED_PX: Final = 13  # around a step that takes part

_DROPS: Final = 0.7  # of a fault of colour that may be left


@dataclass(frozen=True, eq=False)
class Proof:
    """What a mend would do.

    Attributes
    ----------
    mended : Job
        Solved again where that is needed.
    before, after : float
        How far cutout and backdrop, put together again, are from the photo where the mend acts, as a share of full
        brightness; of a fault of colour how large it is, as a share of what it is now.
    objection : str
        Why it is not offered, in words; empty if it improves matters.
    is_of_colour : bool
        Whether it changes colours, not the matte.
    """

    mended: Job
    before: float = 0.0
    after: float = 0.0
    objection: str = ""
    is_of_colour: bool = False

    @property
    def improves(self) -> bool:
        """Whether it is offered."""
        return not self.objection


def prove(stages: Stages, job: Job, snag: Snag) -> Proof | None:
    """Make the mend of a snag, and judge it; None where there is none.

    Notes
    -----
    A mend of the matte has to bring it nearer to what the photo speaks for, by the colours on either side of the edge,
    must agree with the photo's gradients as well as before, and must not touch what was said by hand. A mend of colours
    has to take most of the fault away.
    """
    if SNAGS[snag.sort].mend is None:
        return None
    mended = mend(job, snag)
    if not mended.is_solved:
        mended, _ = solve_job(mended)
    window = Rect(*snag.box).grown(_MARGIN).intersection(job.photo.bounds)
    if max(window.height, window.width) > _LARGEST:
        at = snag.finds[0].box
        window = Rect(*at).grown(_MARGIN).intersection(window)
    if snag.sort in _COLOUR:
        return _prove_colour(stages, job, mended, snag, window)
    return _prove_matte(stages, job, mended, snag, window)


def doubted(stages: Stages, job: Job, snag: Snag, level: int) -> str:
    """Return why the photo does not speak for a fault of the matte, quickly: nothing is mended; empty if it does.

    Only its largest fault is looked at, at a level.
    """
    if snag.sort in _COLOUR or snag.sort in _UNJUDGED:
        return ""
    step, find = 1 << level, snag.finds[0]
    box = Rect(*(part // step for part in find.box))
    around = job.photo.space.around(box, level, READING_REACH)
    reading = reading_of(stages, job, around, level).beyond_edge
    change = np.zeros(reading.alpha.shape, np.float32)
    own = find.mask if find.change is None else find.change
    part = own[(-find.top) % step :: step, (-find.left) % step :: step].astype(np.float32)
    top, left = -(-find.top // step) - around.top, -(-find.left // step) - around.left
    change[top : top + part.shape[0], left : left + part.shape[1]] = part
    then = _as_mended(snag.sort, reading.alpha, change)
    changed = np.abs(then - reading.alpha) > _CHANGED
    if not changed.any():
        return ""
    if snag.sort in _RESHAPED:
        wrong = [float(np.square(reading.seen - part)[changed & reading.says].sum()) for part in (reading.alpha, then)]
        return "" if wrong[1] < _NEARER * wrong[0] else "The photo does not speak for another shape."
    return _objection(reading, reading.alpha, then, changed, plainly=snag.sort in _PLAINLY)


def _as_mended(sort: SnagSort, alpha: FloatArray, change: FloatArray) -> FloatArray:
    """Return about what a mend makes of a window."""
    if sort not in _RESHAPED:
        return mended_alpha(sort, alpha, change)
    wide = np.ones((_RESHAPED_PX, _RESHAPED_PX), np.uint8)
    share = cv2.GaussianBlur(cv2.dilate((change > 0).astype(np.float32), wide), (0, 0), 2.0)
    other = (
        cv2.GaussianBlur(alpha, (0, 0), 3.0) if sort is SnagSort.HARD_CUT else shaped(alpha, EdgeShape(even_px=14.0))
    )
    return np.asarray(alpha + share * (other - alpha), np.float32)


def _prove_matte(stages: Stages, job: Job, mended: Job, snag: Snag, window: Rect) -> Proof:
    around = window.grown(READING_REACH).intersection(job.photo.bounds)
    inner = window.within(around)
    reading = reading_of(stages, job, around, 0).beyond_edge
    now, then = (stages.alpha(each, around, 0) for each in (job, mended))
    changed = np.zeros(now.shape, bool)
    changed[inner] = np.abs(then - now)[inner] > _CHANGED
    if not changed.any():
        return Proof(mended, objection="The mend would change nothing here.")
    if int((changed & contradicted(job, around, now, then)).sum()) > _SAID_PX:
        return Proof(mended, objection="You said otherwise here by hand, and that counts.")
    before, after = (_residue(reading, alpha, changed) for alpha in (now, then))
    objection = _objection(reading, now, then, changed, plainly=snag.sort in _PLAINLY)
    if not objection and before > 0 and after > _NEARER * before and reading.says[changed].any():
        objection = "The mend would hardly bring it nearer to the photo."
    if not objection and _agreement(reading.photo, then) < _STEEPER * _agreement(reading.photo, now):
        objection = "The edge would lie off the edges that the photo shows."
    return Proof(mended, before, after, objection)


def _objection(reading: Reading, now: FloatArray, then: FloatArray, changed: BoolArray, *, plainly: bool) -> str:
    """Return why the photo does not speak for a change; empty if it does."""
    by = (then - now)[changed]
    told = reading.says[changed]
    if told.mean() < _LEAST_TOLD:
        whole = (slice(0, now.shape[0]), slice(0, now.shape[1]))
        if plainly and reading.prefers(changed, whole, then):
            return ""
        return "Subject and backdrop look alike here: the photo does not tell which is right."
    weight = (np.square(reading.contrast)[changed] * told).astype(np.float64)
    toward = float((weight * (np.clip(reading.seen[changed], 0, 1) - now[changed]) * by).sum())
    share = toward / max(float((weight * by**2).sum()), 1e-12)
    # half-way is where before and after fit the photo equally well
    return "" if share > 0.5 + _BETTER / 2 else "The photo does not speak for the mend."


def _residue(reading: Reading, alpha: FloatArray, where: BoolArray) -> float:
    laid = alpha[..., None] * reading.subject + (1 - alpha[..., None]) * reading.backdrop
    return float(length_of(laid - reading.photo)[where].mean() / np.sqrt(3))


def _agreement(photo: FloatArray, alpha: FloatArray) -> float:
    """Return the photo's steepness where alpha is steep, on average, weighed by that."""
    steep, own = (_steepness(cv2.GaussianBlur(part, (0, 0), 1.0)) for part in (photo.mean(axis=2), alpha))
    return float((steep * own).sum() / max(float(own.sum()), 1e-9))


def _steepness(values: FloatArray) -> FloatArray:
    return cv2.magnitude(cv2.Sobel(values, cv2.CV_32F, 1, 0), cv2.Sobel(values, cv2.CV_32F, 0, 1))


def contradicted(job: Job, window: Rect, now: FloatArray, then: FloatArray) -> BoolArray:
    """Return where a change goes against what the person brushed: zones, touch-ups, and edges that are hard; (H, W)."""
    up, down = then > now + _CHANGED, then < now - _CHANGED
    against = np.zeros(now.shape, bool)
    if "corrections" in job.planes:
        zones = job.corrections.read(window)
        against |= (up & (zones == _BACKDROP)) | (down & (zones == _SUBJECT))
    if "force" in job.planes:
        force = job.force.read(window)
        against |= (up & (force < PLANES["force"].default)) | (down & (force > PLANES["force"].default))
    if "kinds" in job.planes:
        softer = np.minimum(then, 1 - then) > np.minimum(now, 1 - now) + _CHANGED
        against |= softer & np.isin(job.kinds.read(window), HARD_CODES)
    return against


def _prove_colour(stages: Stages, job: Job, mended: Job, snag: Snag, window: Rect) -> Proof:
    around = window.grown(READING_REACH).intersection(job.photo.bounds)
    inner = window.within(around)

    def left(state: Job) -> float:
        finds = find_sort(reading_of(stages, state, around, 0), snag.sort)
        rows, columns = inner
        near = [f for f in finds if f.box[2] > rows.start and f.box[0] < rows.stop
                and f.box[3] > columns.start and f.box[1] < columns.stop]  # fmt: skip
        return sum(find.size for find in near)

    before, after = left(job), left(mended)
    if before <= 0:
        return Proof(mended, objection="Seen closely, nothing of it is left here.", is_of_colour=True)
    objection = "" if after < _DROPS * before else "The mend would hardly change it."
    return Proof(mended, 1.0, after / before, objection, is_of_colour=True)
