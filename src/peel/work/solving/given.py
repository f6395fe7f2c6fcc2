"""A finished matte from elsewhere, in place of a solve."""

from peel.job.edits.values import use_matte
from peel.job.job import Job
from peel.matte.arrays import FloatArray
from peel.work.solving.mixing import with_mixing
from peel.work.solving.spilling import with_spill

__all__ = ["take_matte"]


def take_matte(job: Job, alpha: FloatArray) -> Job:
    """Take a matte as it is, and find out what a solve would have found out for the colours.

    Parameters
    ----------
    job : Job
    alpha : (H, W) float32 ndarray
        In [0, 1]; of the photo's size.
    """
    return with_spill(with_mixing(use_matte(job, alpha)))
