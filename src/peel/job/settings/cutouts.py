"""The settings of an arrangement: which cutouts stand on the sheet, and where."""

from typing import Annotated, Final, Literal

from pydantic import Field, field_validator

from peel.job.settings.base import Digest, Point, SettingsModel
from peel.job.settings.sheet import Grade

__all__ = ["MOST_CUTOUTS", "Corners", "PlacedCutout", "is_placeable"]

MOST_CUTOUTS: Final = 60
Corners = tuple[Point, Point, Point, Point]
_LEAST_AREA: Final = 4.0  # square pixels of a cutout that can still be seen


def is_placeable(corners: Corners) -> bool:
    """Return whether four corners, in order, are those of a convex figure that is not smaller than a few pixels.

    >>> is_placeable(((0, 0), (9, 0), (9, 9), (0, 9)))
    True
    >>> is_placeable(((0, 0), (9, 9), (9, 0), (0, 9)))
    False
    """
    turns = []
    area = 0.0
    for k in range(4):
        (x0, y0), (x1, y1), (x2, y2) = (corners[(k + step) % 4] for step in range(3))
        turns.append((x1 - x0) * (y2 - y1) - (y1 - y0) * (x2 - x1))
        area += (x0 * y1 - x1 * y0) / 2
    return abs(area) >= _LEAST_AREA and (min(turns) > 1e-3 * abs(area) or max(turns) < -1e-3 * abs(area))


class PlacedCutout(SettingsModel):
    """A cutout on the sheet.

    Attributes
    ----------
    source : the photo's own subject, or a picture kept in the job.
    name : for people.
    corners : where the corners of its picture lie (top left, top right, bottom right, bottom left), in photo pixels;
        None for its own place. They may be moved, scaled, turned, mirrored, skewed and in perspective, but not folded.
    grade : its own light and colours; None for that of the recipe's subject.
    hidden : whether it is left out.
    casts : whether it has a shadow.
    """

    source: Literal["subject"] | Digest = "subject"
    name: Annotated[str, Field(max_length=200)] = ""
    corners: Corners | None = None
    grade: Grade | None = None
    hidden: bool = False
    casts: bool = True

    @field_validator("corners")
    @classmethod
    def _not_folded(cls, corners: Corners | None) -> Corners | None:
        if corners is not None and not is_placeable(corners):
            msg = "a cutout cannot be folded over, or smaller than a few pixels"
            raise ValueError(msg)
        return corners
