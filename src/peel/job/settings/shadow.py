"""The settings of shadows: kept from the photo, cast by the subject, where it touches the ground, and painted."""

from typing import Annotated, Final, Literal

from pydantic import Field

from peel.job.settings.base import HexColour, Point, SettingsModel

__all__ = [
    "MOST_MOVED",
    "MOST_SHADOW_STROKES",
    "MOST_STROKE_POINTS",
    "MOST_STROKE_PX",
    "CastShadow",
    "ContactShadow",
    "KeptShadow",
    "PaintedShadow",
    "Shadow",
    "ShadowStroke",
]

MOST_MOVED: Final = 20_000
MOST_SHADOW_STROKES: Final = 2000
MOST_STROKE_POINTS: Final = 5000
MOST_STROKE_PX: Final = 20_000

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
    soft_px : sigma of its softness at the tip.
    foot : how much of that softness it has at the foot.
    on_wall : whether it climbs a wall behind the subject; where floor and wall meet belongs to the photo.
    fade : by how much it fades towards the tip.
    strength : at the foot.
    move : by how much it is moved, in photo pixels.
    """

    on: bool = False
    towards_deg: Annotated[float, Field(ge=-180, le=180)] = -20.0
    light_deg: Annotated[float, Field(ge=10, le=85)] = 50.0
    soft_px: Annotated[float, Field(ge=1, le=1000)] = 40.0
    foot: Part = 0.15
    on_wall: bool = False
    fade: Part = 0.5
    strength: Part = 0.55
    move: tuple[_Move, _Move] = (0, 0)


class ContactShadow(SettingsModel):
    """The close, dark, thin shadow where the subject touches the ground: its size in photo pixels, and strength."""

    on: bool = False
    size_px: Annotated[float, Field(ge=1, le=400)] = 16.0
    strength: Part = 0.6


class PaintedShadow(SettingsModel):
    """The shadow that was painted by hand.

    Attributes
    ----------
    on : whether it is drawn.
    blur_px : sigma of a blur of all of it, beyond the softness of the brush.
    strength : how dark it is where it was painted in full.
    move : by how much it is moved, in photo pixels.
    """

    on: bool = False
    blur_px: Annotated[float, Field(ge=0, le=1000)] = 12.0
    strength: Part = 0.5
    move: tuple[_Move, _Move] = (0, 0)


class ShadowStroke(SettingsModel):
    """A stroke of a soft brush on shadows, in photo pixels; it may lie beyond the photo.

    Attributes
    ----------
    points : where it goes.
    radius_px, softness, strength : of the brush; the softness is the share of the radius over which it fades.
    pressures, sizes : what a pen makes of strength and radius at each point; empty for all of it.
    takes : whether it takes away.
    """

    points: Annotated[tuple[Point, ...], Field(min_length=1, max_length=MOST_STROKE_POINTS)]
    radius_px: Annotated[float, Field(gt=0, le=MOST_STROKE_PX)]
    softness: Part = 0.5
    strength: Part = 1.0
    pressures: Annotated[tuple[Part, ...], Field(max_length=MOST_STROKE_POINTS)] = ()
    sizes: Annotated[tuple[Part, ...], Field(max_length=MOST_STROKE_POINTS)] = ()
    takes: bool = False


class Shadow(SettingsModel):
    """Every shadow; those that are made have one colour (sRGB)."""

    kept: KeptShadow = KeptShadow()
    cast: CastShadow = CastShadow()
    contact: ContactShadow = ContactShadow()
    painted: PaintedShadow = PaintedShadow()
    colour: HexColour = "#0d0d12"

    @property
    def is_any(self) -> bool:
        """Whether there is a shadow of any sort."""
        return self.kept.on or self.is_cast or self.painted.on

    @property
    def is_cast(self) -> bool:
        """Whether cutouts cast one: on the ground, or where they touch it."""
        return self.cast.on or self.contact.on
