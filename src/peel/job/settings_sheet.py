"""The settings of the sheet: what the cutout stands on, how large it is, and which files are delivered."""

from typing import Annotated, Final, Literal

from pydantic import Field, model_validator

from peel.job.settings_base import HexColour, SettingsModel

__all__ = ["MOST_STOPS", "Backing", "Delivery", "Gradient", "GradientStop", "SheetFrame"]

MOST_STOPS: Final = 24

Share = Annotated[float, Field(ge=-4, le=5, allow_inf_nan=False)]


class GradientStop(SettingsModel):
    """A colour (sRGB) at a place of a gradient: 0 where it begins, 1 where it ends."""

    at: Annotated[float, Field(ge=0, le=1)]
    colour: HexColour


class Gradient(SettingsModel):
    """Colours that run into each other.

    Attributes
    ----------
    shape : in straight bands from start to end, or in circles around the start.
    start, end : in shares of the sheet's width and height, from its top left.
    stops : its colours, in order.
    """

    shape: Literal["straight", "round"] = "straight"
    start: tuple[Share, Share] = (0.5, 0.0)
    end: tuple[Share, Share] = (0.5, 1.0)
    stops: Annotated[tuple[GradientStop, ...], Field(min_length=2, max_length=MOST_STOPS)] = (
        GradientStop(at=0, colour="#f4f4f2"),
        GradientStop(at=1, colour="#b9bdc4"),
    )

    @model_validator(mode="after")
    def _in_order(self) -> "Gradient":
        if [stop.at for stop in self.stops] != sorted(stop.at for stop in self.stops):
            msg = "the stops of a gradient have to be in order"
            raise ValueError(msg)
        return self


class Backing(SettingsModel):
    """What the cutout stands on: nothing, a plain colour (sRGB), or a gradient."""

    kind: Literal["nothing", "colour", "gradient"] = "nothing"
    colour: HexColour = "#ffffff"
    gradient: Gradient = Gradient()


Margin = Annotated[float, Field(ge=-20_000, le=20_000, allow_inf_nan=False)]


class SheetFrame(SettingsModel):
    """How large the sheet is.

    Attributes
    ----------
    around : the photo's own frame, or a box around the subject.
    unit : of the margins: pixels of the photo, or per cent of the longer side of what they are put around.
    top, right, bottom, left : room added around it; taken off where negative.
    aspect : width over height that it is then widened or heightened to; None leaves it.
    """

    around: Literal["photo", "subject"] = "photo"
    unit: Literal["px", "%"] = "px"
    top: Margin = 0.0
    right: Margin = 0.0
    bottom: Margin = 0.0
    left: Margin = 0.0
    aspect: Annotated[float, Field(ge=0.1, le=10)] | None = None


class Delivery(SettingsModel):
    """Which files are delivered, and how."""

    cutout: bool = True
    cutout_bits: Literal[8, 16] = 8
    flat: bool = True
    flat_quality: Annotated[int, Field(ge=40, le=100)] = 92
    matte: bool = True
    matte_bits: Literal[8, 16] = 8
