"""The sheet: the picture that is delivered flat, with a backing and the cutouts that stand on it."""

from dataclasses import dataclass

from peel.job.job import Job
from peel.job.settings import Backing
from peel.job.space import Space

__all__ = ["Placement", "Sheet", "sheet_of"]


@dataclass(frozen=True, eq=False)
class Placement:
    """A cutout on a sheet.

    Attributes
    ----------
    job : Job
        Whose subject it is.
    top, left : int
        Where the photo's first pixel lies, in pixels of the sheet.
    """

    job: Job
    top: int = 0
    left: int = 0


@dataclass(frozen=True, eq=False)
class Sheet:
    """A backing and the cutouts on it, the lowest first.

    Attributes
    ----------
    space : Space
    backing : Backing
    cutouts : tuple of Placement
    """

    space: Space
    backing: Backing
    cutouts: tuple[Placement, ...]

    def to_photo(self, x: float, y: float) -> tuple[float, float]:
        """Return the point of the first cutout's photo under a point of the sheet."""
        first = self.cutouts[0]
        return x - first.left, y - first.top

    def from_photo(self, x: float, y: float) -> tuple[float, float]:
        """Return the point of the sheet on which a point of the first cutout's photo lies."""
        first = self.cutouts[0]
        return x + first.left, y + first.top


def sheet_of(job: Job) -> Sheet:
    """Return the sheet of a job: the photo's own frame, with the cutout at its own place."""
    return Sheet(job.photo.space, job.settings.recipe.backing, (Placement(job),))
