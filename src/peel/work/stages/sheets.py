"""Sheets: backing, shadows and cutouts laid over each other, in any window of any level."""

from collections.abc import Callable, Hashable
from functools import partial
from typing import Any, Final, Protocol
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from peel.job.assets import Asset
from peel.job.job import Job
from peel.job.placing.sheet import Placement, Sheet
from peel.job.rect import Rect
from peel.job.settings import LightWrap
from peel.matte.arrays import FloatArray
from peel.matte.channels import straight
from peel.matte.composite.blurring import BLUR_REACH
from peel.matte.composite.homography import scaled
from peel.matte.composite.lookup import graded_quickly
from peel.matte.composite.over import composite_over
from peel.matte.composite.warping import source_window, warped
from peel.matte.composite.wrap import backing_glow, light_wrapped
from peel.matte.parallel import run_all
from peel.work.stages.backings import Backings
from peel.work.stages.cache import Cache
from peel.work.stages.chain import assembled, cells_of
from peel.work.stages.grades import grading_of
from peel.work.stages.pictures import Pictures
from peel.work.stages.shadows import Layer, Shadows, Subjects

__all__ = ["Bare", "Cutouts", "Sheets"]

Bare = Callable[[Rect], FloatArray]
"""Returns what shows in a window where a sheet has no backing."""

_MOST_SIGMA: Final = 4.0  # pixels of a level, above which light wrap is made at a coarser one


class Cutouts(Subjects, Protocol):
    """Where the subject's colours come from as well."""

    def foreground(self, job: Job, rect: Rect, level: int) -> FloatArray:
        """Return the subject's own colours, straight.

        Returns (h, w, 3) float32 in [0, 1].
        """

    def cutout_stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return what the cutout depends on."""

    def is_clear(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether nothing of the subject is in a window, as far as that is known without computing."""


class Sheets:
    """Draws sheets. Any thread.

    Parameters
    ----------
    cutouts : Cutouts
        The stages of the photo's own subject.
    cache : Cache
    profile : bytes or None
    """

    def __init__(self, cutouts: Cutouts, cache: Cache, profile: bytes | None) -> None:
        self._cutouts, self._cache = cutouts, cache
        self._pictures = Pictures(profile)
        self.backings = Backings(self._pictures, cache, profile)
        self.shadows = Shadows(cutouts, self._pictures, cache)
        self._stamps: WeakKeyDictionary[Job, dict[int, Hashable]] = WeakKeyDictionary()

    def picture_at_hand(self, asset: Asset, rect: Rect) -> FloatArray | None:
        """Return a window of a cutout's own picture, (h, w, 4) premultiplied; None, at once, if it is not decoded."""
        known = self._pictures.at_hand(asset) is not None
        return self._pictures.premultiplied(asset, rect.as_tuple, 0) if known else None

    def window(self, sheet: Sheet, rect: Rect, level: int, bare: Bare) -> FloatArray:
        """Return a window of a sheet; see `peel.work.stages.Stages.sheet`.

        Returns (h, w, 3) float32 in [0, 1].
        """
        return self._laid(sheet, len(sheet.cutouts), rect, level, bare)

    def ground(self, sheet: Sheet, rect: Rect, level: int, bare: Bare) -> FloatArray:
        """Return a window of a sheet without its cutouts: backing and shadows.

        Returns (h, w, 3) float32 in [0, 1].
        """
        backing = self.backings.window(sheet, rect, level)
        out = np.array(bare(rect), np.float32) if backing is None else backing
        for layer in self.layers(sheet, rect, level):
            colour = np.broadcast_to(np.array(layer.colour, np.float32), out.shape)
            out = composite_over(colour, out, layer.opacity, linear=sheet.job.settings.photo.is_linear)
        return out

    def transparent(self, sheet: Sheet, rect: Rect, level: int) -> FloatArray:
        """Return the cutouts of a sheet, one over the other, on nothing: (h, w, 4) premultiplied."""
        out = np.zeros((rect.height, rect.width, 4), np.float32)
        for placement in sheet.cutouts:
            seen = self._seen(placement, rect, level)
            if seen.is_empty:
                continue
            colours, alpha = self.cutout(placement, seen, level)
            own, part = np.concatenate([colours * alpha[..., None], alpha[..., None]], axis=2), seen.within(rect)
            out[part] = own + (1 - alpha[..., None]) * out[part]
        return out

    def layers(self, sheet: Sheet, rect: Rect, level: int) -> list[Layer]:
        """Return the shadows in a window of a sheet, the lowest first."""
        return self.shadows.layers(sheet, rect, level, self.backings.colour)

    def _laid(self, sheet: Sheet, count: int, rect: Rect, level: int, bare: Bare) -> FloatArray:
        """Lay the lowest cutouts over the ground."""
        out = self.ground(sheet, rect, level, bare)
        for number in range(count):
            self._lay(sheet, number, rect, level, out, bare)
        return out

    def _lay(self, sheet: Sheet, number: int, rect: Rect, level: int, out: FloatArray, bare: Bare) -> None:
        """Lay a cutout over what is there; outside its picture nothing changes."""
        placement, wrap = sheet.cutouts[number], sheet.job.settings.recipe.wrap
        seen = self._seen(placement, rect, level)
        if seen.is_empty:
            return
        wraps = wrap.amount > 0 and sheet.backing.kind != "nothing"
        glow = self._glow(sheet, number, seen, level, bare) if wraps else None

        def lay(cell: Rect) -> None:
            if self._is_clear(placement, cell, level):
                return
            colours, alpha = self.cutout(placement, cell, level)
            if glow is not None:
                colours = light_wrapped(colours, glow[cell.within(seen)], wrap.amount)
            part = cell.within(rect)
            out[part] = composite_over(colours, out[part], alpha, linear=sheet.job.settings.photo.is_linear)

        run_all([partial(lay, cell.intersection(seen)) for cell in cells_of(seen)])

    def _is_clear(self, placement: Placement, rect: Rect, level: int) -> bool:
        """Return whether nothing of a cutout is in a window, as far as that is known without computing."""
        if placement.asset is not None:
            return False
        if placement.whole_move is not None:
            down, right = _offset(placement, level)
            return self._cutouts.is_clear(placement.job, rect.moved(-down, -right), level)
        around = source_window(placement.size, scaled(placement.matrix, 1 / (1 << level)), rect.as_tuple)
        if around is None:
            return True
        covered = placement.job.photo.space.bounds().intersection(Rect(*around))
        return covered.is_empty or self._cutouts.is_clear(placement.job, covered, 0)

    def _glow(self, sheet: Sheet, number: int, rect: Rect, level: int, bare: Bare) -> FloatArray:
        """Return the backing's light as it bleeds over a cutout; wide ones from a coarser level."""
        placement, coarse = sheet.cutouts[number], level
        sigma = _sigma(sheet.job.settings.recipe.wrap)
        while sigma / (1 << coarse) > _MOST_SIGMA:
            coarse += 1
        step = 1 << (coarse - level)
        reach = int(np.ceil(BLUR_REACH * sigma / (1 << coarse))) + 3
        around = Rect(rect.top // step, rect.left // step, -(-rect.bottom // step), -(-rect.right // step)).grown(reach)
        behind = self._laid(sheet, number, around, coarse, bare)
        alpha = np.zeros(behind.shape[:2], np.float32)
        seen = self._seen(placement, around, coarse)
        if not seen.is_empty:
            alpha[seen.within(around)] = self.cutout(placement, seen, coarse)[1]
        glow = backing_glow(behind, alpha, sigma / (1 << coarse))
        if step == 1:
            return glow[rect.within(around)]

        def read(window: tuple[int, int, int, int], _level: int) -> FloatArray:
            top, left, bottom, right = window
            return glow[top:bottom, left:right]

        back = np.array([[step, 0.0, around.left * step], [0.0, step, around.top * step], [0.0, 0.0, 1.0]])
        return warped(read, (around.height, around.width), back, rect.as_tuple)

    def cutout(self, placement: Placement, rect: Rect, level: int) -> tuple[FloatArray, FloatArray]:
        """Return straight colours, graded, and alpha of a placed cutout in a window within `_seen`.

        (h, w, 3) and (h, w) float32 in [0, 1].
        """
        if placement.asset is None and placement.whole_move is not None:
            own = rect.moved(*(-offset for offset in _offset(placement, level)))
            colours = self._cutouts.foreground(placement.job, own, level)
            alpha = self._cutouts.alpha(placement.job, own, level)
        else:
            colours, alpha = straight(self._warped(placement, rect, level))
        return graded_quickly(colours, grading_of(placement.grade)), alpha

    def _seen(self, placement: Placement, rect: Rect, level: int) -> Rect:
        """Return the part of a window that a cutout's picture lies in."""
        if placement.asset is None and placement.whole_move is not None:
            down, right = _offset(placement, level)
            return placement.job.photo.space.bounds(level).moved(down, right).intersection(rect)
        corners = np.array(placement.corners) / (1 << level)
        low, high = np.floor(corners.min(axis=0)) - 1, np.ceil(corners.max(axis=0)) + 1
        box = Rect(int(low[1]), int(low[0]), int(high[1]), int(high[0]))
        return box.intersection(rect)

    def _warped(self, placement: Placement, rect: Rect, level: int) -> FloatArray:
        matrix, source = scaled(placement.matrix, 1 / (1 << level)), self._source_stamp(placement, level)

        def read(window: tuple[int, int, int, int], at: int) -> FloatArray:
            if placement.asset is not None:
                return self._pictures.premultiplied(placement.asset, window, at)
            return assembled(
                Rect(*window), cells_of(Rect(*window)), lambda part: self._premultiplied(placement.job, part, at)
            )

        def cell(part: Rect) -> NDArray[Any]:
            key = ("placed", placement.corners, source, level, part)
            return self._cache.get(key, lambda: warped(read, placement.size, matrix, part.as_tuple))

        return assembled(rect, cells_of(rect), cell)

    def _premultiplied(self, job: Job, part: Rect, level: int) -> NDArray[Any]:
        """Return a cell of a cutout at a level, (h, w, 4); kept, as neighbouring cells of the sheet look at it."""
        part = part.intersection(job.photo.space.bounds(level))

        def make() -> NDArray[Any]:
            alpha = self._cutouts.alpha(job, part, level)[..., None]
            return np.concatenate([self._cutouts.foreground(job, part, level) * alpha, alpha], axis=2)

        return self._cache.get(("premultiplied", self._cutouts.cutout_stamp(job, part, level), level, part), make)

    def _source_stamp(self, placement: Placement, level: int) -> Hashable:
        """Return what all of a cutout depends on; once for each job and level."""
        if placement.asset is not None:
            return placement.asset.digest
        kept = self._stamps.setdefault(placement.job, {})
        if level not in kept:
            whole = placement.job.photo.space.bounds(level)
            kept[level] = self._cutouts.cutout_stamp(placement.job, whole, level)
        return kept[level]

    def stamp(self, sheet: Sheet, rect: Rect, level: int) -> Hashable:
        """Return all that a window of a sheet depends on."""
        wrap = sheet.job.settings.recipe.wrap
        around = rect.grown(int(np.ceil(BLUR_REACH * _sigma(wrap) / (1 << level))) + 8) if wrap.amount else rect
        assets = tuple(sorted(sheet.job.assets))
        parts: list[Hashable] = [sheet.backing, (sheet.space.height, sheet.space.width), assets, wrap]
        parts += [sheet.job.settings.photo.is_linear, self.shadows.stamp(sheet, level)]
        for placement in sheet.cutouts:
            stamp: Hashable = ()
            if placement.asset is None and placement.whole_move is not None:
                seen = self._seen(placement, around, level)
                if not seen.is_empty:
                    down, right = _offset(placement, level)
                    stamp = self._cutouts.cutout_stamp(placement.job, seen.moved(-down, -right), level)
            else:
                stamp = self._source_stamp(placement, level)
            parts.append((placement.corners, placement.grade, stamp))
        return tuple(parts)


def _sigma(wrap: LightWrap) -> float:
    return wrap.reach_px / 2.5


def _offset(placement: Placement, level: int) -> tuple[int, int]:
    """Return how far down and right a cutout that is as it was photographed lies, rounded to pixels of the level."""
    assert placement.whole_move is not None
    down, right = (round(offset / (1 << level)) for offset in placement.whole_move)
    return down, right
