"""The job: a photo and everything decided about it, as one immutable value."""

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from peel.job.plane import Plane
from peel.job.rect import Rect
from peel.job.settings import JobSettings
from peel.matte.arrays import FloatArray, unit_floats
from peel.matte.noise import NoiseCurve, measure_noise
from peel.matte.trimap import BACKGROUND

__all__ = ["MATTE_ONE", "PLANES", "Job", "Photo", "new_job"]

MATTE_ONE: Final = 65535
PLANES: Final = ("outline", "marks", "stretches", "corrections", "zones", "matte", "unsolved")


@dataclass(frozen=True, eq=False)
class Photo:
    """The photograph as it came, turned upright; never altered.

    Attributes
    ----------
    name : str
        File name, for people.
    pixels : (H, W, 3) uint8 or uint16 ndarray
        Encoded RGB in the photo's own profile; read-only.
    profile : bytes or None
        The embedded ICC profile; None means sRGB.
    """

    name: str
    pixels: NDArray[Any]
    profile: bytes | None = None

    @property
    def height(self) -> int:
        """Rows."""
        return int(self.pixels.shape[0])

    @property
    def width(self) -> int:
        """Columns."""
        return int(self.pixels.shape[1])

    @property
    def bits(self) -> int:
        """8 or 16."""
        return 8 * self.pixels.dtype.itemsize

    @property
    def bounds(self) -> Rect:
        """The whole photo."""
        return Rect(0, 0, self.height, self.width)

    @cached_property
    def noise(self) -> NoiseCurve:
        """Its noise, measured when first asked for."""
        return measure_noise(self.pixels)

    def colours(self, rect: Rect) -> FloatArray:
        """Copy a window as float32 in [0, 1]."""
        return unit_floats(self.pixels[rect.slices])


@dataclass(frozen=True, eq=False)
class Job:
    """One state of the work on one photo. Planes have the photo's size.

    Attributes
    ----------
    photo : Photo
    outline : Plane of uint8
        How much of each pixel the drawn contours hold: 255 inside, 0 outside.
    marks : Plane of uint8
        Where brush, Sweep, Alike and the like overrule the contours: 0 nowhere, 1 backdrop, 2 subject.
    stretches : Plane of uint8
        Which edges have an exact band: 0 none, 1 beside a contour's exact stretch, 2 brushed loose, 3 brushed exact.
    corrections : Plane of uint8
        Where the zone brushes overrule the laid band: 0 nowhere, 1 backdrop, 2 unsure, 3 subject.
    zones : Plane of uint8
        The trimap that follows from those above and the band's width.
    matte : Plane of uint16
        Alpha as solved so far, 65535 for 1. Exact wherever the zones are sure.
    unsolved : Plane of uint8
        1 where the zones changed and the matte has not caught up.
    settings : JobSettings
    """

    photo: Photo
    outline: Plane
    marks: Plane
    stretches: Plane
    corrections: Plane
    zones: Plane
    matte: Plane
    unsolved: Plane
    settings: JobSettings = field(default_factory=JobSettings)

    def with_settings(self, **changed: Any) -> "Job":
        """Give the job with parts of its settings replaced."""
        return replace(self, settings=self.settings.model_copy(update=changed))

    @property
    def has_subject(self) -> bool:
        """Whether any pixel is marked as something other than backdrop."""
        return any(tile.constant != BACKGROUND for tile in self.zones.tiles)

    @property
    def is_solved(self) -> bool:
        """Whether the matte has caught up with the zones."""
        return all(tile.constant == 0 for tile in self.unsolved.tiles)

    def alpha(self, rect: Rect) -> FloatArray:
        """Copy a window of the matte as float32 in [0, 1]."""
        return unit_floats(self.matte.read(rect))


def new_job(photo: Photo) -> Job:
    """Start on a photo: all backdrop."""
    empty = Plane.filled(photo.height, photo.width, 0)
    matte = Plane.filled(photo.height, photo.width, 0, np.uint16)
    return Job(photo, empty, empty, empty, empty, zones=empty, matte=matte, unsolved=empty)
