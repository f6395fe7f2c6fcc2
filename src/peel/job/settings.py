"""The settings of a job: validated, immutable, and the same JSON in the job file and on the command line."""

from typing import Annotated, Any, Final, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

__all__ = [
    "MOST_OWN_COLOURS",
    "Backing",
    "Band",
    "Colour",
    "Contour",
    "Delivery",
    "HexColour",
    "JobSettings",
    "Matte",
    "Node",
    "Point",
    "rgb_from_hex",
]

MOST_OWN_COLOURS: Final = 8

Coordinate = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Point = tuple[Coordinate, Coordinate]
HexColour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")]


class _Settings(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Node(_Settings):
    """A point of a contour, and the stretch that leads to it from the point before.

    Attributes
    ----------
    at : x, y in photo pixels.
    back, out : handles of the curves that arrive and leave, measured from `at`; (0, 0) where the run is straight.
    smooth : whether the two handles are kept in one line.
    exact : whether the stretch that leads here is a hard edge, with a band of a few pixels, rather than a loose one.
    fitted : whether it was put in between the ends of a freehand or followed run, rather than set by hand.
    """

    at: Point
    back: Point = (0.0, 0.0)
    out: Point = (0.0, 0.0)
    smooth: bool = False
    exact: bool = False
    fitted: bool = False


class Contour(_Settings):
    """A drawn outline.

    Attributes
    ----------
    nodes : its points, in order; the stretch to the first one closes it.
    closed : whether it encloses an area yet.
    hole : whether that area is taken out of the subject rather than added.
    """

    nodes: Annotated[tuple[Node, ...], Field(max_length=200_000)] = ()
    closed: bool = False
    hole: bool = False

    @model_validator(mode="before")
    @classmethod
    def _from_first_format(cls, data: Any) -> Any:
        """Take over contours of the first file format: plain points joined by straight runs."""
        if isinstance(data, dict) and "points" in data:
            points = data["points"] if isinstance(data["points"], list) else []
            rest = {key: value for key, value in data.items() if key != "points"}
            return {**rest, "nodes": [{"at": point} for point in points]}
        return data


class Band(_Settings):
    """How far the unsure band reaches from the marked boundary, in photo pixels; `exact_px` where that is exact."""

    outward_px: Annotated[float, Field(ge=0, le=400)] = 14.0
    inward_px: Annotated[float, Field(ge=0, le=400)] = 8.0
    exact_px: Annotated[float, Field(ge=0, le=40)] = 3.0


class Matte(_Settings):
    """How the matte is solved.

    Attributes
    ----------
    mixing : how subject and backdrop mix where both show, as light or by encoded value; None until that was found out.
    own_colours : colours that sheer material has of its own, in the photo's profile, where nothing solid shows them.
    """

    mixing: Literal["value", "light"] | None = None
    own_colours: Annotated[tuple[HexColour, ...], Field(max_length=MOST_OWN_COLOURS)] = ()

    @property
    def in_light(self) -> bool:
        """Whether amounts of light are mixed rather than encoded values."""
        return self.mixing == "light"


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
    """Everything about a job that is not pixels, in the order of the work.

    `ground` is what the photo is taken for where nothing was marked.
    """

    ground: Literal["backdrop", "subject"] = "backdrop"
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
