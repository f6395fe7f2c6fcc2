"""How subject and backdrop mix in a job's photo: in linear light or by encoded value."""

from peel.job.job import Job
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.solve.mixing import mixes_linearly

__all__ = ["with_mixing"]


def with_mixing(job: Job) -> Job:
    """Return the job with how its colours mix found out; the same job if that is known, or cannot be told yet."""
    if job.settings.photo.known_mixing is not None:
        return job
    zones = job.zones.read()
    if not ((zones == FOREGROUND).any() and (zones == BACKGROUND).any()):
        return job
    return job.with_photo_settings(mixing_found="light" if mixes_linearly(job.photo.pixels, zones) else "value")
