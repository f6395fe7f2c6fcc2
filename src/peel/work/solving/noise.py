"""The noise of a job's photo."""

from peel.job.job import Photo
from peel.matte.solve.noise import NoiseCurve, measure_noise

__all__ = ["noise_of"]


def noise_of(photo: Photo) -> NoiseCurve:
    """Return the photo's noise, measured at the first request."""
    return photo.derived(_measured)


def _measured(photo: Photo) -> NoiseCurve:
    return measure_noise(photo.pixels)
