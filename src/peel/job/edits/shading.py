"""Edits of shadows: brushed weaker and stronger, and where the photo's own is kept."""

from collections.abc import Sequence

import numpy as np

from peel.job.edits.marking import covered_by
from peel.job.edits.touching import SoftStroke, moved_towards
from peel.job.job import Job
from peel.job.plane import Plane
from peel.job.planes import PLANES, Role
from peel.job.settings import Point
from peel.matte.pixels import to_bytes

__all__ = ["brush_shadow", "keep_shadow", "keep_shadow_within", "release_shadows"]


def brush_shadow(job: Job, stroke: SoftStroke, *, stronger: bool) -> Job:
    """Brush every shadow stronger, up to twice as dark, or away."""
    window = stroke.window(job.photo.bounds)
    if window.is_empty:
        return job
    weights = stroke.weights(window)
    return job.with_planes(shadow_weight=moved_towards(job.shadow_weight, window, weights, 255 if stronger else 0))


def keep_shadow(job: Job, stroke: SoftStroke, *, keeps: bool = True) -> Job:
    """Brush where the photo's own shadow is kept, or no longer."""
    window = stroke.window(job.photo.bounds)
    if window.is_empty:
        return job
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
    """Take back all that was brushed on shadows."""
    names = [name for name, spec in PLANES.items() if spec.role is Role.SHADOW and name in job.planes]
    blank = {name: Plane.filled(job.photo.height, job.photo.width, PLANES[name].default) for name in names}
    return job.with_planes(**blank)
