"""Edits of what counts everywhere, along a kind of edge, or in a drawn area: how edges are shaped, and how coloured."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final, Generic, TypeVar

from peel.errors import MarkError
from peel.job.edge_targets import EdgeTarget, edge_targets
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.settings import MOST_FINISH_AREAS, ColourArea, EdgeColour, Finish, FinishArea, Point, value_of
from peel.job.settings.base import SettingsModel
from peel.job.settings.edges import EdgeArea

__all__ = ["COLOUR", "FINISH", "EdgeValues"]

_V = TypeVar("_V", bound=SettingsModel)


@dataclass(frozen=True)
class EdgeValues(Generic[_V]):
    """Values that edges can have of their own, and where the settings hold them.

    Attributes
    ----------
    value, area : type
        Of one edge's values, and of a drawn area that has some.
    recipe_path, areas_path : str
        Paths of the settings.
    part : str
        The field of an area.
    called : str
        What the person calls them.
    refusal : (str, str)
        Sentence and hint where values make no sense together.
    """

    value: type[_V]
    area: type[EdgeArea]
    recipe_path: str
    areas_path: str
    part: str
    called: str
    refusal: tuple[str, str]

    def areas_of(self, job: Job) -> tuple[Any, ...]:
        """Return the drawn areas that have values of their own."""
        areas: tuple[Any, ...] = value_of(job.settings, self.areas_path)
        return areas

    def targets(self, job: Job) -> list[EdgeTarget]:
        """List everything that can have values of its own."""
        return edge_targets(len(self.areas_of(job)))

    def fade_of(self, job: Job, target: EdgeTarget) -> float | None:
        """Return over how many pixels the border of a drawn area fades; None for everything else."""
        areas = self.areas_of(job)
        return None if target.area is None or target.area >= len(areas) else areas[target.area].fade_px

    def of(self, job: Job, target: EdgeTarget) -> _V:
        """Return the values of some edges; a kind without any of its own has the overall ones."""
        if target.area is not None:
            areas = self.areas_of(job)
            return getattr(areas[target.area], self.part) if target.area < len(areas) else self.value()
        everywhere = value_of(job.settings, self.recipe_path)
        own: _V | None = None if target.name == "everywhere" else getattr(everywhere, target.name)
        return everywhere.overall if own is None else own

    def put(self, job: Job, target: EdgeTarget, value: _V) -> Job:
        """Give some edges values; a kind that is given the overall ones has none of its own any more."""
        if target.area is not None:
            return self._with_area(job, target.area, **{self.part: value})
        everywhere = value_of(job.settings, self.recipe_path)
        if target.name == "everywhere":
            return set_value(job, self.recipe_path, everywhere.with_overall(value))
        own = None if value == everywhere.overall else value
        return set_value(job, f"{self.recipe_path}.{target.name}", own)

    def changed(self, job: Job, target: EdgeTarget, changes: Mapping[str, float]) -> Job:
        """Change some of the values of some edges.

        Raises
        ------
        MarkError
            If they make no sense together.
        """
        try:
            value = self.value.model_validate({**dict(self.of(job, target)), **changes})
        except ValueError as error:
            raise MarkError(*self.refusal) from error
        return self.put(job, target, value)

    def add_area(self, job: Job, outline: Sequence[Point], **changes: float) -> Job:
        """Draw an area with values of its own; it begins with the overall ones, changed.

        Raises
        ------
        MarkError
            If there are too many already.
        """
        areas = self.areas_of(job)
        if len(areas) >= MOST_FINISH_AREAS:
            message = f"There are {MOST_FINISH_AREAS} areas with {self.called} of their own already."
            raise MarkError(message, "Drop one that is no longer needed.")
        begun = self.value.model_validate({**dict(self.of(job, EdgeTarget())), **changes})
        drawn = self.area.model_validate({"outline": tuple(outline), self.part: begun})
        return set_value(job, self.areas_path, (*areas, drawn))

    def drop_area(self, job: Job, number: int) -> Job:
        """Treat an area like the rest again."""
        areas = self.areas_of(job)
        return set_value(job, self.areas_path, areas[:number] + areas[number + 1 :])

    def fade_area(self, job: Job, number: int, fade_px: float) -> Job:
        """Let the border of an area fade over another distance."""
        return self._with_area(job, number, fade_px=fade_px)

    def _with_area(self, job: Job, number: int, **changes: Any) -> Job:
        areas = list(self.areas_of(job))
        if number >= len(areas):
            return job
        areas[number] = areas[number].model_copy(update=changes)
        return set_value(job, self.areas_path, tuple(areas))


FINISH: Final = EdgeValues(
    Finish,
    FinishArea,
    recipe_path="recipe.finish",
    areas_path="photo.finish_areas",
    part="finish",
    called="a profile",
    refusal=(
        "An edge cannot be shaped so: what is clear has to end below what is solid.",
        'Lower "clear below" or raise "solid above".',
    ),
)
"""How edges are shaped."""

COLOUR: Final = EdgeValues(
    EdgeColour,
    ColourArea,
    recipe_path="recipe.colour",
    areas_path="photo.colour_areas",
    part="colour",
    called="colours",
    refusal=("Edges cannot be coloured so.", "Keep each amount within what its field allows."),
)
"""How the colours of edges are corrected."""
