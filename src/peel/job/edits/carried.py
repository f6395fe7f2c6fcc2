"""Carry a job's recipe and its marks to another photo."""

from typing import Any, Final

import numpy as np

from peel.job.edits.lay_band import lay_zones
from peel.job.edits.values import use_settings
from peel.job.job import Job
from peel.job.plane import Plane
from peel.job.planes import PLANES, Role
from peel.job.settings import Contour, Point, pictures_of

__all__ = ["with_marks_of", "with_recipe_of"]

_MARKS: Final = tuple(name for name, spec in PLANES.items() if spec.role is Role.MARK)


def with_recipe_of(job: Job, source: Job, *, same_backdrop: bool = True) -> Job:
    """Take another job's recipe over, with the pictures that it names; what belongs to the photo stays.

    Before another backdrop, so does what depends on it: separations, the hue of spill, and the trust in the mark.
    """
    for digest in pictures_of(source.settings):
        if digest in source.assets:
            job = job.with_asset(source.assets[digest])
    recipe, own = source.settings.recipe, job.settings.recipe
    if recipe.second_frame.picture is None or recipe.second_frame.kind == "again":  # another take of that photo alone
        recipe = recipe.model_copy(update={"second_frame": own.second_frame})
    if not same_backdrop:
        band = recipe.band.model_copy(update={"trust": own.band.trust})
        spill = recipe.colour.spill.model_copy(update={"hue": own.colour.spill.hue})
        colour = recipe.colour.model_copy(update={"spill": spill})
        recipe = recipe.model_copy(update={"separations": own.separations, "band": band, "colour": colour})
    return use_settings(job, job.settings.model_copy(update={"recipe": recipe}))


def with_marks_of(job: Job, source: Job, right: int, down: int) -> Job:
    """Take another job's marks over, moved by whole pixels, in place of this job's own; the photos are of one size.

    What was brushed on the matte, the colours or the shadows is not carried: it belongs to what is seen.
    """
    planes = {name: _moved(getattr(source, name), PLANES[name].default, right, down) for name in _MARKS
              if name in source.planes or name in job.planes}  # fmt: skip
    photo = source.settings.photo
    settings = {
        "unmarked": photo.unmarked,
        "contours": tuple(_moved_contour(contour, right, down) for contour in photo.contours),
        "sheer_colours": photo.sheer_colours,
        "ground": None if photo.ground is None else tuple(_plus(point, right, down) for point in photo.ground),
        "wall_px": photo.wall_px,
    }
    job = job.with_planes(**planes).with_photo_settings(**settings)
    return lay_zones(job, job.photo.bounds)


def _moved(plane: Plane, default: int, right: int, down: int) -> Plane:
    if right == 0 and down == 0:
        return plane
    values = plane.read()
    out = np.full_like(values, default)
    height, width = values.shape
    to = slice(max(down, 0), height + min(down, 0)), slice(max(right, 0), width + min(right, 0))
    from_ = slice(max(-down, 0), height + min(-down, 0)), slice(max(-right, 0), width + min(-right, 0))
    out[to] = values[from_]
    return Plane.from_array(out)


def _moved_contour(contour: Contour, right: int, down: int) -> Contour:
    nodes: tuple[Any, ...] = tuple(
        node.model_copy(update={"at": _plus(node.at, right, down)}) for node in contour.nodes
    )
    return contour.model_copy(update={"nodes": nodes})


def _plus(point: Point, right: int, down: int) -> Point:
    return point[0] + right, point[1] + down
