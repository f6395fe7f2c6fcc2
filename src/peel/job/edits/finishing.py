"""Edits of the finish: how edges are shaped everywhere, along a kind of edge, or in a drawn area."""

from collections.abc import Mapping, Sequence

from peel.errors import MarkError
from peel.job.edge_targets import EdgeTarget
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.planes import Role
from peel.job.settings import MOST_FINISH_AREAS, Finish, FinishArea, Finishes, Point

__all__ = [
    "add_area",
    "as_solved",
    "changed_finish",
    "drop_area",
    "fade_area",
    "finish_of",
    "with_finish",
]


def as_solved(job: Job) -> Job:
    """Return the job with its matte as it was solved, neither touched up nor finished, for a before and after."""
    return job.without(Role.TOUCH).with_recipe(finish=Finishes()).with_photo_settings(finish_areas=())


def finish_of(job: Job, target: EdgeTarget) -> Finish:
    """Return the finish of some edges; a kind without one of its own has the overall one."""
    if target.area is not None:
        areas = job.settings.photo.finish_areas
        return areas[target.area].finish if target.area < len(areas) else Finish()
    finishes = job.settings.recipe.finish
    own: Finish | None = getattr(finishes, target.name)
    return own if own is not None else finishes.everywhere


def with_finish(job: Job, target: EdgeTarget, finish: Finish) -> Job:
    """Shape some edges by a finish; a kind that is given the overall one has none of its own any more."""
    if target.area is None:
        is_own = target.name == "everywhere" or finish != job.settings.recipe.finish.everywhere
        return set_value(job, f"recipe.finish.{target.name}", finish if is_own else None)
    areas = list(job.settings.photo.finish_areas)
    if target.area >= len(areas):
        return job
    areas[target.area] = areas[target.area].model_copy(update={"finish": finish})
    return set_value(job, "photo.finish_areas", tuple(areas))


def changed_finish(job: Job, target: EdgeTarget, changes: Mapping[str, float]) -> Job:
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


def fade_area(job: Job, number: int, fade_px: float) -> Job:
    """Let the border of an area fade over another distance."""
    areas = list(job.settings.photo.finish_areas)
    if number >= len(areas):
        return job
    areas[number] = areas[number].model_copy(update={"fade_px": fade_px})
    return set_value(job, "photo.finish_areas", tuple(areas))
