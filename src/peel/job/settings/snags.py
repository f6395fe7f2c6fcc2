"""The settings of the inspection, and what was done about the snags that it found."""

from typing import Annotated, Final, Literal

from pydantic import Field

from peel.job.settings.base import Point, SettingsModel

__all__ = ["MOST_SETTLED", "DeliverySnagName", "Inspection", "SettledSnag", "SnagLimit", "SnagName"]

MOST_SETTLED: Final = 2_000

SnagName = Literal[
    "pinhole", "speck", "haze", "see_through", "backdrop_left", "strand_cut", "hard_cut", "stepped", "frame", "residue",
    "fringe_light", "fringe_dark", "fringe_tinted", "spill",
]  # fmt: skip


DeliverySnagName = Literal["frame_cut", "old_frame", "enlarged", "gamut", "fewer_pixels", "backing_fringe"]


class SnagLimit(SettingsModel):
    """Whether a sort of snag is looked for, and the size from which it counts, in solid pixels of the photo."""

    on: bool = True
    least_px: Annotated[float, Field(ge=0, le=1e6)] = 8.0


class Inspection(SettingsModel):
    """What the inspection looks for; the sizes fit delivery at 100 % of the photo."""

    pinhole: SnagLimit = SnagLimit(least_px=6)
    speck: SnagLimit = SnagLimit(least_px=3)
    haze: SnagLimit = SnagLimit(least_px=20)
    see_through: SnagLimit = SnagLimit(least_px=20)
    backdrop_left: SnagLimit = SnagLimit(least_px=80)
    strand_cut: SnagLimit = SnagLimit(least_px=8)
    hard_cut: SnagLimit = SnagLimit(least_px=20)
    stepped: SnagLimit = SnagLimit(least_px=20)
    frame: SnagLimit = SnagLimit(least_px=8)
    residue: SnagLimit = SnagLimit(least_px=120)
    fringe_light: SnagLimit = SnagLimit(least_px=150)
    fringe_dark: SnagLimit = SnagLimit(least_px=150)
    fringe_tinted: SnagLimit = SnagLimit(least_px=150)
    spill: SnagLimit = SnagLimit(least_px=60)


class SettledSnag(SettingsModel):
    """A snag that was mended, or accepted for a reason.

    Attributes
    ----------
    sort : its sort.
    at : where it is, x and y in photo pixels.
    reach_px : how far around that a snag of the sort is the same one.
    how : what was done about it.
    reason : why it was accepted.
    """

    sort: SnagName | DeliverySnagName
    at: Point
    reach_px: Annotated[float, Field(ge=0, le=1e5)] = 40.0
    how: Literal["mended", "accepted"] = "accepted"
    reason: Annotated[str, Field(max_length=500)] = ""
