"""Edits of shadows: painted, brushed weaker and stronger, and where the photo's own is kept."""

from collections.abc import Sequence
from typing import Any, Final

import numpy as np

from peel.errors import MarkError
from peel.job.edits.marking import covered_by
from peel.job.edits.touching import SoftStroke, moved_towards
from peel.job.job import Job
from peel.job.placing.cutouts import matrix_of
from peel.job.plane import Plane
from peel.job.planes import PLANES, Role
from peel.job.settings import MOST_SHADOW_STROKES, Point, ShadowStroke
from peel.job.settings.shadow import MOST_STROKE_POINTS, MOST_STROKE_PX
from peel.matte.composite.homography import mapped
from peel.matte.pixels import to_bytes

__all__ = ["brush_shadow", "keep_shadow", "keep_shadow_within", "paint_shadow", "release_shadows"]

_MOST_AWAY: Final = 500_000  # pixels
_THINNED: Final = 0.1  # of a brush's radius, within which points of a stroke are left out


def paint_shadow(job: Job, stroke: SoftStroke, *, takes: bool = False) -> Job:
    """Paint a shadow, or take off what was painted; beyond the photo too.

    Raises
    ------
    MarkError
        If there is nothing to take off, or there are too many strokes.
    """
    painted = job.settings.photo.shadow_painted
    if takes and not painted:
        raise MarkError("No shadow is painted that could be taken off.", "Paint one with the other button.")
    job = job.with_photo_settings(shadow_painted=(*painted, _kept_stroke(job, stroke, painted, takes=takes)))
    shadow = job.settings.recipe.shadow
    if takes or shadow.painted.on:
        return job
    return job.with_recipe(shadow=shadow.model_copy(update={"painted": shadow.painted.model_copy(update={"on": True})}))


def brush_shadow(job: Job, stroke: SoftStroke, *, stronger: bool) -> Job:
    """Brush every shadow stronger, up to twice as dark, or away.

    Raises
    ------
    MarkError
        If there is no shadow, or there are too many strokes.
    """
    if not job.settings.recipe.shadow.is_any:
        raise MarkError("There is no shadow yet that could be shaded.", "Keep or cast one, or paint one with Shadow.")
    shaded = job.settings.photo.shadow_shaded
    return job.with_photo_settings(shadow_shaded=(*shaded, _kept_stroke(job, stroke, shaded, takes=not stronger)))


def _kept_stroke(job: Job, stroke: SoftStroke, before: Sequence[ShadowStroke], *, takes: bool) -> ShadowStroke:
    """Return a stroke as it is kept: where the subject was photographed, and without points that change nothing."""
    if len(before) >= MOST_SHADOW_STROKES:
        raise MarkError("There are as many strokes on shadows as Peel keeps.", "Take back what was brushed.")
    points, radius = _on_photo(job, np.asarray(stroke.points, np.float64), stroke.radius_px)
    if not (np.isfinite(points).all() and np.abs(points).max() < _MOST_AWAY):
        raise MarkError("Shadows cannot be painted so far away.", "Paint nearer to the subject.")
    kept = _thinned(points, _THINNED * radius)
    kept = kept[:: -(-len(kept) // MOST_STROKE_POINTS)]
    pens: dict[str, Any] = {}
    for name in ("pressures", "sizes"):  # what a pen reports that is no number counts as full pressure
        values = np.clip(np.nan_to_num(np.asarray(getattr(stroke, name), np.float64), nan=1.0), 0, 1)
        pens[name] = tuple(round(float(values[k]), 3) for k in kept) if len(values) == len(points) else ()
    return ShadowStroke(
        points=tuple((round(float(x), 1), round(float(y), 1)) for x, y in points[kept]),
        radius_px=round(min(radius, MOST_STROKE_PX), 2),
        softness=stroke.softness,
        strength=min(max(stroke.strength, 0.0), 1.0),
        takes=takes,
        **pens,
    )


def _on_photo(job: Job, points: Any, radius: float) -> tuple[Any, float]:
    """Return points and a radius as they lie on the photo, wherever the subject stands on the sheet."""
    for cutout in job.settings.photo.cutouts:
        if cutout.source == "subject" and not cutout.hidden:
            if cutout.corners is None:
                break
            back = np.linalg.inv(matrix_of(job, cutout))
            around = points.mean(axis=0) + np.array([(-radius, 0), (radius, 0), (0, -radius), (0, radius)])
            ends = mapped(back, around)
            across, down = (float(np.hypot(*(ends[k + 1] - ends[k]))) for k in (0, 2))
            return mapped(back, points), max(float(np.sqrt(across * down)) / 2, 0.5)
    return points, radius


def _thinned(points: Any, least: float) -> list[int]:
    """Return the numbers of points that lie so far apart, the ends among them."""
    kept = [0]
    for number in range(1, len(points)):
        apart = float(np.hypot(*(points[number] - points[kept[-1]])))
        if apart >= least or (number == len(points) - 1 and apart > 0):
            kept.append(number)
    return kept


def keep_shadow(job: Job, stroke: SoftStroke, *, keeps: bool = True) -> Job:
    """Brush where the photo's own shadow is kept, or no longer.

    Raises
    ------
    MarkError
        If the stroke lies beyond the photo, which has no shadow there.
    """
    window = stroke.window(job.photo.bounds)
    if window.is_empty:
        raise MarkError("The photo has no shadow of its own beyond its border.", "Paint one there with Shadow.")
    weights = stroke.weights(window)
    kept = moved_towards(job.shadow_kept, window, weights, 255 if keeps else 0)
    return (
        job.with_planes(shadow_kept=kept).with_recipe(shadow=_brushed(job))
        if keeps
        else job.with_planes(shadow_kept=kept)
    )


def keep_shadow_within(job: Job, area: Sequence[Point]) -> Job:
    """Keep the photo's own shadow within an outline."""
    window, inside = covered_by(job, area)
    if window.is_empty:
        return job
    kept = np.maximum(job.shadow_kept.read(window), to_bytes(inside))
    return job.with_planes(shadow_kept=job.shadow_kept.write(window, kept)).with_recipe(shadow=_brushed(job))


def _brushed(job: Job) -> object:
    shadow = job.settings.recipe.shadow
    return shadow.model_copy(update={"kept": shadow.kept.model_copy(update={"on": True, "within": "brushed"})})


def release_shadows(job: Job) -> Job:
    """Take back all that was brushed on shadows, and painted."""
    names = [name for name, spec in PLANES.items() if spec.role is Role.SHADOW and name in job.planes]
    blank = {name: Plane.filled(job.photo.height, job.photo.width, PLANES[name].default) for name in names}
    return job.with_planes(**blank).with_photo_settings(shadow_painted=(), shadow_shaded=())
