"""The settings of a job: validated, immutable, and the same JSON in the job file and on the command line."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

__all__ = [
    "Backing",
    "Band",
    "Colour",
    "Contour",
    "Delivery",
    "HexColour",
    "JobSettings",
    "Matte",
    "Point",
    "rgb_from_hex",
]

Coordinate = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Point = tuple[Coordinate, Coordinate]
HexColour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")]


class _Settings(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Contour(_Settings):
    """A drawn outline.

    Attributes
    ----------
    points : x, y in photo pixels; a run between two points is straight, freehand is many points.
    closed : whether it encloses an area yet.
    hole : whether that area is taken out of the subject rather than added.
    """

    points: Annotated[tuple[Point, ...], Field(max_length=200_000)] = ()
    closed: bool = False
    hole: bool = False


class Band(_Settings):
    """How far the unsure band reaches from the marked boundary, in photo pixels."""

    outward_px: Annotated[float, Field(ge=0, le=400)] = 14.0
    inward_px: Annotated[float, Field(ge=0, le=400)] = 8.0


class Matte(_Settings):
    """How subject and backdrop mix where both show: as light, or by encoded value; None until that was found out."""

    mixing: Literal["value", "light"] | None = None


class Colour(_Settings):
    """Edge colour: 0 keeps the photo's own colours in the band, 1 gives all of it the subject's."""

    clean: Annotated[float, Field(ge=0, le=1)] = 1.0


class Backing(_Settings):
    """What the cutout stands on: nothing, or a plain colour (sRGB)."""

    kind: Literal["nothing", "colour"] = "nothing"
    colour: HexColour = "#ffffff"


class Delivery(_Settings):
    """Which files are delivered, and how."""

    cutout: bool = True
    cutout_bits: Literal[8, 16] = 8
    flat: bool = True
    flat_quality: Annotated[int, Field(ge=40, le=100)] = 92
    matte: bool = True
    matte_bits: Literal[8, 16] = 8


class JobSettings(_Settings):
    """Everything about a job that is not pixels, in the order of the work."""

    contours: tuple[Contour, ...] = ()
    band: Band = Band()
    matte: Matte = Matte()
    colour: Colour = Colour()
    backing: Backing = Backing()
    delivery: Delivery = Delivery()


def rgb_from_hex(colour: str) -> tuple[float, float, float]:
    """Give the three parts of ``#rrggbb`` in [0, 1].

    >>> rgb_from_hex("#ff0080")[0]
    1.0
    """
    red, green, blue = (int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5))
    return red, green, blue
