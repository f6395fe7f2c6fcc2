"""The sorts of fault that a matte is inspected for."""

from enum import Enum
from typing import Final

__all__ = ["LEAST_PX", "SnagSort"]


class SnagSort(Enum):
    """A sort of fault, by its name in the window.

    A new sort is a member here with the size from which it counts, a finder in `peel.matte.inspect.finds`, and a
    record in `peel.work.inspecting.snag_specs`.
    """

    PINHOLE = "Pinhole"
    SPECK = "Speck"
    HAZE = "Haze"
    SPREAD = "A little everywhere"
    SEE_THROUGH = "See-through inside"
    BACKDROP_LEFT = "Backdrop left inside"
    STRAND_CUT = "Strand cut short"
    HARD_CUT = "Hard cut through a soft edge"
    STEPPED = "Stepped edge"
    FRAME = "Touching the frame"
    RESIDUE = "Unexplained"
    FRINGE_LIGHT = "Light fringe"
    FRINGE_DARK = "Dark fringe"
    FRINGE_TINTED = "Tinted fringe"
    SPILL = "Spill left"

    @property
    def id(self) -> str:
        """Its name in settings and reports."""
        return self.name.lower()


LEAST_PX: Final[dict[SnagSort, float]] = {
    SnagSort.PINHOLE: 6,
    SnagSort.SPECK: 3,
    SnagSort.HAZE: 20,
    SnagSort.SPREAD: 300,
    SnagSort.SEE_THROUGH: 20,
    SnagSort.BACKDROP_LEFT: 80,
    SnagSort.STRAND_CUT: 8,
    SnagSort.HARD_CUT: 20,
    SnagSort.STEPPED: 20,
    SnagSort.FRAME: 8,
    SnagSort.RESIDUE: 120,
    SnagSort.FRINGE_LIGHT: 150,
    SnagSort.FRINGE_DARK: 150,
    SnagSort.FRINGE_TINTED: 150,
    SnagSort.SPILL: 60,
}
"""The size from which a sort counts unless the recipe says otherwise, in solid pixels of the photo."""
