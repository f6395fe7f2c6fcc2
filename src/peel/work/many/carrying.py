"""Carry what was found on one photo to others of its session: the recipe, the marks where the framing is the same."""

from dataclasses import dataclass
from typing import Final, Literal

import cv2
import numpy as np

from peel.errors import MarkError, PhotoError
from peel.files.profiles import to_screen
from peel.job.edits.carried import with_marks_of, with_recipe_of
from peel.job.edits.values import use_settings
from peel.job.job import Job
from peel.job.marked import sampled_subject
from peel.job.settings import Band
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.marking.framing import Framing, same_backdrop, same_framing
from peel.matte.pixels import to_bytes
from peel.work.framing.frames import kind_of
from peel.work.stages.pyramid import Pyramid

__all__ = ["Carried", "What", "carried", "framing_of", "preview"]

What = Literal["recipe", "marks", "both"]
_LONGEST: Final = 900
_SHOWN: Final = 360


@dataclass(frozen=True)
class Carried:
    """A job that something was carried to, and what was done, in a sentence."""

    job: Job
    says: str


def _gray(job: Job) -> FloatArray:
    level = job.photo.space.level_within(_LONGEST)
    return np.asarray(Pyramid(job.photo.pixels).colours(job.photo.space.bounds(level), level).mean(axis=2), np.float32)


def _small(job: Job) -> FloatArray:
    level = job.photo.space.level_within(_SHOWN)
    return Pyramid(job.photo.pixels).colours(job.photo.space.bounds(level), level)


def _subject_of(job: Job) -> BoolArray:
    return sampled_subject(job, *_small(job).shape[:2])


def framing_of(source: Job, target: Job) -> Framing:
    """Return how a photo's framing is moved against another's, in pixels of the photos; unlike if sizes differ."""
    if source.photo.bounds != target.photo.bounds:
        return Framing(0.0, 0.0, 0.0)
    scale = 1 << source.photo.space.level_within(_LONGEST)
    found = same_framing(_gray(source), _gray(target))
    return Framing(found.right * scale, found.down * scale, found.likeness)


def carried(source: Job, target: Job, what: What) -> Carried:
    """Carry the recipe, the marks or both; marks only where the framing is the same.

    Raises
    ------
    MarkError
        If marks alone are to be carried and the framing is another one, or nothing is marked.
    """
    job, says = target, []
    if what != "marks":
        recipe = source.settings.recipe
        depends = (
            any(one.use != "look" for one in recipe.separations)
            or recipe.band.trust != Band().trust
            or recipe.colour.spill.hue is not None
        )
        same = not depends or same_backdrop(_small(source), _small(target), _subject_of(source))
        job, fits = _with_fitting_frame(with_recipe_of(job, source, same_backdrop=same), target)
        says.append(
            "recipe" if same else "recipe without separations, spill hue and trust, as the backdrop is another one,"
        )
        if not fits:
            says.append("(not the empty set: it is not that of this photo)")
    if what != "recipe" and source.has_subject:
        framing = framing_of(source, target)
        if framing.is_same:
            right, down = round(framing.right), round(framing.down)
            job = with_marks_of(job, source, right, down)
            by = f", moved by {right}, {down} px" if right or down else ""
            says.append(f"and marks{by}" if says else f"marks{by}")
        else:
            if what == "marks":
                message = (
                    f"{target.photo.name} is framed differently from {source.photo.name}: marks cannot be carried."
                )
                raise MarkError(message, "Carry the recipe, and mark it anew.")
            says.append("but no marks: framed differently")
    elif what == "marks":
        raise MarkError(f"Nothing is marked on {source.photo.name}.", "Mark it first.")
    if job is not target:
        job = job.with_photo_settings(carried=True)
    return Carried(job, f"Carried {' '.join(says)}.")


def _with_fitting_frame(job: Job, target: Job) -> tuple[Job, bool]:
    """Leave a carried set out where the photo was not taken before it; returns whether it fits."""
    second = job.settings.recipe.second_frame
    asset = job.assets.get(second.picture or "")
    if second == target.settings.recipe.second_frame or asset is None:
        return job, True
    try:
        fits = kind_of(asset, job.photo) == "empty"
    except PhotoError:
        fits = False
    if fits:
        return job, True
    recipe = job.settings.recipe.model_copy(update={"second_frame": target.settings.recipe.second_frame})
    return use_settings(job, job.settings.model_copy(update={"recipe": recipe})), False


def preview(job: Job) -> ByteArray:
    """Draw a small look at a job's zones over its photo, (h, w, 3) sRGB: backdrop faded, the unsure band yellow."""
    level = job.photo.space.level_within(_SHOWN)
    rect = job.photo.space.bounds(level)
    colours = Pyramid(job.photo.pixels).colours(rect, level)
    zones = np.ascontiguousarray(job.zones.read()[:: 1 << level, :: 1 << level])[: rect.height, : rect.width]
    if zones.shape != colours.shape[:2]:
        zones = cv2.resize(zones, (rect.width, rect.height), interpolation=cv2.INTER_NEAREST)
    backdrop, unsure = zones == BACKGROUND, (zones != BACKGROUND) & (zones != FOREGROUND)
    colours[backdrop] = 0.35 * colours[backdrop] + 0.6
    colours[unsure] = 0.5 * colours[unsure] + 0.5 * np.array([0.93, 0.72, 0.1], np.float32)
    return to_screen(to_bytes(colours), job.photo.profile)
