"""How edges are shaped once they are solved and touched up."""

from typing import Annotated, Final

from pydantic import Field, model_validator

from peel.job.settings.base import SettingsModel
from peel.job.settings.edges import EdgeArea, by_kind

__all__ = ["MOST_FINISH_AREAS", "Finish", "FinishArea", "Finishes"]

MOST_FINISH_AREAS: Final = 50


class Finish(SettingsModel):
    """How edges are shaped once they are solved.

    Attributes
    ----------
    shortest_px : strands of which less is seen are left out; one fainter than a half counts less in proportion.
    faint : how far strands that the photo shows, and the matte does not, are brought out.
    strength : share of all this in the result.

    The others are those of `peel.matte.repair.profile.EdgeShape`, and act after touch-ups.
    """

    shortest_px: Annotated[float, Field(ge=0, le=4000)] = 0.0
    faint: Annotated[float, Field(ge=0, le=1)] = 0.0

    pull_px: Annotated[float, Field(ge=-12, le=12)] = 0.0
    crisp: Annotated[float, Field(ge=-1, le=1)] = 0.0
    even_px: Annotated[float, Field(ge=0, le=40)] = 0.0
    clear_below: Annotated[float, Field(ge=0, le=0.9)] = 0.0
    solid_above: Annotated[float, Field(ge=0.1, le=1)] = 1.0
    middle: Annotated[float, Field(ge=0.05, le=0.95)] = 0.5
    strength: Annotated[float, Field(ge=0, le=1)] = 1.0

    @property
    def profile(self) -> dict[str, float]:
        """The values of `peel.matte.repair.profile.EdgeShape`."""
        return self.model_dump(exclude={"shortest_px", "faint"})

    @model_validator(mode="after")
    def _ends_in_order(self) -> "Finish":
        if self.clear_below >= self.solid_above:
            msg = "clear_below has to lie below solid_above"
            raise ValueError(msg)
        return self


class _OverallFinish(SettingsModel):
    everywhere: Finish = Finish()


class Finishes(by_kind(Finish, _OverallFinish)):  # type: ignore[misc] # made from the list of kinds
    """How edges are shaped: everywhere, and in place of that along kinds of edge that have a shape of their own."""

    everywhere: Finish = Finish()

    @property
    def overall(self) -> Finish:
        """The finish of edges that have none of their own."""
        return self.everywhere

    def with_overall(self, finish: Finish) -> "Finishes":
        """Return the finishes with another one for edges that have none of their own."""
        return self.model_copy(update={"everywhere": finish})


class FinishArea(EdgeArea):
    """A drawn part of the photo whose edges are shaped in a way of their own."""

    finish: Finish = Finish()
