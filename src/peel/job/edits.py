"""What a person can do to a job: plain functions from a job to a new one.

Each is one step of undo. All are pure and may run on any thread.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import Enum
from typing import Any, Final, Literal

import numpy as np

from peel.job.job import MATTE_ONE, Job
from peel.job.plane import Plane
from peel.job.rect import Rect
from peel.job.settings import Band, Contour, Matte, Point
from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.strokes import polygon_mask, stroke_bounds, stroke_mask
from peel.matte.trimap import BACKGROUND, FOREGROUND, UNKNOWN, lay_band

__all__ = [
    "Stroke",
    "Zone",
    "add_or_close",
    "add_points",
    "close_contour",
    "insert_point",
    "move_point",
    "open_contour",
    "paint_mark",
    "paint_zone",
    "release_zone",
    "remove_contour",
    "set_band",
    "take_back_point",
    "use_zones",
    "with_matte",
]


class Zone(Enum):
    """What a pixel is taken for: backdrop, unsure, or subject."""

    BACKDROP = 1
    UNSURE = 2
    SUBJECT = 3


_TRIMAP_OF: Final = np.array([0, BACKGROUND, UNKNOWN, FOREGROUND], np.uint8)


@dataclass(frozen=True)
class Stroke:
    """A round brush dragged along a path: points in photo pixels, radius in photo pixels."""

    points: tuple[Point, ...]
    radius_px: float


def open_contour(job: Job) -> Contour | None:
    """Give the contour that is still being drawn, if there is one."""
    contours = job.settings.contours
    return contours[-1] if contours and not contours[-1].closed else None


def add_points(job: Job, points: Sequence[Point], *, hole: bool = False) -> Job:
    """Continue the open contour with a straight run (one point) or a freehand run; begin one if there is none."""
    current = open_contour(job)
    contours = job.settings.contours
    if current is None:
        return job.with_settings(contours=(*contours, Contour(points=tuple(points), hole=hole)))
    longer = current.model_copy(update={"points": (*current.points, *points)})
    return job.with_settings(contours=(*contours[:-1], longer))


def add_or_close(job: Job, point: Point, reach_px: float, *, hole: bool = False) -> Job:
    """Continue the open contour to a point, or close it if that is back at its start, within `reach_px`."""
    current = open_contour(job)
    if current is not None and len(current.points) > 2:
        first = current.points[0]
        if (first[0] - point[0]) ** 2 + (first[1] - point[1]) ** 2 <= reach_px**2:
            return close_contour(job)
    return add_points(job, [point], hole=hole)


def take_back_point(job: Job) -> Job:
    """Take the last point off the open contour; the first one takes the contour with it."""
    current = open_contour(job)
    if current is None:
        return job
    contours = job.settings.contours[:-1]
    if len(current.points) > 1:
        contours = (*contours, current.model_copy(update={"points": current.points[:-1]}))
    return job.with_settings(contours=contours)


def close_contour(job: Job) -> Job:
    """Close the open contour and lay the band around it; with fewer than three points it is dropped."""
    current = open_contour(job)
    if current is None:
        return job
    rest = job.settings.contours[:-1]
    if len(current.points) < 3:
        return job.with_settings(contours=rest)
    closed = current.model_copy(update={"closed": True})
    return _redraw_contours(job.with_settings(contours=(*rest, closed)), _contour_rect(closed))


def move_point(job: Job, contour: int, point: int, to: Point) -> Job:
    """Move one point of a contour."""
    old = job.settings.contours[contour]
    points = (*old.points[:point], to, *old.points[point + 1 :])
    return _replace_contour(job, contour, old.model_copy(update={"points": points}))


def insert_point(job: Job, contour: int, before: int, at: Point) -> Job:
    """Insert a point into a contour."""
    old = job.settings.contours[contour]
    points = (*old.points[:before], at, *old.points[before:])
    return _replace_contour(job, contour, old.model_copy(update={"points": points}))


def remove_contour(job: Job, contour: int) -> Job:
    """Take a whole contour away."""
    contours = job.settings.contours
    old = contours[contour]
    left = job.with_settings(contours=contours[:contour] + contours[contour + 1 :])
    return _redraw_contours(left, _contour_rect(old)) if old.closed else left


def _replace_contour(job: Job, number: int, new: Contour) -> Job:
    contours = job.settings.contours
    old = contours[number]
    changed = job.with_settings(contours=(*contours[:number], new, *contours[number + 1 :]))
    if not new.closed:
        return changed
    return _redraw_contours(changed, _contour_rect(old).union(_contour_rect(new)))


def _contour_rect(contour: Contour) -> Rect:
    return Rect(*stroke_bounds(contour.points, 1))


def _redraw_contours(job: Job, rect: Rect) -> Job:
    """Draw the closed contours anew within a window, in their order."""
    window = rect.intersection(job.photo.bounds)
    if window.is_empty:
        return job
    inside = np.zeros((window.height, window.width), np.uint8)
    for contour in job.settings.contours:
        if contour.closed:
            inside[polygon_mask(contour.points, window.as_tuple)] = 0 if contour.hole else 255
    return _lay_zones(replace(job, outline=job.outline.write(window, inside)), window)


def paint_mark(job: Job, stroke: Stroke, *, subject: bool) -> Job:
    """Brush over the subject (or the backdrop); the band is laid around the new boundary."""
    window = Rect(*stroke_bounds(stroke.points, stroke.radius_px)).intersection(job.photo.bounds)
    if window.is_empty:
        return job
    return _lay_zones(replace(job, marks=_painted(job.marks, stroke, window, 2 if subject else 1)), window)


def paint_zone(job: Job, stroke: Stroke, zone: Zone) -> Job:
    """Brush a zone exactly, whatever the laid band says there."""
    return _correct(job, stroke, zone.value)


def release_zone(job: Job, stroke: Stroke) -> Job:
    """Brush corrections away, so that the laid band shows again."""
    return _correct(job, stroke, 0)


def _correct(job: Job, stroke: Stroke, value: int) -> Job:
    window = Rect(*stroke_bounds(stroke.points, stroke.radius_px)).intersection(job.photo.bounds)
    if window.is_empty:
        return job
    corrected = replace(job, corrections=_painted(job.corrections, stroke, window, value))
    return _lay_zones(corrected, window, reach=0)


def _painted(plane: Plane, stroke: Stroke, window: Rect, value: int) -> Plane:
    values = plane.read(window)
    values[stroke_mask(stroke.points, stroke.radius_px, window.as_tuple)] = value
    return plane.write(window, values)


def set_band(job: Job, band: Band) -> Job:
    """Set how wide the band is laid around the marked boundary."""
    return _lay_zones(job.with_settings(band=band), job.photo.bounds)


def set_mixing(job: Job, mixing: Literal["value", "light"]) -> Job:
    """Set how subject and backdrop mix; the whole matte is to be solved again."""
    unsure = (job.zones.read() == UNKNOWN).astype(np.uint8)
    return replace(job.with_settings(matte=Matte(mixing=mixing)), unsolved=job.unsolved.write(job.photo.bounds, unsure))


def use_zones(job: Job, trimap: ByteArray) -> Job:
    """Take the zones from a picture of them: they overrule every mark.

    Parameters
    ----------
    job : Job
    trimap : (H, W) uint8 ndarray
        BACKGROUND, UNKNOWN, FOREGROUND; of the photo's size.
    """
    codes = np.full(trimap.shape, Zone.UNSURE.value, np.uint8)
    codes[trimap == BACKGROUND] = Zone.BACKDROP.value
    codes[trimap == FOREGROUND] = Zone.SUBJECT.value
    return _lay_zones(replace(job, corrections=Plane.from_array(codes)), job.photo.bounds, reach=0)


def _band_reach(band: Band) -> int:
    return int(np.ceil(max(band.outward_px, band.inward_px))) + 2


def _lay_zones(job: Job, changed: Rect, reach: int | None = None) -> Job:
    """Derive the zones anew where a change can be felt, and fix the matte wherever they are now sure."""
    distance = _band_reach(job.settings.band)
    window = changed.grown(distance if reach is None else reach).intersection(job.photo.bounds)
    around = window.grown(distance).intersection(job.photo.bounds)
    marks = job.marks.read(around)
    subject = np.where(marks == 0, job.outline.read(around) > 0, marks == 2)
    band = job.settings.band
    laid = lay_band(subject, band.outward_px, band.inward_px)[window.within(around)]
    corrections = job.corrections.read(window)
    zones = np.where(corrections == 0, laid, _TRIMAP_OF[corrections])
    return _with_zones(job, window, zones)


def _with_zones(job: Job, window: Rect, zones: ByteArray) -> Job:
    differs = zones != job.zones.read(window)
    if not differs.any():
        return job
    matte = job.matte.read(window)
    matte[zones == BACKGROUND] = 0
    matte[zones == FOREGROUND] = MATTE_ONE
    unsolved = job.unsolved.read(window)
    unsolved[differs] = 1
    return replace(
        job,
        zones=job.zones.write(window, zones),
        matte=job.matte.write(window, matte),
        unsolved=job.unsolved.write(window, unsolved),
    )


def with_matte(job: Job, window: Rect, alpha: FloatArray, *, settled: bool = True) -> Job:
    """Store a solved window; part of the edit that asked for it.

    Parameters
    ----------
    job : Job
    window : Rect
    alpha : (H, W) float32 ndarray
        In [0, 1].
    settled : bool
        False for a coarse answer that a finer one will replace.
    """
    values: Any = np.round(np.clip(alpha, 0, 1) * MATTE_ONE).astype(np.uint16)
    matte = job.matte.write(window, values)
    if not settled:
        return replace(job, matte=matte)
    return replace(job, matte=matte, unsolved=job.unsolved.write(window, np.zeros_like(values, np.uint8)))
