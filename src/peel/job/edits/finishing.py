"""The matte as it was solved, for a before and after."""

from peel.job.job import Job
from peel.job.planes import Role
from peel.job.settings import Finishes

__all__ = ["as_solved"]


def as_solved(job: Job) -> Job:
    """Return the job with its matte as it was solved, neither touched up nor finished."""
    return job.without(Role.TOUCH).with_recipe(finish=Finishes()).with_photo_settings(finish_areas=())
