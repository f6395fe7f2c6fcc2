"""Edits of the subject's colours: areas of their own, tints, and what is brushed on. None of them touches the matte."""

from typing import Any, Final

import numpy as np

from peel.errors import MarkError
from peel.job.edits.touching import SoftStroke, moved_towards
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.planes import PLANES, Role
from peel.job.rect import Rect
from peel.job.settings import MOST_TINTS, EdgeColour, Tint
from peel.job.settings.edges import KIND_IDS
from peel.matte.arrays import BoolArray
from peel.matte.colour.rims import has_tone_near, rim_reach

__all__ = [
    "COLOUR_BRUSHES",
    "add_tint",
    "brush_original",
    "brush_tint",
    "brush_tone",
    "change_tint",
    "drop_tint",
    "release_colours",
    "without_colours",
]

COLOUR_BRUSHES: Final[dict[str, int]] = {
    name: spec.default for name, spec in PLANES.items() if spec.role is Role.COLOUR
}
"""The planes that are brushed on colours, with the value that changes nothing."""


_SOME: Final = 0.02  # weight of a brush from which it touches


# brushes


def brush_tone(job: Job, stroke: SoftStroke, *, lighter: bool) -> Job:
    """Brush the edge's own dark tones lighter, or its light ones darker, towards the tone further in.

    Passes do not add up: where strokes of one sort cross, the stronger one counts.

    Raises
    ------
    MarkError
        If no subject further in is near, by whose tone it could go.
    """
    window = stroke.window(job.photo.bounds)
    if window.is_empty:
        return job
    weights = stroke.weights(window)
    if not _has_tone(job, window, weights > _SOME):
        sentence = "No solid part of the subject is near enough to go by its tone."
        raise MarkError(sentence, "Brush along an edge, or use a tint.")
    neutral = np.float32(COLOUR_BRUSHES["toning"])
    sign = 1 if lighter else -1
    wanted = np.round(neutral + sign * weights * np.float32(127))
    before = job.toning.read(window)
    after = (np.maximum if lighter else np.minimum)(before, wanted)
    return job.with_planes(toning=job.toning.write(window, after.clip(0, 255).astype(np.uint8)))


def _has_tone(job: Job, window: Rect, brushed: BoolArray) -> bool:
    """Return whether anything under a brush has the tone of the subject further in near it."""
    width = job.settings.recipe.colour.rim_px
    around = window.grown(rim_reach(width)).intersection(job.photo.bounds)
    return bool(has_tone_near(job.alpha(around), width)[window.within(around)][brushed].any())


def brush_original(job: Job, stroke: SoftStroke) -> Job:
    """Brush the photo's own colours back."""
    return _brushed(job, "original", stroke, 255)


def release_colours(job: Job, stroke: SoftStroke) -> Job:
    """Take back what was brushed on colours, under a brush."""
    for name, neutral in COLOUR_BRUSHES.items():
        if name in job.planes and name != "patch":
            job = _brushed(job, name, stroke, neutral)
    return job


def _brushed(job: Job, name: str, stroke: SoftStroke, target: int) -> Job:
    """Move a plane towards a value under a stroke, by at least one step wherever it has any weight."""
    window = stroke.window(job.photo.bounds)
    if window.is_empty:
        return job
    weights = stroke.weights(window)
    return job.with_planes(**{name: moved_towards(getattr(job, name), window, weights, target)})


# tints


def add_tint(job: Job, tint: Tint) -> Job:
    """Add a tint, with nothing brushed yet.

    Raises
    ------
    MarkError
        If there are too many already.
    """
    if len(job.settings.photo.tints) >= MOST_TINTS:
        message = f"There are {MOST_TINTS} tints already."
        raise MarkError(message, "Drop one that is no longer needed.")
    return set_value(job, "photo.tints", (*job.settings.photo.tints, tint))


def brush_tint(job: Job, stroke: SoftStroke, number: int, *, takes: bool = False) -> Job:
    """Brush the patch of a tint, by its number from 1; or take it back."""
    window = stroke.window(job.photo.bounds)
    if window.is_empty or not 0 < number <= len(job.settings.photo.tints):
        return job
    patch, touched = job.patch.read(window), stroke.weights(window) > 0.02
    weights = job.patch_weight.read(window)
    if takes:
        touched &= patch == number
        kept = (weights * (1 - stroke.weights(window))).astype(np.uint8)
        weights = np.where(touched, kept, weights).astype(np.uint8)
        patch = np.where(touched & (weights == 0), 0, patch).astype(np.uint8)
    else:
        put = np.ceil(stroke.weights(window) * 255).astype(np.uint8)
        weights = np.where(touched & (patch == number), np.maximum(weights, put), np.where(touched, put, weights))
        patch = np.where(touched, number, patch).astype(np.uint8)
    return job.with_planes(
        patch=job.patch.write(window, patch), patch_weight=job.patch_weight.write(window, weights.astype(np.uint8))
    )


def change_tint(job: Job, number: int, **changes: Any) -> Job:
    """Change a tint, by its number from 1."""
    tints = list(job.settings.photo.tints)
    if not 0 < number <= len(tints):
        return job
    tints[number - 1] = Tint.model_validate({**dict(tints[number - 1]), **changes})
    return set_value(job, "photo.tints", tuple(tints))


def drop_tint(job: Job, number: int) -> Job:
    """Take a tint away with its patch; those after it move up."""
    tints = job.settings.photo.tints
    if not 0 < number <= len(tints):
        return job
    patch, weights = job.patch.read(), job.patch_weight.read()
    weights[patch == number] = 0
    patch[patch == number] = 0
    patch[patch > number] -= 1
    bounds = job.photo.bounds
    job = job.with_planes(patch=job.patch.write(bounds, patch), patch_weight=job.patch_weight.write(bounds, weights))
    return set_value(job, "photo.tints", tints[: number - 1] + tints[number:])


def without_colours(job: Job) -> Job:
    """Return the job with the photo's own colours throughout, for a before and after."""
    bare = EdgeColour(clean=0, detail=0, roots=0, spill_edge=0, spill_inside=0)
    colour = job.settings.recipe.colour.model_copy(update={**dict(bare), **dict.fromkeys(KIND_IDS, None)})
    return job.without(Role.COLOUR).with_recipe(colour=colour).with_photo_settings(colour_areas=())
