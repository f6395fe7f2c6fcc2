"""Masks in and out: what was drawn elsewhere as mark, zones or matte, and marks that are kept under names."""

from dataclasses import dataclass
from pathlib import Path
from typing import Final, Literal

import numpy as np

from peel.errors import MarkError, PhotoError
from peel.files.drawn import decode_channels, read_mask
from peel.files.encoding import encoded_png
from peel.files.pictures import write_png
from peel.job.assets import Asset
from peel.job.edits.contours import with_contours
from peel.job.edits.lay_band import lay_zones
from peel.job.edits.marking import Zone, mark_region, without_marks
from peel.job.edits.values import use_zones
from peel.job.job import Job, Photo
from peel.job.marked import marked_subject
from peel.job.plane import Plane
from peel.job.settings import MOST_KEPT_MARKS, KeptMark
from peel.matte.arrays import FloatArray
from peel.matte.edge.trimap import missing_zone, trimap_from_gray
from peel.matte.pixels import to_bytes, to_words
from peel.work.solving.given import take_matte
from peel.work.stages import Stages

__all__ = [
    "Mask",
    "MaskUse",
    "bring_back_mark",
    "forget_mark",
    "found_mask",
    "keep_mark",
    "save_mask",
    "use_mask",
]

MaskUse = Literal["mark", "zones", "matte"]

_BORDER: Final = 0.02  # of a mask's shorter side
_SOFT: Final = 0.002  # share of pixels that are neither black nor white, from which a mask is taken for a matte
_BRUSHED: Final = ("marks", "kinds", "corrections", "trusted")
"""The planes that a kept mark's picture holds, channel by channel."""


@dataclass(frozen=True, eq=False)
class Mask:
    """A mask that was read, with what it seems to be.

    Attributes
    ----------
    name : str
    values : (H, W) float32 ndarray
        In [0, 1], of the photo's size.
    is_inverted : bool
        Whether black seems to be the subject.
    use : what it seems to be meant for.
    """

    name: str
    values: FloatArray
    is_inverted: bool
    use: MaskUse


def found_mask(path: Path, photo: Photo) -> Mask:
    """Read a mask and see what it seems to be: one white all around has black for its subject.

    Raises
    ------
    PhotoError
        If it cannot be read, is no mask, or does not fit the photo.
    """
    values = read_mask(path, photo)
    if float(values.max()) - float(values.min()) < 0.5:
        message = f"{path.name} has no black and white in it that could part subject from backdrop."
        raise PhotoError(message, "Draw the subject white and the backdrop black.")
    rim = max(round(_BORDER * min(values.shape)), 1)
    sides = values[:rim], values[-rim:], values[:, :rim], values[:, -rim:]
    is_inverted = bool(np.median(np.concatenate([side.ravel() for side in sides])) > 0.5)
    return Mask(path.name, values, is_inverted, _seems(values))


def _seems(values: FloatArray) -> MaskUse:
    """Return what a mask seems to be meant for, by its gray levels."""
    levels = len(np.unique(to_bytes(values)))
    if levels == 3:
        return "zones"
    between = float(np.mean((values > 0.01) & (values < 0.99)))
    return "matte" if levels > 3 and between > _SOFT else "mark"


def use_mask(job: Job, values: FloatArray, use: MaskUse) -> Job:
    """Take a mask for the mark, the zones or the matte, in place of all that was marked.

    Raises
    ------
    MarkError
        If it has no subject or no backdrop.
    """
    is_mark = use == "mark"
    drawn = to_bytes((values >= 0.5).astype(np.float32)) if is_mark else trimap_from_gray(to_bytes(values))
    missing = missing_zone(drawn)
    if missing is not None and use != "matte":
        message = f"The mask has no {missing}."
        raise MarkError(message, "Draw the subject white and the backdrop black, both somewhere.")
    job = without_marks(job)
    if use == "mark":
        return mark_region(job, drawn == 255, Zone.SUBJECT)
    return use_zones(job, drawn) if use == "zones" else take_matte(job, values)


def save_mask(path: Path, job: Job, stages: Stages, use: MaskUse) -> None:
    """Write the mark or the zones as 8-bit gray PNG, or the finished matte in 16 bits.

    Raises
    ------
    MarkError
        If nothing is marked.
    DeliveryError
        If it cannot be written.
    """
    if not job.has_subject:
        raise MarkError("Nothing is marked yet that could be saved.", "Mark the subject first.")
    whole = job.photo.bounds
    if use == "matte":
        write_png(path, to_words(stages.alpha(job, whole, 0)))
    else:
        write_png(path, to_bytes(marked_subject(job, whole)) if use == "mark" else job.zones.read())


def keep_mark(job: Job, name: str) -> Job:
    """Keep the present mark under a name; one of the same name is replaced.

    Raises
    ------
    MarkError
        If nothing is marked, the name is empty, or as many are kept as Peel keeps.
    """
    name = " ".join(name.split())[:80]
    if not name:
        raise MarkError("A mark is kept under a name.", "Type one.")
    if not (job.has_subject or job.settings.photo.contours):
        raise MarkError("Nothing is marked yet that could be kept.", "Mark the subject first.")
    others = tuple(kept for kept in job.settings.photo.kept_marks if kept.name != name)
    if len(others) >= MOST_KEPT_MARKS:
        raise MarkError("As many marks are kept as a job holds.", "Forget one of them.")
    brushed = np.stack([getattr(job, plane).read() for plane in _BRUSHED], axis=2)
    asset = Asset(f"{name}.png", encoded_png(brushed), *brushed.shape[:2])
    photo = job.settings.photo
    kept = KeptMark(name=name, picture=asset.digest, contours=photo.contours, unmarked=photo.unmarked)
    return job.with_asset(asset).with_photo_settings(kept_marks=(*others, kept))


def bring_back_mark(job: Job, name: str) -> Job:
    """Mark as it was kept under a name; what is marked now is gone, but for undo.

    Raises
    ------
    MarkError
        If there is no such mark, or its picture is damaged.
    """
    kept = next((kept for kept in job.settings.photo.kept_marks if kept.name == name), None)
    asset = None if kept is None else job.assets.get(kept.picture)
    brushed = None if asset is None else decode_channels(asset.content)
    if kept is None or brushed is None or brushed.shape != (job.photo.height, job.photo.width, len(_BRUSHED)):
        message = f"The mark {name} is not there any more."
        raise MarkError(message, "Mark anew.")
    job = without_marks(job)
    planes = {plane: Plane.from_array(np.ascontiguousarray(brushed[..., k])) for k, plane in enumerate(_BRUSHED)}
    job = with_contours(job.with_planes(**planes), kept.contours, kept.unmarked)
    return lay_zones(job, job.photo.bounds)


def forget_mark(job: Job, name: str) -> Job:
    """Keep a mark no longer."""
    return job.with_photo_settings(
        kept_marks=tuple(kept for kept in job.settings.photo.kept_marks if kept.name != name)
    )
