"""The photo at the size at which its edges are read."""

from peel.job.job import Photo
from peel.matte.arrays import FloatArray
from peel.matte.edge.laying import reduced, working_step

__all__ = ["working_photo"]


def working_photo(photo: Photo) -> FloatArray:
    """Return the photo reduced by `working_step`, (ceil(H / step), ceil(W / step), 3) float32 in [0, 1]; read only."""
    return photo.derived(_reduced)


def _reduced(photo: Photo) -> FloatArray:
    return reduced(photo.pixels, working_step(photo.height, photo.width))
