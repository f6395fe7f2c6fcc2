"""Edits of the finish: how edges are shaped everywhere, along a kind of edge, or in a drawn area."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from peel.errors import MarkError
from peel.job.edits import set_value
from peel.job.job import Job
from peel.job.settings import MOST_FINISH_AREAS, Finish, FinishArea, Point
from peel.matte.edge.kinds import Kind

__all__ = ["FinishTarget", "add_area", "changed_finish", "drop_area", "finish_of", "targets_of", "with_finish"]


@dataclass(frozen=True)
class FinishTarget:
    """Which edges a finish is for: everywhere, a kind by its name, or a drawn area by its number."""

    name: str = "everywhere"
    area: int | None = None


def targets_of(job: Job) -> list[FinishTarget]:
    """List everything in a job that can have a finish."""
    kinds = [FinishTarget(kind.name.lower()) for kind in Kind]
    areas = [FinishTarget("area", number) for number in range(len(job.settings.photo.finish_areas))]
    return [FinishTarget(), *kinds, *areas]


def finish_of(job: Job, target: FinishTarget) -> Finish:
    """Return the finish of some edges; a kind without one of its own has the overall one."""
    if target.area is not None:
        areas = job.settings.photo.finish_areas
        return areas[target.area].finish if target.area < len(areas) else Finish()
    finishes = job.settings.recipe.finish
    own: Finish | None = getattr(finishes, target.name)
    return own if own is not None else finishes.everywhere


def with_finish(job: Job, target: FinishTarget, finish: Finish) -> Job:
    """Shape some edges by a finish; a kind that is given the overall one has none of its own any more."""
    if target.area is None:
        is_own = target.name == "everywhere" or finish != job.settings.recipe.finish.everywhere
        return set_value(job, f"recipe.finish.{target.name}", finish if is_own else None)
    areas = list(job.settings.photo.finish_areas)
    if target.area >= len(areas):
        return job
    areas[target.area] = areas[target.area].model_copy(update={"finish": finish})
    return set_value(job, "photo.finish_areas", tuple(areas))


def changed_finish(job: Job, target: FinishTarget, changes: Mapping[str, float]) -> Job:
    """Change some fields of a finish.

    Raises
    ------
    MarkError
        If they make no sense together, as when the ends of the values cross.
    """
    try:
        finish = Finish.model_validate({**dict(finish_of(job, target)), **changes})
    except ValueError as error:
        message = "An edge cannot be shaped so: what is clear has to end below what is solid."
        raise MarkError(message, 'Lower "clear below" or raise "solid above".') from error
    return with_finish(job, target, finish)


def add_area(job: Job, outline: Sequence[Point]) -> Job:
    """Draw an area with a finish of its own; it begins with the overall one.

    Raises
    ------
    MarkError
        If there are too many already.
    """
    areas = job.settings.photo.finish_areas
    if len(areas) >= MOST_FINISH_AREAS:
        message = f"There are {MOST_FINISH_AREAS} areas with a profile of their own already."
        raise MarkError(message, "Drop one that is no longer needed.")
    area = FinishArea(outline=tuple(outline), finish=job.settings.recipe.finish.everywhere)
    return set_value(job, "photo.finish_areas", (*areas, area))


def drop_area(job: Job, number: int) -> Job:
    """Shape an area like the rest again."""
    areas = job.settings.photo.finish_areas
    return set_value(job, "photo.finish_areas", areas[:number] + areas[number + 1 :])
