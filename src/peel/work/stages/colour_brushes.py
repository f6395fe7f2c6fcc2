"""The stages of the subject's colours in which a brush was: lightened, darkened, tinted, the photo's own."""

from collections.abc import Hashable, Iterable
from typing import Final
from weakref import WeakKeyDictionary

import numpy as np

from peel.job.edits.colouring import COLOUR_BRUSHES
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import Tint
from peel.matte.arrays import FloatArray
from peel.matte.colour.rims import RIM_REACH, lightened, measured_rim, rim_reach
from peel.matte.colour.tinting import Chroma, chroma_of, hue_chroma, tinted
from peel.work.stages.cache import Cache
from peel.work.stages.chain import Before, Chain, Stage
from peel.work.stages.pyramid import Pyramid, shrunk

__all__ = ["Original", "Tinted", "Toned"]

_LEVEL: Final = 700  # longest side of the picture in which a patch is measured


class _Brushed(Stage):
    """A stage that acts where a brush was."""

    planes: tuple[str, ...] = ()

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the tiles of the brush under a window."""
        covered = job.photo.space.covered(rect, level)
        return tuple(job.planes[name].stamp(covered) if name in job.planes else None for name in self.planes)

    def is_neutral(self, job: Job) -> bool:
        """Return whether the brush was nowhere."""
        return all(name not in job.planes for name in self.planes)

    def passes(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether the brush was not in a window."""
        plane = job.planes.get(self.planes[0])
        neutral = COLOUR_BRUSHES[self.planes[0]]
        return plane is None or plane.constant_in(job.photo.space.covered(rect, level)) == neutral

    def _field(self, job: Job, rect: Rect, level: int) -> FloatArray:
        """Return the brush's plane as amounts, from -1 or 0 to 1."""
        name = self.planes[0]
        brushed, neutral = getattr(job, name).read(job.photo.space.covered(rect, level)), COLOUR_BRUSHES[name]
        values = shrunk(brushed.astype(np.float32), level) - np.float32(neutral)
        return np.clip(values / np.float32(127 if neutral else 255), -1, 1).astype(np.float32)


class Toned(_Brushed):
    """Lightened where darker than the subject further in, or darkened where lighter, by a brush."""

    reach = RIM_REACH
    planes = ("toning",)

    def __init__(self, matte: Chain) -> None:
        self._matte = matte

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the tiles of the brush, how wide a rim is, and the matte around a window."""
        around = self._matte.stamp(job, job.photo.space.around(rect, level, self.reach), level)
        return super().stamp(job, rect, level), job.settings.recipe.colour.rim_px, around

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Lighten and darken a window."""
        width = job.settings.recipe.colour.rim_px / (1 << level)
        around = job.photo.space.around(rect, level, rim_reach(width))
        colours = before(around)
        _, further, _ = measured_rim(colours, self._matte.window(job, around, level), width)
        inner = rect.within(around)
        return lightened(colours[inner], further[inner], self._field(job, rect, level))


class Tinted(_Brushed):
    """Patches given the tint of a spot, or a hue."""

    planes = ("patch_weight", "patch")

    def __init__(self, before: Chain, matte: Chain, cache: Cache) -> None:
        self._colours, self._matte, self._cache = before, matte, cache
        self._stamps: WeakKeyDictionary[Job, Hashable] = WeakKeyDictionary()

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the tiles of the patches, the tints, and all that the chroma of whole patches depends on.

        Nothing is measured here: stamps are asked for on the window's thread.
        """
        return super().stamp(job, rect, level), job.settings.photo.tints, self._whole_stamp(job)

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Tint the patches of a window."""
        out, step = before(rect), 1 << level
        covered = job.photo.space.covered(rect, level)
        numbers = np.ascontiguousarray(job.patch.read(covered)[::step, ::step])
        weights = self._field(job, rect, level)
        for number in self._numbers(job, rect, level):
            own, tint = self._own(job, number), job.settings.photo.tints[number - 1]
            if own is not None:
                here = np.where(numbers == number, weights * np.float32(tint.amount), 0).astype(np.float32)
                out = tinted(out, here, own, _aim(tint))
        return out

    @staticmethod
    def _numbers(job: Job, rect: Rect, level: int) -> list[int]:
        covered = job.photo.space.covered(rect, level)
        found: Iterable[int] = np.unique(job.patch.read(covered))
        return [int(number) for number in found if 0 < number <= len(job.settings.photo.tints)]

    def _whole_stamp(self, job: Job) -> Hashable:
        """Return what all patches depend on; once for each job."""
        stamp = self._stamps.get(job)
        if stamp is None:
            level = job.photo.space.level_within(_LEVEL)
            whole = job.photo.space.bounds(level)
            stamp = self._stamps[job] = super().stamp(job, whole, level), self._colours.stamp(job, whole, level)
        return stamp

    def _own(self, job: Job, number: int) -> Chroma | None:
        """Measure the chroma of a patch as the stages before leave it, over all of it, in a small picture."""
        level = job.photo.space.level_within(_LEVEL)
        whole = job.photo.space.bounds(level)
        key = ("patch", number, self._whole_stamp(job))

        def measure() -> FloatArray:
            numbers, weights = (
                shrunk(part.astype(np.float32), level) for part in (job.patch.read() == number, job.patch_weight.read())
            )
            shares = numbers * weights / np.float32(255) * self._matte.window(job, whole, level)
            found = chroma_of(self._colours.window(job, whole, level), np.asarray(shares, np.float32))
            return np.array([] if found is None else [*found.mean, *found.spread], np.float32)

        values = [float(value) for value in self._cache.get(key, measure)]
        return Chroma((values[0], values[1]), (values[2], values[3])) if values else None


def _aim(tint: Tint) -> Chroma:
    if tint.spot is not None:
        return Chroma(tint.spot[:2], tint.spot[2:])
    return hue_chroma(tint.hue_deg, tint.saturation)


class Original(_Brushed):
    """The photo's own colours, brushed back."""

    planes = ("original",)

    def __init__(self, pyramid: Pyramid) -> None:
        self._pyramid = pyramid

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Give the photo's own colours back."""
        share, photo = self._field(job, rect, level)[..., None], self._pyramid.colours(rect, level)
        made = before(rect)
        return np.where(share >= 1, photo, made + share * (photo - made)).astype(np.float32)
