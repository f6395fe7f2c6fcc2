"""The stages of the subject's colours, in their order.

Photographed, estimated, cleaned, brought to the hue of their roots, spill taken out, rims brought to the tone further
in, lightened and darkened by hand, tinted, the photo's own brushed back. None of them changes the matte, and each can
be left out to compare.
"""

from collections.abc import Hashable
from typing import Final

import cv2
import numpy as np

from peel.job.edits.kinds import kinds_stamp
from peel.job.job import Job
from peel.job.question import counted_frame
from peel.job.rect import Rect
from peel.job.settings import MOST_OUTWARD, rgb_from_hex
from peel.matte.arrays import FloatArray
from peel.matte.channels import mean_part
from peel.matte.colour.foreground import estimate_foreground
from peel.matte.colour.rims import MOST_RIM, RIM_REACH, measured_rim, rim_corrected, rim_reach
from peel.matte.colour.roots import LIKENESS_PX, ROOTS_PX, leaning, rooted
from peel.matte.colour.spill import USUAL_WIDTH, Spill, despilled
from peel.matte.edge.kind import Kind
from peel.matte.plate.known_foreground import known_foreground
from peel.work.framing.frames import frame_of
from peel.work.framing.light import lit_backdrop
from peel.work.stages.amounts import amount_of, amount_stamp, deep, everywhere, is_all, is_any
from peel.work.stages.chain import Before, Chain, Stage
from peel.work.stages.pyramid import Pyramid
from peel.work.stages.targets import kind_shares

__all__ = [
    "Clean",
    "Despilled",
    "Estimate",
    "MeasuredRims",
    "MeasuredRoots",
    "Photographed",
    "Rims",
    "Rooted",
    "spill_of",
    "spill_width_of",
]

_HALO: Final = MOST_OUTWARD  # pixels around a window from which its edge colours are estimated
_EDGE_PX: Final = 5  # side, in photo pixels, of the square by which the edge is wider than what is half-clear
_TEXTURE: Final = 2.0  # sigma, in photo pixels, below which brightness is texture


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
    """The subject's own colours in half-clear pixels, found from the photo and the finished matte.

    Where a second frame shows the backdrop they follow from it, as far as a pixel shows enough of the subject.
    """

    reach = _HALO

    def __init__(self, matte: Chain) -> None:
        self._matte = matte

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return how colours mix, and what the matte around a window depends on; with a known set its light, too."""
        around = job.photo.space.around(rect, level, _HALO)
        frame = counted_frame(job.settings)
        zones = None if frame is None else job.zones.stamp(job.photo.space.covered(around, level))
        return job.settings.photo.is_linear, self._matte.stamp(job, around, level), frame, zones

    def passes(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether the matte is constant around a window, so that no colour has to be found."""
        return self._matte.constant(job, job.photo.space.around(rect, level, _HALO), level) is not None

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Estimate the colours of a window."""
        around = job.photo.space.around(rect, level, _HALO)
        alpha = self._matte.window(job, around, level)
        if _is_plain(alpha):
            return before(rect)
        is_linear = job.settings.photo.is_linear
        photo = before(around)
        colours = estimate_foreground(photo, alpha, linear=is_linear)
        frame = frame_of(job)
        if frame is not None:
            behind, variance = lit_backdrop(frame, job, photo, around, level)
            colours = known_foreground(photo, behind, variance, alpha, colours, linear=is_linear)
        return colours[rect.within(around)]


class Clean(Stage):
    """As much of the estimate as the recipe asks for, with the photo's fine texture put back on it."""

    reach = int(3 * _TEXTURE) + 1

    def __init__(self, pyramid: Pyramid, matte: Chain) -> None:
        self._pyramid, self._matte = pyramid, matte

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the amounts, and the matte that says where texture is put back."""
        around = job.photo.space.around(rect, level, self.reach)
        matte = self._matte.stamp(job, around, level) if is_any(job, "detail") else None
        return amount_stamp(job, rect, level, "clean", "detail"), matte

    def is_neutral(self, job: Job) -> bool:
        """Return whether all of the estimate is taken, as it is."""
        return is_all(job, "clean", 1.0) and not is_any(job, "detail")

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Interpolate between photo and estimate."""
        around = job.photo.space.around(rect, level, self.reach)
        photo, inner = self._pyramid.colours(around, level), rect.within(around)
        clean, detail = (amount_of(job, rect, level, name) for name in ("clean", "detail"))
        out = photo[inner] + (before(rect) - photo[inner]) * deep(clean)
        if is_any(job, "detail"):
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
        return not (is_any(job, "roots") and is_any(job, "clean"))

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
        around = job.photo.space.around(rect, level, max(1, ROOTS_PX >> level))
        return self._matte.stamp(job, around, level), kinds_stamp(job, job.photo.space.covered(rect, level))

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Follow the roots of a window."""
        around, near = (
            job.photo.space.around(rect, level, max(1, reach >> level)) for reach in (ROOTS_PX, LIKENESS_PX)
        )
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
        return amount_stamp(job, rect, level, "roots", "clean")

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Take back what leans towards the backdrop, as far as the photo's colours are replaced at all."""
        measured = before(rect)
        amount = np.asarray(amount_of(job, rect, level, "roots")) * amount_of(job, rect, level, "clean")
        return rooted(measured[..., :3], measured[..., 3:], amount.astype(np.float32))


class Despilled(Stage):
    """The light of a coloured backdrop taken out, along the edge and inside by an amount of its own."""

    reach = _EDGE_PX

    def __init__(self, matte: Chain) -> None:
        self._matte = matte

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the hue, the amounts, and the matte that says where the edge is."""
        photo, around = job.settings.photo, job.photo.space.around(rect, level, self.reach)
        spill = job.settings.recipe.colour.spill
        amounts = amount_stamp(job, rect, level, "spill_edge", "spill_inside")
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
        return spill_of(job) is None or not (is_any(job, "spill_edge") or is_any(job, "spill_inside"))

    def passes(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether there is no subject near a window."""
        return self._matte.constant(job, job.photo.space.around(rect, level, self.reach), level) == 0

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Take spill out of a window."""
        around, spill = job.photo.space.around(rect, level, self.reach), spill_of(job)
        assert spill is not None
        alpha = self._matte.window(job, around, level)
        side = 2 * max(1, round(_EDGE_PX / 2 / (1 << level))) + 1
        edge = cv2.blur(cv2.dilate((alpha < 1).astype(np.float32), np.ones((side, side), np.uint8)), (side, side))
        edge = edge[rect.within(around)]
        at_edge, inside = (amount_of(job, rect, level, name) for name in ("spill_edge", "spill_inside"))
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
        return not (is_any(job, "rim_light") or is_any(job, "rim_tint"))

    def passes(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether no edge is near a window."""
        width = max(part.rim_px for part in everywhere(job)) / (1 << level)
        return self._matte.constant(job, job.photo.space.around(rect, level, rim_reach(width)), level) is not None


class MeasuredRims(_AtRims):
    """Colours with what `measured_rim` says beside them, in seven channels: kept while only amounts change."""

    reach = RIM_REACH

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the widths, and the matte around a window."""
        around = job.photo.space.around(rect, level, self.reach)
        return amount_stamp(job, rect, level, "rim_px"), self._matte.stamp(job, around, level)

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Measure the rims of a window; where widths differ, by the widest that is asked for nearby."""
        width = min(float(np.max(amount_of(job, rect, level, "rim_px"))), MOST_RIM) / (1 << level)
        around = job.photo.space.around(rect, level, rim_reach(width))
        colours = before(around)
        excess, _, share = measured_rim(colours, self._matte.window(job, around, level), width)
        inner = rect.within(around)
        return np.concatenate([colours[inner], excess[inner], share[inner][..., None]], axis=2)


class Rims(_AtRims):
    """Rims that are too light, too dark or tinted, brought to the tone of the subject further in."""

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the amounts, and the matte around a window, by which it passes."""
        amounts = amount_stamp(job, rect, level, "rim_light", "rim_tint")
        return amounts, self._matte.stamp(job, job.photo.space.around(rect, level, RIM_REACH), level)

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Correct the rims of a window as they were measured."""
        measured = before(rect)
        light, tint = (amount_of(job, rect, level, name) for name in ("rim_light", "rim_tint"))
        return rim_corrected(measured[..., :3], (measured[..., 3:6], measured[..., 6]), light, tint)


def _is_plain(alpha: FloatArray) -> bool:
    """Return whether a window holds a single value of 0 or 1, so that no colour has to be found."""
    first = float(alpha.flat[0])
    return first in {0.0, 1.0} and bool((alpha == first).all())
