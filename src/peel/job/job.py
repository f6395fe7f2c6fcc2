"""The job: a photo and everything decided about it, as one immutable value."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from types import MappingProxyType
from typing import Any, Concatenate, Final, ParamSpec, TypeVar

from numpy.typing import NDArray

from peel.job.assets import Asset
from peel.job.derived import Derived
from peel.job.plane import Plane
from peel.job.planes import PLANES, Role
from peel.job.rect import Rect
from peel.job.settings import JobSettings, PhotoSettings, Recipe
from peel.job.space import Space
from peel.matte.arrays import FloatArray
from peel.matte.edge.zones import BACKGROUND
from peel.matte.pixels import unit_floats

__all__ = ["MATTE_ONE", "Job", "Photo", "new_job"]

_T = TypeVar("_T")
_P = ParamSpec("_P")
MATTE_ONE: Final = 65535


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
    _derived: Derived = field(default_factory=Derived, init=False, repr=False)

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
    def space(self) -> Space:
        """The photo as a space of pixels."""
        return Space(self.height, self.width, self.profile)

    @cached_property
    def blank_planes(self) -> Mapping[str, Plane]:
        """The default of every plane; one object each, so that absent planes compare as identical."""
        return {name: spec.blank(self.height, self.width) for name, spec in PLANES.items()}

    def derived(self, make: "Callable[Concatenate[Photo, _P], _T]", *args: _P.args, **kwargs: _P.kwargs) -> _T:
        """Return what a function makes of the photo: made once, and freed with it; see `Derived`."""
        return self._derived.get(make, self, *args, **kwargs)

    def latest(self, make: "Callable[Concatenate[Photo, _P], _T]", *args: _P.args, **kwargs: _P.kwargs) -> _T:
        """Return what a function makes of the photo, of which only the last is kept; see `Derived`."""
        return self._derived.latest(make, self, *args, **kwargs)

    def colours(self, rect: Rect) -> FloatArray:
        """Copy a window as float32 in [0, 1].

        Returns (h, w, 3), of the window.
        """
        return unit_floats(self.pixels[rect.slices])


@dataclass(frozen=True, eq=False)
class Job:
    """One state of the work on one photo.

    Attributes
    ----------
    photo : Photo
    planes : mapping of str to Plane
        Of the photo's size; those that are absent hold their default. Each is read as an attribute, such as
        ``job.zones``; see `peel.job.planes` for what they hold.
    settings : JobSettings
    assets : mapping of str to Asset
        Pictures that the settings name, by their digests; one that is missing was damaged.
    """

    photo: Photo
    planes: Mapping[str, Plane] = field(default_factory=lambda: MappingProxyType({}))
    settings: JobSettings = field(default_factory=JobSettings)
    assets: Mapping[str, Asset] = field(default_factory=lambda: MappingProxyType({}))
    _derived: Derived = field(default_factory=Derived, init=False, repr=False)

    def derived(self, make: "Callable[Concatenate[Job, _P], _T]", *args: _P.args, **kwargs: _P.kwargs) -> _T:
        """Return what a function makes of this state of the job: made once, and freed with it; see `Derived`."""
        return self._derived.get(make, self, *args, **kwargs)

    def __getattr__(self, name: str) -> Plane:
        """Return a plane of the table by its name."""
        if name not in PLANES:
            msg = f"a job has no {name}"
            raise AttributeError(msg)
        plane = self.planes.get(name)
        return plane if plane is not None else self.photo.blank_planes[name]

    def with_planes(self, **changed: Plane) -> "Job":
        """Return the job with planes replaced, by name.

        Raises
        ------
        KeyError
            If a name is not in the table.
        """
        for name in changed:
            PLANES[name]
        return replace(self, planes=MappingProxyType({**self.planes, **changed}))

    def with_asset(self, asset: Asset) -> "Job":
        """Return the job with a picture beside its photo."""
        return replace(self, assets=MappingProxyType({**self.assets, asset.digest: asset}))

    def without(self, *roles: Role) -> "Job":
        """Return the job with every plane of some roles back at its default."""
        kept = {name: plane for name, plane in self.planes.items() if PLANES[name].role not in roles}
        return replace(self, planes=MappingProxyType(kept))

    def with_settings(self, settings: JobSettings) -> "Job":
        """Return the job with other settings; `peel.job.edits.values.set_value` does what has to follow from them."""
        return replace(self, settings=settings)

    def with_photo_settings(self, **changed: Any) -> "Job":
        """Return the job with parts of the settings that belong to its photo replaced, validated."""
        photo = PhotoSettings.model_validate({**dict(self.settings.photo), **changed})
        return replace(self, settings=self.settings.model_copy(update={"photo": photo}))

    def with_recipe(self, **changed: Any) -> "Job":
        """Return the job with parts of its recipe replaced, validated."""
        recipe = Recipe.model_validate({**dict(self.settings.recipe), **changed})
        return replace(self, settings=self.settings.model_copy(update={"recipe": recipe}))

    @property
    def has_subject(self) -> bool:
        """Whether any pixel is marked as something other than backdrop."""
        return any(tile.constant != BACKGROUND for tile in self.zones.tiles)

    @property
    def is_solved(self) -> bool:
        """Whether the matte has caught up with the zones."""
        return all(tile.constant == 0 for tile in self.unsolved.tiles)

    def alpha(self, rect: Rect) -> FloatArray:
        """Copy a window of the solved matte as float32 in [0, 1]; what is shown is the finished one.

        Returns (h, w), of the window.
        """
        return unit_floats(self.matte.read(rect))


def new_job(photo: Photo) -> Job:
    """Start on a photo: all backdrop."""
    return Job(photo)
