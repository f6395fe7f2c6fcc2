"""The settings of the sheet: what cutouts stand on, how they are lit, how large it is, which files are made."""

from typing import Annotated, Final, Literal

from pydantic import Field, model_validator

from peel.job.settings.base import Digest, HexColour, SettingsModel

__all__ = [
    "MOST_SIDE",
    "MOST_STOPS",
    "Backing",
    "BackingPhoto",
    "Grade",
    "Gradient",
    "GradientStop",
    "LightWrap",
    "Pattern",
    "SheetFrame",
    "ToneMatch",
]

MOST_STOPS: Final = 24
MOST_SIDE: Final = 30_000
"""Pixels of the longest side of a sheet."""

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


class Pattern(SettingsModel):
    """Two colours that repeat, or a picture that does.

    Attributes
    ----------
    motif : one of `peel.matte.composite.pattern.MOTIFS`, or "tile" for a picture.
    picture : the tile's, kept in the job.
    period_px : after how many pixels of the sheet it repeats.
    turn_deg : by how much it is turned.
    ink, paper : the motif's colour (sRGB), and what it stands on; a tile has its own.
    """

    motif: Literal["stars", "dots", "stripes", "lozenges", "waves", "tile"] = "stars"
    picture: Digest | None = None
    period_px: Annotated[float, Field(ge=4, le=8000)] = 400.0
    turn_deg: Annotated[float, Field(ge=-180, le=180)] = 0.0
    ink: HexColour = "#e7d7a0"
    paper: HexColour = "#22304a"


class BackingPhoto(SettingsModel):
    """A photograph behind the cutouts.

    Attributes
    ----------
    picture : kept in the job; None for none.
    fit : whether it covers the whole sheet or is seen whole, before it is scaled.
    scale : of that size.
    move : by how much it is moved from the middle, in shares of the sheet's width and height.
    mirrored : left to right.
    blur_px : sigma of its blur, in pixels of the sheet.
    """

    picture: Digest | None = None
    fit: Literal["fill", "whole"] = "fill"
    scale: Annotated[float, Field(ge=0.05, le=20)] = 1.0
    move: tuple[Share, Share] = (0.0, 0.0)
    mirrored: bool = False
    blur_px: Annotated[float, Field(ge=0, le=2000)] = 0.0


Tone = Annotated[float, Field(ge=-2, le=2, allow_inf_nan=False)]


class ToneMatch(SettingsModel):
    """Tones that a picture is matched from and to: mean, then spread, of lightness and both axes of chroma (Oklab).

    Attributes
    ----------
    to : what it is matched to, for people.
    own, aim : measured when it was matched.
    amount : how far.
    """

    to: Annotated[str, Field(max_length=60)] = ""
    own: tuple[Tone, Tone, Tone, Tone, Tone, Tone]
    aim: tuple[Tone, Tone, Tone, Tone, Tone, Tone]
    amount: Annotated[float, Field(ge=0, le=1)] = 1.0


class Grade(SettingsModel):
    """How a picture's light and colours are changed; see `peel.matte.composite.grading.Grading`."""

    match: ToneMatch | None = None
    exposure: Annotated[float, Field(ge=-4, le=4)] = 0.0
    warmth: Annotated[float, Field(ge=-1, le=1)] = 0.0
    dark: Annotated[float, Field(ge=0, le=0.9)] = 0.0
    light: Annotated[float, Field(ge=0.1, le=1)] = 1.0
    middle: Annotated[float, Field(ge=0.05, le=0.95)] = 0.5
    contrast: Annotated[float, Field(ge=-1, le=1)] = 0.0
    saturation: Annotated[float, Field(ge=-1, le=1)] = 0.0
    hue_deg: Annotated[float, Field(ge=-180, le=180)] = 0.0

    @model_validator(mode="after")
    def _ends_in_order(self) -> "Grade":
        if self.dark >= self.light:
            msg = "dark has to lie below light"
            raise ValueError(msg)
        return self


class Backing(SettingsModel):
    """What cutouts stand on: nothing, a plain colour (sRGB), a gradient, a pattern or a photograph, and its grade."""

    kind: Literal["nothing", "colour", "gradient", "pattern", "photo"] = "nothing"
    colour: HexColour = "#ffffff"
    gradient: Gradient = Gradient()
    pattern: Pattern = Pattern()
    photo: BackingPhoto = BackingPhoto()
    grade: Grade = Grade()


class LightWrap(SettingsModel):
    """How much of the backing's light is bled over edges, and how far inward."""

    amount: Annotated[float, Field(ge=0, le=1)] = 0.0
    reach_px: Annotated[float, Field(ge=1, le=400)] = 24.0


Side = Annotated[int, Field(ge=1, le=MOST_SIDE)]
Margin = Annotated[float, Field(ge=-20_000, le=20_000, allow_inf_nan=False)]


class SheetFrame(SettingsModel):
    """How large the sheet is.

    Attributes
    ----------
    around : the photo's own frame, or a box around the subject.
    unit : of the margins: pixels of the photo, or per cent of the longer side of what they are put around.
    top, right, bottom, left : room added around it; taken off where negative.
    aspect : width over height that it is then widened or heightened to; None leaves it.
    size : width and height in pixels that it then has, around the same middle; None leaves it.
    centred : whether it is moved so that the subject stands in its middle.
    """

    around: Literal["photo", "subject"] = "photo"
    unit: Literal["px", "%"] = "px"
    top: Margin = 0.0
    right: Margin = 0.0
    bottom: Margin = 0.0
    left: Margin = 0.0
    aspect: Annotated[float, Field(ge=0.1, le=10)] | None = None
    size: tuple[Side, Side] | None = None
    centred: bool = False
