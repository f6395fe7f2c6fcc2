"""The matte without what was done to it after the solve, for a before and after."""

from peel.job.job import Job
from peel.job.planes import Role
from peel.job.settings import Finish, Finishes
from peel.job.settings.edges import own_of

__all__ = ["as_solved", "unfinished", "with_all_hair"]


def as_solved(job: Job) -> Job:
    """Return the job with its matte as it was solved, neither touched up nor finished."""
    return unfinished(job.without(Role.TOUCH))


def unfinished(job: Job) -> Job:
    """Return the job with its edges as they were solved and touched up, without a profile of any sort."""
    return job.with_recipe(finish=Finishes()).with_photo_settings(finish_areas=())


def with_all_hair(job: Job) -> Job:
    """Return the job with all strands as they were solved, none left out and none brought out."""
    finishes = job.settings.recipe.finish
    own = {name: _haired(finish) for name, finish in own_of(finishes).items()}
    areas = tuple(area.model_copy(update={"finish": _haired(area.finish)}) for area in job.settings.photo.finish_areas)
    changed = finishes.with_overall(_haired(finishes.overall)).model_copy(update=own)
    return job.with_recipe(finish=changed).with_photo_settings(finish_areas=areas)


def _haired(finish: Finish) -> Finish:
    return finish.model_copy(update={"shortest_px": 0.0, "faint": 0.0})
