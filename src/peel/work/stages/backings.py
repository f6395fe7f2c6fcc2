"""What cutouts stand on, as pictures of any window of a sheet."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.files.profiles import colour_into_profile
from peel.job.assets import Asset
from peel.job.placing.sheet import Sheet
from peel.job.rect import Rect
from peel.job.settings import Backing, BackingPhoto, Pattern, rgb_from_hex
from peel.matte.arrays import FloatArray
from peel.matte.channels import over
from peel.matte.composite.blurring import BLUR_REACH, wide_blur
from peel.matte.composite.gradient import gradient
from peel.matte.composite.homography import homography, scaled
from peel.matte.composite.lookup import graded_quickly
from peel.matte.composite.pattern import pattern
from peel.matte.composite.warping import warped
from peel.work.stages.cache import Cache
from peel.work.stages.chain import assembled, cells_of
from peel.work.stages.grades import grading_of
from peel.work.stages.pictures import Pictures

__all__ = ["Backings", "covering_move", "photo_corners"]

_MOST_SIGMA = 4.0  # pixels of a level, above which a blur is made at a coarser one


class Backings:
    """Draws backings. Any thread.

    Parameters
    ----------
    pictures : Pictures
    cache : Cache
    profile : bytes or None
        Of the sheet.
    """

    def __init__(self, pictures: Pictures, cache: Cache, profile: bytes | None) -> None:
        self._pictures, self._cache, self._profile = pictures, cache, profile

    def colour(self, colour: str) -> tuple[float, float, float]:
        """Convert a ``#rrggbb`` picked on the screen to the sheet's profile."""
        return colour_into_profile(rgb_from_hex(colour), self._profile)

    def window(self, sheet: Sheet, rect: Rect, level: int) -> FloatArray | None:
        """Return a window of a sheet's backing, graded; None where it has none.

        Returns (h, w, 3) float32 in [0, 1].
        """
        backing = sheet.backing
        if backing.kind == "nothing":
            return None
        if backing.kind == "gradient":
            made = self._gradient(sheet, rect, level)
        elif backing.kind == "pattern":
            made = self._pattern(sheet, rect, level)
        else:
            made = self._plain(backing, rect)
            if backing.kind == "photo":
                made = self._photo(sheet, rect, level, made)
        return graded_quickly(made, grading_of(backing.grade))

    def _plain(self, backing: Backing, rect: Rect) -> FloatArray:
        colour = np.array(self.colour(backing.colour), np.float32)
        return np.broadcast_to(colour, (rect.height, rect.width, 3)).copy()

    def _gradient(self, sheet: Sheet, rect: Rect, level: int) -> FloatArray:
        own, step = sheet.backing.gradient, 1 << level
        width, height = sheet.space.width / step, sheet.space.height / step
        ends = ((own.start[0] * width, own.start[1] * height), (own.end[0] * width, own.end[1] * height))
        stops = [(stop.at, self.colour(stop.colour)) for stop in own.stops]
        return gradient(rect.as_tuple, ends, stops, is_round=own.shape == "round")

    def _pattern(self, sheet: Sheet, rect: Rect, level: int) -> FloatArray:
        own = sheet.backing.pattern
        colours = self.colour(own.ink), self.colour(own.paper)
        period = own.period_px / (1 << level)
        if own.motif != "tile":
            return pattern(rect.as_tuple, own.motif, colours, period_px=period, turn_deg=own.turn_deg)
        asset = sheet.job.assets.get(own.picture or "")
        paper = np.broadcast_to(np.array(colours[1], np.float32), (rect.height, rect.width, 3))
        return paper.copy() if asset is None else self._tiled(own, asset, rect, level, paper)

    def _tiled(self, own: Pattern, asset: Asset, rect: Rect, level: int, paper: FloatArray) -> FloatArray:
        """Repeat a tile, over the paper where it is clear."""
        spans = asset.width / (own.period_px / (1 << level))  # pixels of the tile in one of the level
        fit = min(max(int(np.round(np.log2(max(spans, 1.0)))), 0), int(np.log2(max(min(asset.height, asset.width), 1))))
        tile = self._pictures.premultiplied(asset, _whole(asset, fit), fit)
        turn, scale = np.deg2rad(own.turn_deg), spans / (1 << fit)
        rows = (np.arange(rect.top, rect.bottom, dtype=np.float64)[:, None] + 0.5) * scale
        columns = (np.arange(rect.left, rect.right, dtype=np.float64)[None, :] + 0.5) * scale
        x = (np.cos(turn) * columns + np.sin(turn) * rows) % tile.shape[1] - 0.5
        y = (np.cos(turn) * rows - np.sin(turn) * columns) % tile.shape[0] - 0.5
        maps = x.astype(np.float32), y.astype(np.float32)
        laid = np.clip(cv2.remap(tile, *maps, cv2.INTER_CUBIC, borderMode=cv2.BORDER_WRAP), 0, 1)
        return over(laid, paper)

    def _photo(self, sheet: Sheet, rect: Rect, level: int, under: FloatArray) -> FloatArray:
        own = sheet.backing.photo
        asset = sheet.job.assets.get(own.picture or "")
        if asset is None:
            return under
        sigma = own.blur_px / (1 << level)
        if sigma > _MOST_SIGMA:
            laid = self._from_coarser(sheet, asset, rect, level)
        elif sigma > 0.3:
            around = rect.grown(int(np.ceil(BLUR_REACH * sigma)))
            laid = wide_blur(self._laid(sheet, asset, around, level), sigma)[rect.within(around)]
        else:
            laid = self._laid(sheet, asset, rect, level)
        return over(laid, under)

    def _from_coarser(self, sheet: Sheet, asset: Asset, rect: Rect, level: int) -> FloatArray:
        """Take a wide blur from a level at which it is narrow: the wider it is, the quicker."""
        own, coarse = sheet.backing.photo, level
        while own.blur_px / (1 << coarse) > _MOST_SIGMA:
            coarse += 1
        step = 1 << (coarse - level)
        sigma = own.blur_px / (1 << coarse)
        reach = int(np.ceil(BLUR_REACH * sigma)) + 3
        small = Rect(rect.top // step, rect.left // step, -(-rect.bottom // step), -(-rect.right // step)).grown(reach)
        soft = wide_blur(self._laid(sheet, asset, small, coarse), sigma)

        def read(window: tuple[int, int, int, int], _level: int) -> FloatArray:
            top, left, bottom, right = window
            return soft[top:bottom, left:right]

        back = np.array([[step, 0.0, small.left * step], [0.0, step, small.top * step], [0.0, 0.0, 1.0]])
        return warped(read, (small.height, small.width), back, rect.as_tuple)

    def _laid(self, sheet: Sheet, asset: Asset, rect: Rect, level: int) -> FloatArray:
        """Place the photo, premultiplied: by cells that are kept."""
        own = sheet.backing.photo.model_copy(update={"blur_px": 0.0})
        size = sheet.space.height, sheet.space.width
        matrix = scaled(homography(photo_corners(own, asset, size), asset.height, asset.width), 1 / (1 << level))

        is_solid = self._pictures.is_solid(asset)

        def read(window: tuple[int, int, int, int], at: int) -> FloatArray:
            return self._pictures.premultiplied(asset, window, at)

        def cell(part: Rect) -> NDArray[Any]:
            key = ("backing", own, size, asset.digest, self._profile, level, part)
            return self._cache.get(
                key, lambda: warped(read, (asset.height, asset.width), matrix, part.as_tuple, is_solid=is_solid)
            )

        return assembled(rect, cells_of(rect), cell)


def photo_corners(
    own: BackingPhoto, asset: Asset, size: tuple[int, int]
) -> tuple[tuple[float, float], tuple[float, float], tuple[float, float], tuple[float, float]]:
    """Return where the corners of a backing photo lie on a sheet of a size (height, width)."""
    height, width = size
    scale, move = _scale(own, asset, size), covering_move(own, asset, size)
    across, down = asset.width * scale / 2, asset.height * scale / 2
    x, y = width * (0.5 + move[0]), height * (0.5 + move[1])
    if own.mirrored:
        across = -across
    return (x - across, y - down), (x + across, y - down), (x + across, y + down), (x - across, y + down)


def covering_move(own: BackingPhoto, asset: Asset, size: tuple[int, int]) -> tuple[float, float]:
    """Return by how much a backing photo is moved, in shares of the sheet: one that fills the sheet goes on filling it.

    One that was made smaller than it fills lies where it was put.
    """
    if own.fit != "fill" or own.scale < 1:
        return own.move
    scale = _scale(own, asset, size)
    room = [max(asset.width * scale / size[1] - 1, 0) / 2, max(asset.height * scale / size[0] - 1, 0) / 2]
    x, y = (min(max(part, -most), most) for part, most in zip(own.move, room, strict=True))
    return x, y


def _scale(own: BackingPhoto, asset: Asset, size: tuple[int, int]) -> float:
    """Return how many pixels of the sheet one of the photo takes."""
    fits = (size[1] / asset.width, size[0] / asset.height)
    return (max(fits) if own.fit == "fill" else min(fits)) * own.scale


def _whole(asset: Asset, level: int) -> tuple[int, int, int, int]:
    step = 1 << level
    return 0, 0, -(-asset.height // step), -(-asset.width // step)
