"""The settings of shadows: kept from the photo, cast by the subject, and where it touches the ground."""

from typing import Annotated, Final, Literal

from pydantic import Field

from peel.job.settings.base import HexColour, SettingsModel

__all__ = ["MOST_MOVED", "CastShadow", "ContactShadow", "KeptShadow", "Shadow"]

MOST_MOVED: Final = 20_000

Part = Annotated[float, Field(ge=0, le=1)]
_Move = Annotated[float, Field(ge=-MOST_MOVED, le=MOST_MOVED)]


class KeptShadow(SettingsModel):
    """The shadow that the photo has.

    Attributes
    ----------
    on : whether it is kept.
    within : all of it, or only where it was brushed or drawn.
    amount : of its darkness; above 1 it is darker than in the photo.
    lift : how much of the backdrop's texture is taken off it.
    """

    on: bool = False
    within: Literal["everywhere", "brushed"] = "everywhere"
    amount: Annotated[float, Field(ge=0, le=2)] = 1.0
    lift: Part = 0.5


class CastShadow(SettingsModel):
    """A shadow that the subject is made to cast.

    Attributes
    ----------
    on : whether a cast shadow is drawn.
    towards_deg : where it falls, in the picture: 0 to the right, 90 downward.
    light_deg : how high the light stands: the lower, the longer the shadow.
    soft_px : sigma of its softness at the tip; at the foot it is sharp.
    fade : by how much it fades towards the tip.
    strength : at the foot.
    move : by how much it is moved, in photo pixels.
    """

    on: bool = False
    towards_deg: Annotated[float, Field(ge=-180, le=180)] = -20.0
    light_deg: Annotated[float, Field(ge=10, le=85)] = 50.0
    soft_px: Annotated[float, Field(ge=1, le=1000)] = 40.0
    fade: Part = 0.5
    strength: Part = 0.55
    move: tuple[_Move, _Move] = (0, 0)


class ContactShadow(SettingsModel):
    """The close, dark, thin shadow where the subject touches the ground: its size in photo pixels, and strength."""

    on: bool = False
    size_px: Annotated[float, Field(ge=1, le=400)] = 16.0
    strength: Part = 0.6


class Shadow(SettingsModel):
    """Every shadow; those that are made have one colour (sRGB)."""

    kept: KeptShadow = KeptShadow()
    cast: CastShadow = CastShadow()
    contact: ContactShadow = ContactShadow()
    colour: HexColour = "#0d0d12"
