"""Read a job's edge at reduced size, and bring what was found back to the photo's."""

from dataclasses import dataclass, replace
from typing import Final

import cv2
import numpy as np

from peel.job.edits.kinds import HARD_CODES, said
from peel.job.edits.working import working_photo
from peel.job.job import Job
from peel.job.marked import EXACTLY, marked_subject, sampled_subject
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.kind import KINDS
from peel.matte.edge.kinds import suggest_kinds
from peel.matte.edge.laying import EdgeReading, read_edge, reduced, unit_of, working_step
from peel.matte.edge.zones import UNKNOWN
from peel.matte.marking.contact_shadow import lowest_rows

__all__ = ["Laid", "read_band", "read_window", "reading_reach"]

_REACH: Final = 110  # working pixels around a change in which the band is read again
_CONTEXT: Final = 70  # working pixels around those that are looked at
_SHADOW_ROWS: Final = 200  # rows in which the subject is looked for to tell where its shadow begins
_UNSURE: Final = 2  # code of the plane `corrections`
_WIDER: Final = 3  # working pixels by which the evidence is widened where a loose kind was brushed


@dataclass(frozen=True)
class Laid:
    """What was read of the edge in a window; all (H, W), at the photo's size.

    Attributes
    ----------
    unsure : bool ndarray
        Where the band has to reach, apart from its margin.
    kinds, confidence : uint8 ndarray
        As in `peel.matte.edge.kinds.Suggestion`.
    """

    unsure: BoolArray
    kinds: ByteArray
    confidence: ByteArray


def reading_reach(job: Job) -> int:
    """Return how far around a change the band is read again, in pixels of the photo."""
    return _REACH * working_step(job.photo.height, job.photo.width)


def read_band(job: Job, window: Rect) -> Laid | None:
    """Read the edge in a window; None where there is none."""
    step = working_step(job.photo.height, job.photo.width)
    around = _aligned(window.grown(_CONTEXT * step), step).intersection(job.photo.bounds)
    reading = read_window(job, around, window)
    if reading is None:
        return None
    unsure = _with_said(job, around, step, reading)
    suggestion = suggest_kinds(_with_given(job, around, step, reading))
    height, width = unsure.shape
    full = cv2.resize(unsure.astype(np.uint8) * 255, (width * step, height * step), interpolation=cv2.INTER_LINEAR)
    part = window.within(around)

    def enlarged(plane: ByteArray) -> ByteArray:
        return plane.repeat(step, axis=0).repeat(step, axis=1)[part]

    return Laid(full[part] >= 128, enlarged(suggestion.kinds), enlarged(suggestion.confidence))


def read_window(job: Job, around: Rect, window: Rect) -> EdgeReading | None:
    """Read the edge at the working size; None where all or nothing is marked.

    Parameters
    ----------
    job : Job
    around : Rect
        What is looked at; begins at multiples of the working step.
    window : Rect
        The part of it that is to be read anew: the band around it is taken for granted.
    """
    photo = job.photo
    step = working_step(photo.height, photo.width)
    inside = reduced(_mark(job, around).astype(np.uint8) * 255, step) >= 0.5
    if inside.all() or not inside.any():
        return None
    top, left = around.top // step, around.left // step
    colours = working_photo(photo)[top : top + inside.shape[0], left : left + inside.shape[1]]
    joined = job.zones.read(around) == UNKNOWN
    joined[window.within(around)] = False
    return read_edge(
        colours,
        inside,
        joined=reduced(joined.astype(np.uint8) * 255, step) >= 0.5,
        trust=_trust(job, around, inside, step),
        unit=unit_of(photo.height, photo.width),
        low=_shadow_from(job, step) - top,
    )


def _shadow_from(job: Job, step: int) -> int:
    """Return the row, at the working size, from which the whole subject may cast a shadow."""
    every = max(1, job.photo.height // (_SHADOW_ROWS * step))  # working rows
    rows, columns = (max(1, side // (every * step)) for side in (job.photo.height, job.photo.width))
    return lowest_rows(sampled_subject(job, rows, columns)) * every


def _trust(job: Job, around: Rect, inside: BoolArray, step: int) -> FloatArray | float:
    """Return the trust in the boundary nearest to each working pixel."""
    general = job.settings.recipe.band.trust
    if job.trusted.constant_in(around) == 0:
        return general
    # The trust beside a contour is painted a few pixels wide, which a plain reduction could miss.
    codes = cv2.dilate(job.trusted.read(around), np.ones((step, step), np.uint8), anchor=(0, 0))[::step, ::step]
    mark = inside.astype(np.uint8)
    boundary = cv2.dilate(mark, np.ones((3, 3), np.uint8)) != cv2.erode(mark, np.ones((3, 3), np.uint8))
    _, labels = cv2.distanceTransformWithLabels(
        1 - boundary.astype(np.uint8), cv2.DIST_L2, 3, labelType=cv2.DIST_LABEL_PIXEL
    )
    of_label = np.zeros(int(labels.max()) + 1, np.uint8)
    of_label[labels[boundary]] = codes[boundary]
    nearest = of_label[labels].astype(np.float32)
    return np.where(nearest == 0, np.float32(general), (nearest - 1) / np.float32(EXACTLY - 1))


def _mark(job: Job, around: Rect) -> BoolArray:
    """Return the mark; where zones were given in place of one, the line half-way through their band."""
    if not _are_given(job, around):
        return marked_subject(job, around)
    corrections = job.corrections.read(around)
    subject, backdrop = (corrections != code for code in (3, 1))
    distances = (cv2.distanceTransform(side.astype(np.uint8), cv2.DIST_L2, 3) for side in (subject, backdrop))
    return np.asarray(next(distances) < next(distances), bool)


def _with_given(job: Job, around: Rect, step: int, reading: EdgeReading) -> EdgeReading:
    """Describe kinds by the band that was given, where zones were given in place of a mark."""
    if not _are_given(job, around):
        return reading
    given = job.corrections.read(around)[::step, ::step] == _UNSURE
    # The line half-way through a given band is no mark that strands could leave: they are believed anywhere.
    return replace(reading, unsure=reading.unsure | given, wispy=np.ones_like(reading.wispy))


def _are_given(job: Job, around: Rect) -> bool:
    is_all = bool(job.corrections.read(around).all())
    return is_all and job.marks.constant_in(around) == 0 and job.outline.constant_in(around) == 0


def _aligned(rect: Rect, step: int) -> Rect:
    return Rect(
        rect.top // step * step, rect.left // step * step, -(-rect.bottom // step) * step, -(-rect.right // step) * step
    )


def _with_said(job: Job, around: Rect, step: int, reading: EdgeReading) -> BoolArray:
    """Follow what was brushed: no more than the margin where hard, wider where loose, all of it where sheer."""
    spoken = job.kinds.read(around)[::step, ::step]
    unsure = reading.unsure.copy()
    if not spoken.any():
        return unsure
    loose = np.isin(spoken, [said(kind) for kind, spec in KINDS.items() if spec.widens])
    if loose.any():
        kernel = np.ones((2 * _WIDER + 1,) * 2, np.uint8)
        unsure |= loose & (cv2.dilate((unsure | (reading.distance < 2)).astype(np.uint8), kernel) > 0)
    unsure[np.isin(spoken, [said(kind) for kind, spec in KINDS.items() if spec.fills])] = True
    unsure[np.isin(spoken, HARD_CODES)] = False
    return unsure
