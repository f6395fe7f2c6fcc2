"""Edits of what is marked: strokes of the brushes, whole regions, and changes to all that is marked.

All are pure functions from a job to a new one. Whatever was marked last is what holds.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import Enum

import numpy as np

from peel.errors import MarkError
from peel.job.edits.contours import outline_of
from peel.job.edits.kinds import RELEASED, said, unsolve_kinds
from peel.job.edits.lay_band import TRIMAP_OF, lay_zones, with_zones
from peel.job.job import Job
from peel.job.marked import marked_subject, trust_code
from peel.job.plane import Plane
from peel.job.planes import PLANES, Role
from peel.job.rect import Rect
from peel.job.settings import Point
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.marking.coverage import coverage
from peel.matte.marking.regions import grown, region_at
from peel.matte.marking.strokes import stroke_bounds, stroke_mask, stroke_weights

__all__ = [
    "Stroke",
    "Zone",
    "all_subject",
    "clear_marks",
    "coverage_of",
    "covered_by",
    "fill_area",
    "kind_area",
    "kind_everywhere",
    "kind_of_contour",
    "kind_of_piece",
    "lay_where_changed",
    "looked_at",
    "mark_region",
    "narrow_band",
    "paint_kind",
    "paint_mark",
    "paint_trust",
    "paint_zone",
    "release_zone",
    "restore_zones",
    "with_trust",
    "without_marks",
]


_HALF = 0.5
_BESIDE_PX = 60.0  # photo pixels beside a boundary that belong to its edge


class Zone(Enum):
    """What a pixel is taken for: backdrop, unsure, or subject."""

    BACKDROP = 1
    UNSURE = 2
    SUBJECT = 3


@dataclass(frozen=True)
class Stroke:
    """A round brush dragged along a path: points in photo pixels, radius in photo pixels."""

    points: tuple[Point, ...]
    radius_px: float
    sizes: tuple[float, ...] = ()
    """What a pen makes of the radius at each point, in [0, 1]; empty for all of it."""


def _touched(stroke: Stroke, window: Rect) -> BoolArray:
    """Return which pixels of a window a stroke touches."""
    if not stroke.sizes:
        return stroke_mask(stroke.points, stroke.radius_px, window.as_tuple)
    return stroke_weights(stroke.points, stroke.radius_px, window.as_tuple, sizes=stroke.sizes) >= np.float32(0.5)


def paint_mark(job: Job, stroke: Stroke, *, subject: bool) -> Job:
    """Brush over the subject (or the backdrop); the band is laid around the new boundary.

    On a photo on which nothing is marked, brushing the backdrop takes all the rest for subject.
    """
    window = _window(job, stroke)
    if window.is_empty:
        return job
    if not subject and not job.has_subject and not job.settings.photo.contours:
        marked = _marked_by(all_subject(job), stroke, window, subject=False)
        return lay_zones(marked, job.photo.bounds)
    return lay_zones(_marked_by(job, stroke, window, subject=subject), window)


def _marked_by(job: Job, stroke: Stroke, window: Rect, *, subject: bool) -> Job:
    """Mark what a stroke touches; the zones are not laid yet."""
    touched = _touched(stroke, window)
    return job.with_planes(
        marks=_painted(job.marks, touched, window, 2 if subject else 1),
        corrections=_painted(job.corrections, touched, window, 0),
        trusted=_painted(job.trusted, touched, window, 0),
    )


def paint_zone(job: Job, stroke: Stroke, zone: Zone) -> Job:
    """Brush a zone exactly, whatever the laid band says there."""
    return _correct(job, stroke, zone.value)


def open_band(job: Job, window: Rect, where: BoolArray) -> Job:
    """Make unsure, as by hand, what is certain backdrop in a part of a window.

    The part is (h, w) bool, of the window.
    """
    touched = where & (job.zones.read(window) == BACKGROUND)
    if not touched.any():
        return job
    corrections = job.corrections.read(window)
    corrections[touched] = Zone.UNSURE.value
    return _corrected(job, window, touched, corrections)


def release_zone(job: Job, stroke: Stroke) -> Job:
    """Brush corrections away, so that the laid band shows again."""
    return _correct(job, stroke, 0)


def narrow_band(job: Job, stroke: Stroke) -> Job:
    """Brush the band away: what was brushed wider is given back, and what was laid becomes what it is marked as."""
    window = _window(job, stroke)
    if window.is_empty:
        return job
    touched = _touched(stroke, window)
    corrections, zones = job.corrections.read(window), job.zones.read(window)
    widened = touched & (corrections == Zone.UNSURE.value)
    laid = touched & ~widened & (zones == UNKNOWN)
    certain = np.where(marked_subject(job, window), Zone.SUBJECT.value, Zone.BACKDROP.value)
    corrections[laid] = certain[laid]
    corrections[widened] = 0
    return _corrected(job, window, widened | laid, corrections)


def _correct(job: Job, stroke: Stroke, value: int) -> Job:
    window = _window(job, stroke)
    if window.is_empty:
        return job
    touched = _touched(stroke, window)
    corrections = job.corrections.read(window)
    corrections[touched] = value
    return _corrected(job, window, touched, corrections)


def _corrected(job: Job, window: Rect, touched: BoolArray, corrections: ByteArray) -> Job:
    """Write corrections, and derive the zones of the pixels they touch; no other pixel changes."""
    corrected = job.with_planes(corrections=job.corrections.write(window, corrections))
    zones = job.zones.read(window)
    if (corrections[touched] == 0).any():
        zones[touched] = lay_zones(corrected, window, reach=0).zones.read(window)[touched]
    brushed = touched & (corrections > 0)
    zones[brushed] = TRIMAP_OF[corrections[brushed]]
    return unsolve_kinds(job, with_zones(corrected, window, zones), window)


def restore_zones(job: Job, before: Job, where: BoolArray, window: Rect) -> Job:
    """Take back what became of the zones in a part of a window, by corrections.

    The region is (h, w) bool, of the window.
    """
    codes = np.full(256, Zone.UNSURE.value, np.uint8)
    codes[BACKGROUND], codes[FOREGROUND] = Zone.BACKDROP.value, Zone.SUBJECT.value
    corrections = np.where(where, codes[before.zones.read(window)], job.corrections.read(window))
    return _corrected(job, window, where, corrections)


def paint_kind(job: Job, stroke: Stroke, kind: Kind | None) -> Job:
    """Brush over edges to say of what kind they are; None leaves it to Peel again."""
    window = _window(job, stroke)
    if window.is_empty:
        return job
    return _with_kind(job, _touched(stroke, window), window, kind)


def kind_everywhere(job: Job, kind: Kind | None, within: BoolArray | None = None) -> Job:
    """Say of what kind the whole edge is, or the part of it in a region of the photo's size; None leaves it to Peel.

    The region is (H, W) bool.
    """
    whole = job.photo.bounds
    near = np.ones((whole.height, whole.width), bool) if within is None else within
    return _with_kind(job, near, whole, kind)


def kind_of_piece(job: Job, kind: Kind, spot: Point) -> Job:
    """Say of what kind the edge of the piece of subject at a spot is, that of its holes included.

    Raises
    ------
    MarkError
        If the spot lies on no subject.
    """
    column, row = int(np.floor(spot[0])), int(np.floor(spot[1]))
    whole = job.photo.bounds
    subject = marked_subject(job, whole)
    if not (0 <= row < whole.height and 0 <= column < whole.width) or not subject[row, column]:
        raise MarkError("There is no subject at that spot.", "Rest the cursor on the piece first.")
    piece = region_at(subject.astype(np.uint8), row, column)
    return kind_everywhere(job, kind, grown(piece, _BESIDE_PX))


def kind_of_contour(job: Job, kind: Kind, spot: Point) -> Job:
    """Say of what kind the edge along the contour nearest to a spot is.

    Raises
    ------
    MarkError
        If no contour is drawn.
    """
    drawn = [contour for contour in job.settings.photo.contours if contour.closed]
    if not drawn:
        raise MarkError("No contour is drawn on this photo.", "Give the kind to the whole edge or to a piece.")
    outlines = [outline_of(contour) for contour in drawn]
    nearest = min(outlines, key=lambda outline: float(np.hypot(*(outline - spot).T).min()))
    line = tuple((float(x), float(y)) for x, y in np.concatenate([nearest, nearest[:1]]))
    return paint_kind(job, Stroke(line, _BESIDE_PX), kind)


def kind_area(job: Job, area: Sequence[Point], kind: Kind) -> Job:
    """Say of what kind all edges within an outline are."""
    window, inside = covered_by(job, area)
    return job if window.is_empty else _with_kind(job, inside >= _HALF, window, kind)


def _with_kind(job: Job, touched: BoolArray, window: Rect, kind: Kind | None) -> Job:
    code = RELEASED if kind is None else said(kind)
    laid = lay_zones(job.with_planes(kinds=_painted(job.kinds, touched, window, code)), window)
    return unsolve_kinds(job, laid, window)


def _window(job: Job, stroke: Stroke) -> Rect:
    return Rect(*stroke_bounds(stroke.points, stroke.radius_px)).intersection(job.photo.bounds)


def _painted(plane: Plane, touched: BoolArray, window: Rect, value: int) -> Plane:
    values = plane.read(window)
    values[touched] = value
    return plane.write(window, values)


def all_subject(job: Job) -> Job:
    """Mark an unmarked photo as subject throughout; its zones are laid later, by `mark_region` with `zones_from`."""
    filled = Plane.filled(job.photo.height, job.photo.width, 255)
    return job.with_photo_settings(unmarked="subject", contours=()).with_planes(outline=filled)


def mark_region(
    job: Job, region: BoolArray, zone: Zone, window: Rect | None = None, *, zones_from: Job | None = None
) -> Job:
    """Take a region for a zone.

    Parameters
    ----------
    job : Job
    region : (H, W) bool ndarray
        Of the window.
    zone : Zone
    window : Rect, optional
        All of the photo unless given.
    zones_from : Job, optional
        The job that ``job.zones`` was laid for. Only what changed since then is laid again. Defaults to `job`.
    """
    laid_for = zones_from or job
    window = window or job.photo.bounds
    if zone is Zone.UNSURE:
        corrected = job.with_planes(corrections=_painted(job.corrections, region, window, zone.value))
        return lay_where_changed(corrected, laid_for)
    marked = job.with_planes(
        marks=_painted(job.marks, region, window, 2 if zone is Zone.SUBJECT else 1),
        corrections=_painted(job.corrections, region, window, 0),
    )
    return lay_where_changed(marked, laid_for)


def lay_where_changed(job: Job, before: Job) -> Job:
    """Lay the zones again around changed tiles, in one pass if there are many."""
    marks = [name for name, spec in PLANES.items() if spec.role is Role.MARK]
    rects = {rect for name in marks for rect in getattr(job, name).changes(getattr(before, name))}
    around = Rect.around(rects)
    if sum(rect.height * rect.width for rect in rects) * 2 > around.height * around.width:
        return lay_zones(job, around) if rects else job
    for rect in rects:
        job = lay_zones(job, rect)
    return job


def fill_area(job: Job, at: Point, zone: Zone) -> Job:
    """Fill the area around a point, up to where the marking changes, with a zone.

    Raises
    ------
    MarkError
        If nothing encloses the area.
    """
    column, row = int(np.floor(at[0])), int(np.floor(at[1]))
    if not (0 <= row < job.photo.height and 0 <= column < job.photo.width):
        return job
    whole = job.photo.bounds
    codes = marked_subject(job, whole).astype(np.uint8) + 2 * job.corrections.read(whole)
    area = region_at(codes, row, column)
    if area.mean() > 0.5 and (area[0].any() or area[-1].any() or area[:, 0].any() or area[:, -1].any()):
        message = f"Nothing encloses this area: it is {area.mean() * 100:.0f} % of {job.photo.name}."
        raise MarkError(message, "Close the contour or the stroke around it first.")
    return mark_region(job, area, zone)


def clear_marks(job: Job, area: Sequence[Point] = ()) -> Job:
    """Take all marks away, or make an area backdrop."""
    if len(area) > 2:
        return mark_region(job, coverage_of(job, area), Zone.BACKDROP)
    return without_marks(job) if job.has_subject or job.settings.photo.contours else job


def without_marks(job: Job) -> Job:
    """Return the job as it was before anything was marked, with its other settings."""
    return job.without(Role.MARK, Role.BAND, Role.SOLUTION, Role.TOUCH, Role.COLOUR).with_photo_settings(
        contours=(), unmarked="backdrop", guess=None, carried=False
    )


def with_trust(job: Job, region: BoolArray, window: Rect, trust: float) -> Job:
    """Trust the mark less, or more, in a region of a window; the zones are laid by whoever marks it.

    The region is (h, w) bool, of the window.
    """
    return job.with_planes(trusted=_painted(job.trusted, region, window, trust_code(trust)))


def paint_trust(job: Job, stroke: Stroke, trust: float | None) -> Job:
    """Brush over the boundary to say how much it is trusted; None leaves it to the recipe. The band follows."""
    window = _window(job, stroke)
    if window.is_empty:
        return job
    touched = _touched(stroke, window)
    return lay_zones(job.with_planes(trusted=_painted(job.trusted, touched, window, trust_code(trust))), window)


def looked_at(job: Job) -> Job:
    """Take note that somebody has looked at what Peel made alone."""
    return job.with_photo_settings(guess=None, carried=False) if job.settings.photo.is_unseen else job


def covered_by(job: Job, area: Sequence[Point]) -> tuple[Rect, FloatArray]:
    """Return the window around an outline and how much of each of its pixels lies within, in [0, 1].

    Coverage is (h, w) float32, of the window.

    The window is empty for an outline of no size, or outside the photo.
    """
    if len(area) < 3:
        return Rect(0, 0, 0, 0), np.zeros((0, 0), np.float32)
    window = Rect(*stroke_bounds(area, 0)).intersection(job.photo.bounds)
    if window.is_empty:
        return window, np.zeros((0, 0), np.float32)
    inside = coverage([np.asarray(area)], window.as_tuple)
    return window, np.asarray(inside / np.float32(255), np.float32)


def coverage_of(job: Job, area: Sequence[Point]) -> BoolArray:
    """Return which pixels of the photo lie within an outline.

    Returns (H, W) bool.
    """
    return coverage([np.asarray(area)], job.photo.bounds.as_tuple) >= 128
