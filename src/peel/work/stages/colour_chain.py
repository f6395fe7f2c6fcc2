"""The stages of the subject's colours, in their order.

Photographed, estimated, cleaned, brought to the hue of their roots, spill taken out, rims brought to the tone further
in, lightened and darkened by hand, tinted, the photo's own brushed back. None of them changes the matte, and each can
be left out to compare.
"""

from collections.abc import Hashable, Iterable
from typing import Final
from weakref import WeakKeyDictionary

import cv2
import numpy as np

from peel.job.edits.colouring import COLOUR_BRUSHES
from peel.job.edits.kinds import kinds_stamp
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import MOST_OUTWARD, EdgeColour, Tint, rgb_from_hex
from peel.job.settings.edges import own_of
from peel.matte.arrays import FloatArray
from peel.matte.channels import mean_part
from peel.matte.colour.foreground import estimate_foreground
from peel.matte.colour.rims import MOST_RIM, RIM_REACH, lightened, measured_rim, rim_corrected, rim_reach
from peel.matte.colour.roots import LIKENESS_PX, ROOTS_PX, leaning, rooted
from peel.matte.colour.spill import USUAL_WIDTH, Spill, despilled
from peel.matte.colour.tinting import Chroma, chroma_of, hue_chroma, tinted
from peel.matte.edge.kind import Kind
from peel.work.stages.cache import Cache
from peel.work.stages.chain import Before, Chain, Stage
from peel.work.stages.pyramid import Pyramid, shrunk
from peel.work.stages.targets import area_share, kind_shares

__all__ = [
    "Clean",
    "Despilled",
    "Estimate",
    "MeasuredRims",
    "MeasuredRoots",
    "Original",
    "Photographed",
    "Rims",
    "Rooted",
    "Tinted",
    "Toned",
    "spill_of",
    "spill_width_of",
]

_HALO: Final = MOST_OUTWARD  # pixels around a window from which its edge colours are estimated
_EDGE_PX: Final = 5  # side, in photo pixels, of the square by which the edge is wider than what is half-clear
_TEXTURE: Final = 2.0  # sigma, in photo pixels, below which brightness is texture
_LEVEL: Final = 700  # longest side of the picture in which a patch is measured


class Photographed(Stage):
    """The photo's own colours."""

    def __init__(self, pyramid: Pyramid) -> None:
        self._pyramid = pyramid

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return nothing: a photo never changes."""
        del job, rect, level
        return None

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Copy the photo."""
        del job, before
        return self._pyramid.colours(rect, level)

    def is_cached(self, level: int) -> bool:
        """Return False: the pyramid is at hand."""
        del level
        return False


class Estimate(Stage):
    """The subject's own colours in half-clear pixels, found from the photo and the finished matte."""

    reach = _HALO

    def __init__(self, matte: Chain) -> None:
        self._matte = matte

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return how colours mix, and what the matte around a window depends on."""
        return job.settings.photo.is_linear, self._matte.stamp(job, self._around(job, rect, level), level)

    def passes(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether the matte is constant around a window, so that no colour has to be found."""
        return self._matte.constant(job, self._around(job, rect, level), level) is not None

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Estimate the colours of a window."""
        around = self._around(job, rect, level)
        alpha = self._matte.window(job, around, level)
        if _is_plain(alpha):
            return before(rect)
        colours = estimate_foreground(before(around), alpha, linear=job.settings.photo.is_linear)
        return colours[rect.within(around)]

    def _around(self, job: Job, rect: Rect, level: int) -> Rect:
        return _around(job, rect, level, _HALO)


class Clean(Stage):
    """As much of the estimate as the recipe asks for, with the photo's fine texture put back on it."""

    reach = int(3 * _TEXTURE) + 1

    def __init__(self, pyramid: Pyramid, matte: Chain) -> None:
        self._pyramid, self._matte = pyramid, matte

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the amounts, and the matte that says where texture is put back."""
        around = _around(job, rect, level, self.reach)
        matte = self._matte.stamp(job, around, level) if _is_any(job, "detail") else None
        return _amount_stamp(job, rect, level, "clean", "detail"), matte

    def is_neutral(self, job: Job) -> bool:
        """Return whether all of the estimate is taken, as it is."""
        return _is_all(job, "clean", 1.0) and not _is_any(job, "detail")

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Interpolate between photo and estimate."""
        around = _around(job, rect, level, self.reach)
        photo, inner = self._pyramid.colours(around, level), rect.within(around)
        clean, detail = (_amount(job, rect, level, name) for name in ("clean", "detail"))
        out = photo[inner] + (before(rect) - photo[inner]) * _deep(clean)
        if _is_any(job, "detail"):
            texture = self._texture(job, photo, around, level)[inner]
            texture *= detail * np.asarray(clean, np.float32)
            out = np.clip(cv2.add(out, cv2.merge([texture, texture, texture])), 0, 1)
        return np.asarray(out, np.float32)

    def _texture(self, job: Job, photo: FloatArray, around: Rect, level: int) -> FloatArray:
        """Return the photo's brightness less its mean over the subject nearby, where a pixel is mostly subject."""
        alpha = self._matte.window(job, around, level)
        sigma = max(_TEXTURE / (1 << level), 0.3)
        gray, weight = mean_part(photo), cv2.threshold(alpha, 0.5, 0, cv2.THRESH_TOZERO)[1]
        mean = cv2.GaussianBlur(gray * weight, (0, 0), sigma) / np.maximum(
            cv2.GaussianBlur(weight, (0, 0), sigma), np.float32(1e-3)
        )
        half_clear = np.where(alpha < 1, np.clip(2 * alpha - 1, 0, 1), 0)
        return np.asarray(half_clear * (gray - mean), np.float32)


class _AtRoots(Stage):
    """A stage that acts where half-clear pixels get the hue of their roots."""

    def __init__(self, matte: Chain) -> None:
        self._matte = matte

    def is_neutral(self, job: Job) -> bool:
        """Return whether roots count nowhere."""
        return not (_is_any(job, "roots") and _is_any(job, "clean"))

    def passes(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether nothing in a window is half-clear."""
        return self._matte.constant(job, rect, level) is not None


class MeasuredRoots(_AtRoots):
    """Colours with what they lean to the backdrop beside them, in six channels: kept while only the amount changes."""

    reach = LIKENESS_PX

    def __init__(self, pyramid: Pyramid, matte: Chain) -> None:
        super().__init__(matte)
        self._pyramid = pyramid

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the matte around a window, and where cloth is sheer."""
        around = _around(job, rect, level, max(1, ROOTS_PX >> level))
        return self._matte.stamp(job, around, level), kinds_stamp(job, job.photo.space.covered(rect, level))

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Follow the roots of a window."""
        around, near = (_around(job, rect, level, max(1, reach >> level)) for reach in (ROOTS_PX, LIKENESS_PX))
        colours, alpha = before(near), self._matte.window(job, around, level)
        leans = leaning(self._pyramid.colours(around, level), colours, alpha, near.within(around), 1 << level)
        inner = rect.within(near)
        # sheer cloth is half-clear throughout: what shows through it is not its own
        (sheer,) = kind_shares(job, rect, level, [Kind.SHEER.id])
        return np.concatenate([colours[inner], leans[inner] * (1 - sheer)[..., None]], axis=2)


class Rooted(_AtRoots):
    """Half-clear pixels brought to the hue of the solid part from which they grow."""

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the amounts."""
        return _amount_stamp(job, rect, level, "roots", "clean")

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Take back what leans towards the backdrop, as far as the photo's colours are replaced at all."""
        measured = before(rect)
        amount = np.asarray(_amount(job, rect, level, "roots")) * _amount(job, rect, level, "clean")
        return rooted(measured[..., :3], measured[..., 3:], amount.astype(np.float32))


class Despilled(Stage):
    """The light of a coloured backdrop taken out, along the edge and inside by an amount of its own."""

    reach = _EDGE_PX

    def __init__(self, matte: Chain) -> None:
        self._matte = matte

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the hue, the amounts, and the matte that says where the edge is."""
        photo, around = job.settings.photo, _around(job, rect, level, self.reach)
        spill = job.settings.recipe.colour.spill
        amounts = _amount_stamp(job, rect, level, "spill_edge", "spill_inside")
        return (
            spill,
            photo.spill_found,
            photo.spill_shared,
            photo.spill_width_deg,
            amounts,
            self._matte.stamp(job, around, level),
        )

    def is_neutral(self, job: Job) -> bool:
        """Return whether no hue is spill, or none of it is taken out."""
        return spill_of(job) is None or not (_is_any(job, "spill_edge") or _is_any(job, "spill_inside"))

    def passes(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether there is no subject near a window."""
        return self._matte.constant(job, _around(job, rect, level, self.reach), level) == 0

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Take spill out of a window."""
        around, spill = _around(job, rect, level, self.reach), spill_of(job)
        assert spill is not None
        alpha = self._matte.window(job, around, level)
        side = 2 * max(1, round(_EDGE_PX / 2 / (1 << level))) + 1
        edge = cv2.blur(cv2.dilate((alpha < 1).astype(np.float32), np.ones((side, side), np.uint8)), (side, side))
        edge = edge[rect.within(around)]
        at_edge, inside = (_amount(job, rect, level, name) for name in ("spill_edge", "spill_inside"))
        return despilled(before(rect), spill, edge * at_edge + (1 - edge) * inside)


def spill_of(job: Job) -> Spill | None:
    """Return what counts as spill: the picked hue, otherwise the one that was found; None for none.

    A hue that the subject has itself only counts if it was picked: the subject would lose it.
    """
    chosen, photo = job.settings.recipe.colour.spill, job.settings.photo
    found = None if photo.spill_found == "none" or photo.spill_shared else photo.spill_found
    hue = chosen.hue or found
    if hue is None:
        return None
    colour = np.array(rgb_from_hex(hue), np.float32)
    return Spill(colour, float(np.deg2rad(spill_width_of(job))), chosen.give_back, chosen.protect)


def spill_width_of(job: Job) -> float:
    """Return the angle around the hue of the spill within which colours count, in degrees.

    That which was found leaves out the subject's own colours, but around the found hue only.
    """
    chosen, photo = job.settings.recipe.colour.spill, job.settings.photo
    if chosen.width_deg is not None:
        return chosen.width_deg
    return photo.spill_width_deg if chosen.hue is None else float(np.rad2deg(USUAL_WIDTH))


class _AtRims(Stage):
    """A stage that acts where rims are corrected."""

    def __init__(self, matte: Chain) -> None:
        self._matte = matte

    def is_neutral(self, job: Job) -> bool:
        """Return whether no rim is corrected anywhere."""
        return not (_is_any(job, "rim_light") or _is_any(job, "rim_tint"))

    def passes(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether no edge is near a window."""
        width = max(part.rim_px for part in _everywhere(job)) / (1 << level)
        return self._matte.constant(job, _around(job, rect, level, rim_reach(width)), level) is not None


class MeasuredRims(_AtRims):
    """Colours with what `measured_rim` says beside them, in seven channels: kept while only amounts change."""

    reach = RIM_REACH

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the widths, and the matte around a window."""
        around = _around(job, rect, level, self.reach)
        return _amount_stamp(job, rect, level, "rim_px"), self._matte.stamp(job, around, level)

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Measure the rims of a window; where widths differ, by the widest that is asked for nearby."""
        width = min(float(np.max(_amount(job, rect, level, "rim_px"))), MOST_RIM) / (1 << level)
        around = _around(job, rect, level, rim_reach(width))
        colours = before(around)
        excess, _, share = measured_rim(colours, self._matte.window(job, around, level), width)
        inner = rect.within(around)
        return np.concatenate([colours[inner], excess[inner], share[inner][..., None]], axis=2)


class Rims(_AtRims):
    """Rims that are too light, too dark or tinted, brought to the tone of the subject further in."""

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the amounts, and the matte around a window, by which it passes."""
        amounts = _amount_stamp(job, rect, level, "rim_light", "rim_tint")
        return amounts, self._matte.stamp(job, _around(job, rect, level, RIM_REACH), level)

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Correct the rims of a window as they were measured."""
        measured = before(rect)
        light, tint = (_amount(job, rect, level, name) for name in ("rim_light", "rim_tint"))
        return rim_corrected(measured[..., :3], (measured[..., 3:6], measured[..., 6]), light, tint)


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
        around = self._matte.stamp(job, _around(job, rect, level, self.reach), level)
        return super().stamp(job, rect, level), job.settings.recipe.colour.rim_px, around

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Lighten and darken a window."""
        width = job.settings.recipe.colour.rim_px / (1 << level)
        around = _around(job, rect, level, rim_reach(width))
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


# amounts that differ from edge to edge


def _everywhere(job: Job) -> list[EdgeColour]:
    colour = job.settings.recipe.colour
    return [colour, *own_of(colour).values(), *(area.colour for area in job.settings.photo.colour_areas)]


def _is_any(job: Job, name: str) -> bool:
    return any(getattr(part, name) > 0 for part in _everywhere(job))


def _is_all(job: Job, name: str, value: float) -> bool:
    return all(getattr(part, name) == value for part in _everywhere(job))


def _amount_stamp(job: Job, rect: Rect, level: int, *names: str) -> Hashable:
    """Return all that some amounts in a window depend on."""
    colour, areas = job.settings.recipe.colour, job.settings.photo.colour_areas
    own = own_of(colour)
    values = tuple(tuple(getattr(part, name) for name in names) for part in _everywhere(job))
    kinds = kinds_stamp(job, job.photo.space.covered(rect, level)) if own else None
    return values, tuple(own), kinds, tuple((area.outline, area.fade_px) for area in areas)


def _amount(job: Job, rect: Rect, level: int, name: str) -> FloatArray | float:
    """Return an amount at each pixel of a window: one number, unless kinds or areas have amounts of their own."""
    colour, areas = job.settings.recipe.colour, job.settings.photo.colour_areas
    base, own = float(getattr(colour, name)), own_of(colour)
    if all(getattr(part, name) == base for part in _everywhere(job)):
        return base
    out = np.full((rect.height, rect.width), base, np.float32)
    if own:
        for share, part in zip(kind_shares(job, rect, level, list(own)), own.values(), strict=True):
            out += share * np.float32(getattr(part, name) - base)
    for area in areas:
        out += area_share(area, rect, 1 / (1 << level)) * (np.float32(getattr(area.colour, name)) - out)
    return out


def _deep(amount: FloatArray | float) -> FloatArray:
    """Return an amount as something that multiplies colours."""
    values = np.asarray(amount, np.float32)
    return values[..., None] if values.ndim else values


def _around(job: Job, rect: Rect, level: int, reach: int) -> Rect:
    return rect.grown(reach).intersection(job.photo.space.bounds(level))


def _is_plain(alpha: FloatArray) -> bool:
    """Return whether a window holds a single value of 0 or 1, so that no colour has to be found."""
    first = float(alpha.flat[0])
    return first in {0.0, 1.0} and bool((alpha == first).all())
