"""Whether a mend of one key improves matters: it is made, and judged, before it is offered."""

from collections.abc import Sequence
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
from peel.work.inspecting.reading import level_of, reading_of
from peel.work.inspecting.snag_specs import SNAGS, mend, words_of
from peel.work.solving.solve import solve_job
from peel.work.stages import Stages

__all__ = ["Proof", "doubted", "proof_words", "prove"]

_CHANGED: Final = 0.01  # alpha
_BACKDROP, _SUBJECT = 1, 3  # codes of the plane of corrections
_SAID_PX: Final = 4  # pixels on which the person said otherwise that a mend may change
_MARGIN: Final = 40  # pixels around a fault that are judged with it
_LARGEST: Final = 1500  # side of the window in which all of a snag is judged; of larger ones some of the faults are
_SAMPLED: Final = 12  # ... so many
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
_TOLD: Final = 0.0005  # difference that is worth a figure


@dataclass(frozen=True, eq=False)
class Proof:
    """What a mend would do.

    Attributes
    ----------
    job, mended : Job
        Before and after; solved again where that is needed.
    before, after : float
        How far cutout and backdrop, put together again, are from the photo where the mend acts, as a share of full
        brightness; of a fault of colour how large it is, as a share of what it is now.
    objection : str
        Why it is not offered, in words; empty if it improves matters.
    is_of_colour : bool
        Whether it changes colours, not the matte.
    """

    job: Job
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
    windows = _windows(job, snag)
    if snag.sort in _COLOUR:
        return _prove_colour(stages, job, mended, snag, windows)
    return _prove_matte(stages, job, mended, snag, windows)


def proof_words(snag: Snag, proof: Proof | None) -> str:
    """Say what one key would do about a snag, with what it makes of the difference from the photo."""
    spec, by_hand = SNAGS[snag.sort].mend, f"By hand: {words_of(snag)[1]}."
    if spec is None:
        return by_hand
    if proof is None:
        return f"F2 {spec.does}."
    if not proof.improves:
        told = "." if proof.objection == snag.doubt else f": {proof.objection[0].lower()}{proof.objection[1:]}"
        return f"F2 is not offered{told} {by_hand}"
    if proof.is_of_colour:
        return f"F2 {spec.does}: {proof.after * 100:.0f} % of it is left."
    if proof.before - proof.after < _TOLD:
        return f"F2 {spec.does}."
    return f"F2 {spec.does}: {proof.before * 100:.1f} % off the photo here, then {proof.after * 100:.1f} %."


def doubted(stages: Stages, job: Job, snag: Snag) -> str:
    """Return why the photo does not speak for a fault of the matte, quickly: nothing is mended; empty if it does.

    Only its largest fault is looked at.
    """
    if snag.sort in _COLOUR or snag.sort in _UNJUDGED:
        return ""
    level, find = level_of(job.photo.space), snag.finds[0]
    step = 1 << level
    around = job.photo.space.around(Rect(*(part // step for part in find.box)), level, READING_REACH)
    reading = reading_of(stages, job, around, level).beyond_edge
    now = reading.alpha
    then = _as_mended(snag.sort, now, find.change_in(around.top, around.left, around.height, around.width, step))
    changed = np.abs(then - now) > _CHANGED
    if not changed.any():
        return ""
    if snag.sort in _RESHAPED:
        wrong = [float(np.square(reading.seen - part)[changed & reading.says].sum()) for part in (now, then)]
        return "" if wrong[1] < _NEARER * wrong[0] else "The photo does not speak for another shape."
    return _objection(_Tally.of(reading, now, then, changed), plainly=snag.sort in _PLAINLY)


def _windows(job: Job, snag: Snag) -> list[Rect]:
    """Return the windows of the level that is inspected in which a snag is judged: one, or some of its faults."""
    level = level_of(job.photo.space)

    def window(box: tuple[int, int, int, int]) -> Rect:
        return job.photo.space.around(Rect(*(part >> level for part in box)), level, _MARGIN)

    whole = window(snag.box)
    if max(whole.height, whole.width) <= _LARGEST:
        return [whole]
    return [window(find.box) for find in snag.finds[:: -(-len(snag.finds) // _SAMPLED)]]


@dataclass(frozen=True)
class _Tally:
    """What the photo says of the pixels that a mend changes, in sums over them, so that windows can be taken together.

    Attributes
    ----------
    pixels, told : float
        How many there are, and of how many the photo says anything.
    toward, most : float
        How far it speaks for the change, and how far it could.
    off_now, off_then : float
        How far both mattes, put together again, are from the photo.
    is_plain : bool
        Whether nothing speaks against it, where the photo says nothing.
    """

    pixels: float = 0.0
    told: float = 0.0
    toward: float = 0.0
    most: float = 0.0
    off_now: float = 0.0
    off_then: float = 0.0
    is_plain: bool = True

    @classmethod
    def of(cls, reading: Reading, now: FloatArray, then: FloatArray, where: BoolArray) -> "_Tally":
        """Read what changes in a window."""
        if not where.any():
            return cls()
        whole = (slice(0, now.shape[0]), slice(0, now.shape[1]))
        by, says = (then - now)[where], reading.says[where]
        weight = (np.square(reading.contrast[where]) * says).astype(np.float64)
        seen = np.clip(reading.seen[where], 0, 1)
        off_now, off_then = (float(_off(reading, part)[where].sum()) for part in (now, then))
        toward, most = float((weight * (seen - now[where]) * by).sum()), float((weight * by**2).sum())
        is_plain = reading.prefers(where, whole, then)
        return cls(float(by.size), float(says.sum()), toward, most, off_now, off_then, is_plain)

    def __add__(self, other: "_Tally") -> "_Tally":
        return _Tally(
            self.pixels + other.pixels,
            self.told + other.told,
            self.toward + other.toward,
            self.most + other.most,
            self.off_now + other.off_now,
            self.off_then + other.off_then,
            self.is_plain and other.is_plain,
        )


def _off(reading: Reading, alpha: FloatArray) -> FloatArray:
    laid = alpha[..., None] * reading.subject + (1 - alpha[..., None]) * reading.backdrop
    return np.asarray(length_of(laid - reading.photo) / np.float32(np.sqrt(3)), np.float32)


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


def _prove_matte(stages: Stages, job: Job, mended: Job, snag: Snag, windows: Sequence[Rect]) -> Proof:
    level, against = level_of(job.photo.space), 0
    tally, steep = _Tally(), np.zeros((2, 2))
    for window in windows:
        around = job.photo.space.around(window, level, READING_REACH)
        reading = reading_of(stages, job, around, level).beyond_edge
        now, then = (stages.alpha(each, around, level) for each in (job, mended))
        changed = np.zeros(now.shape, bool)
        changed[window.within(around)] = np.abs(then - now)[window.within(around)] > _CHANGED
        against += int((changed & contradicted(job, around, level, now, then)).sum())
        tally += _Tally.of(reading, now, then, changed)
        steep += [_steepness_along(reading.photo, alpha) for alpha in (now, then)]
    if not tally.pixels:
        return Proof(job, mended, objection="The mend would change nothing here.")
    if against > _SAID_PX:
        return Proof(job, mended, objection="You said otherwise here by hand, and that counts.")
    before, after = tally.off_now / tally.pixels, tally.off_then / tally.pixels
    objection = _objection(tally, plainly=snag.sort in _PLAINLY)
    if not objection and before > 0 and after > _NEARER * before and tally.told:
        objection = "The mend would hardly bring it nearer to the photo."
    agrees = steep[:, 0] / np.maximum(steep[:, 1], 1e-9)
    if not objection and agrees[1] < _STEEPER * agrees[0]:
        objection = "The edge would lie off the edges that the photo shows."
    return Proof(job, mended, before, after, objection)


def _objection(tally: _Tally, *, plainly: bool) -> str:
    """Return why the photo does not speak for a change; empty if it does."""
    if tally.told < _LEAST_TOLD * tally.pixels:
        if plainly and tally.is_plain:
            return ""
        return "Subject and backdrop look alike here: the photo does not tell which is right."
    # half-way is where before and after fit the photo equally well
    is_better = tally.toward > (0.5 + _BETTER / 2) * max(tally.most, 1e-12)
    return "" if is_better else "The photo does not speak for the mend."


def _steepness_along(photo: FloatArray, alpha: FloatArray) -> tuple[float, float]:
    """Sum the photo's steepness weighed by that of alpha, and the weights."""
    steep, own = (_steepness(cv2.GaussianBlur(part, (0, 0), 1.0)) for part in (photo.mean(axis=2), alpha))
    return float((steep * own).sum()), float(own.sum())


def _steepness(values: FloatArray) -> FloatArray:
    return cv2.magnitude(cv2.Sobel(values, cv2.CV_32F, 1, 0), cv2.Sobel(values, cv2.CV_32F, 0, 1))


def contradicted(job: Job, window: Rect, level: int, now: FloatArray, then: FloatArray) -> BoolArray:
    """Return where a change goes against what the person brushed: zones, touch-ups, and edges that are hard; (H, W)."""
    covered, some = job.photo.space.covered(window, level), (slice(None, None, 1 << level),) * 2
    up, down = then > now + _CHANGED, then < now - _CHANGED
    against = np.zeros(now.shape, bool)
    if "corrections" in job.planes:
        zones = job.corrections.read(covered)[some]
        against |= (up & (zones == _BACKDROP)) | (down & (zones == _SUBJECT))
    if "force" in job.planes:
        force = job.force.read(covered)[some]
        against |= (up & (force < PLANES["force"].default)) | (down & (force > PLANES["force"].default))
    if "kinds" in job.planes:
        softer = np.minimum(then, 1 - then) > np.minimum(now, 1 - now) + _CHANGED
        against |= softer & np.isin(job.kinds.read(covered)[some], HARD_CODES)
    return against


def _prove_colour(stages: Stages, job: Job, mended: Job, snag: Snag, windows: Sequence[Rect]) -> Proof:
    level = level_of(job.photo.space)

    def left(state: Job) -> float:
        total = 0.0
        for window in windows:
            around = job.photo.space.around(window, level, READING_REACH)
            for find in find_sort(reading_of(stages, state, around, level), snag.sort):
                if not Rect(*find.box).moved(around.top, around.left).intersection(window).is_empty:
                    total += find.size
        return total

    before, after = left(job), left(mended)
    if before <= 0:
        return Proof(job, mended, objection="Seen closely, nothing of it is left here.", is_of_colour=True)
    objection = "" if after < _DROPS * before else "The mend would hardly change it."
    return Proof(job, mended, 1.0, after / before, objection, is_of_colour=True)
