"""The settings of the inspection, and what was done about the snags that it found."""

from typing import Annotated, Final, Literal, get_args

from pydantic import Field, create_model

from peel.job.settings.base import Point, SettingsModel, one_of
from peel.matte.inspect.sorts import LEAST_PX, SnagSort

__all__ = ["MOST_SETTLED", "DeliverySnagName", "Inspection", "SettledSnag", "SnagLimit", "SnagName"]

MOST_SETTLED: Final = 2_000

DeliverySnagName = Literal["frame_cut", "old_frame", "enlarged", "gamut", "fewer_pixels", "backing_fringe", "hair_haze"]


class SnagLimit(SettingsModel):
    """Whether a sort of snag is looked for, and the size from which it counts, in solid pixels of the photo."""

    on: bool = True
    least_px: Annotated[float, Field(ge=0, le=1e6)] = 8.0


_Limits = create_model(  # type: ignore[call-overload]
    "_Limits",
    __base__=SettingsModel,
    **{sort.id: (SnagLimit, SnagLimit(least_px=LEAST_PX[sort])) for sort in SnagSort},
)


class Inspection(_Limits):  # type: ignore[misc, valid-type] # made from the list of sorts
    """What the inspection looks for, by the names of sorts; the sizes fit delivery at 100 % of the photo."""

    def limit(self, sort: SnagSort) -> SnagLimit:
        """Return whether a sort is looked for, and from which size it counts."""
        limit: SnagLimit = getattr(self, sort.id)
        return limit


SnagName = Annotated[str, one_of("snag", (*(sort.id for sort in SnagSort), *get_args(DeliverySnagName)))]
"""A sort of snag: of a matte, or of a delivery."""


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

    sort: SnagName
    at: Point
    reach_px: Annotated[float, Field(ge=0, le=1e5)] = 40.0
    how: Literal["mended", "accepted"] = "accepted"
    reason: Annotated[str, Field(max_length=500)] = ""

    @property
    def is_accepted(self) -> bool:
        """Whether the person took it for right."""
        return self.how == "accepted"
