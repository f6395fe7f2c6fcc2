"""The settings of the subject's colours: amounts for edges, the hue of spill, drawn areas, tints."""

from typing import Annotated, Final

from pydantic import Field

from peel.job.settings.base import HexColour, SettingsModel
from peel.job.settings.edges import EdgeArea, by_kind

__all__ = ["MOST_OUTWARD", "MOST_TINTS", "Colour", "ColourArea", "EdgeColour", "SpillHue", "Tint"]

MOST_TINTS: Final = 24
MOST_OUTWARD: Final = 48

ChromaPart = Annotated[float, Field(ge=-200, le=200, allow_inf_nan=False)]


class EdgeColour(SettingsModel):
    """How the colours of edges are corrected.

    Attributes
    ----------
    clean : how much of the subject's own colours half-clear pixels get; 0 keeps the photo's.
    detail : how much of the photo's fine texture of brightness is put back on them.
    roots : how far half-clear pixels that lean to the backdrop get the hue of the solid part from which they grow.
    spill_edge, spill_inside : how much of the spill is taken out along the edge, and inside.
    rim_light, rim_tint : how far a rim is brought to the brightness, and to the tint, of the subject further in.
    rim_px : how wide the rim is.
    """

    clean: Annotated[float, Field(ge=0, le=1)] = 1.0
    detail: Annotated[float, Field(ge=0, le=1)] = 0.0
    roots: Annotated[float, Field(ge=0, le=1)] = 1.0
    spill_edge: Annotated[float, Field(ge=0, le=1)] = 1.0
    spill_inside: Annotated[float, Field(ge=0, le=1)] = 0.6
    rim_light: Annotated[float, Field(ge=0, le=1)] = 0.0
    rim_tint: Annotated[float, Field(ge=0, le=1)] = 0.0
    rim_px: Annotated[float, Field(ge=1, le=16)] = 5.0


class SpillHue(SettingsModel):
    """Which hue counts as spill, and how it is taken out.

    Attributes
    ----------
    hue : a colour of it, in the photo's profile; None for the backdrop's, if it has one.
    width_deg : angle around it within which a colour counts; None for what leaves out the subject's own colours.
    give_back : share of the brightness lost that is given back.
    protect : how far nearly neutral and skin-like colours are spared.
    """

    hue: HexColour | None = None
    width_deg: Annotated[float, Field(ge=10, le=170)] | None = None
    give_back: Annotated[float, Field(ge=0, le=1)] = 0.5
    protect: Annotated[float, Field(ge=0, le=1)] = 0.5


class Colour(by_kind(EdgeColour, EdgeColour)):  # type: ignore[misc] # made from the list of kinds
    """The colours of all edges, in place of that those of kinds with corrections of their own, and what goes for all.

    Attributes
    ----------
    spill : which hue is spill.
    outward_px : how far the subject's colour goes on under clear pixels, for programs that scale or spread the cutout;
        never farther than colours are estimated.
    """

    spill: SpillHue = SpillHue()
    outward_px: Annotated[int, Field(ge=0, le=MOST_OUTWARD)] = 8

    @property
    def overall(self) -> EdgeColour:
        """The colours of edges that have none of their own."""
        return EdgeColour(**{name: getattr(self, name) for name in EdgeColour.model_fields})

    def with_overall(self, colour: EdgeColour) -> "Colour":
        """Return the colours with other ones for edges that have none of their own."""
        return self.model_copy(update=dict(colour))


class ColourArea(EdgeArea):
    """A drawn part of the photo whose edges are coloured in a way of their own."""

    colour: EdgeColour = EdgeColour()


class Tint(SettingsModel):
    """A brushed patch whose colours are moved; its brightness stays.

    Attributes
    ----------
    spot : mean and spread of a* and b* (CIE Lab) of the spot whose colours it gets; None for a hue.
    hue_deg, saturation : of an even tint.
    amount : how much of it.
    """

    spot: tuple[ChromaPart, ChromaPart, ChromaPart, ChromaPart] | None = None
    hue_deg: Annotated[float, Field(ge=0, le=360)] = 60.0
    saturation: Annotated[float, Field(ge=0, le=1)] = 0.3
    amount: Annotated[float, Field(ge=0, le=1)] = 1.0
