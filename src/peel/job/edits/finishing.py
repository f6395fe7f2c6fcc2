"""The matte without what was done to it after the solve, for a before and after."""

from peel.job.job import Job
from peel.job.planes import Role
from peel.job.settings import Finishes

__all__ = ["as_solved", "unfinished"]


def as_solved(job: Job) -> Job:
    """Return the job with its matte as it was solved, neither touched up nor finished."""
    return unfinished(job.without(Role.TOUCH))


def unfinished(job: Job) -> Job:
    """Return the job with its edges as they were solved and touched up, without a profile of any sort."""
    return job.with_recipe(finish=Finishes()).with_photo_settings(finish_areas=())
