"""What of a job is still to be solved, in pieces of band that do not touch each other."""

from dataclasses import dataclass, replace
from typing import Final

import cv2
import numpy as np

from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.parallel import checkpoint
from peel.matte.solve import REACH, band_window
from peel.matte.trimap import BACKGROUND, FOREGROUND

__all__ = ["NEAR", "WIDEST", "Patch", "patches_of", "unsolved_rect"]

NEAR: Final = 64  # pixels around a change that are first given to settle
WIDEST: Final = 516  # pixels around a change within which the matte may move at all
_BLOCK: Final = 16  # pixels a side of the blocks by which pieces are told apart
_APART: Final = 9  # blocks by which each piece is grown before it is: nearer ones lend each other their colours anyway
_FAR: Final = np.float32(1e9)


@dataclass(frozen=True, eq=False)
class Patch:
    """A piece of band that can be solved by itself.

    Attributes
    ----------
    window : Rect
        Of the photo; a few pixels wider than the piece.
    distance : (H, W) float32 ndarray
        Of the piece's pixels from what was changed, in pixels; 1e9 for those of no piece or another.
    size : int
        Pixels of the piece.
    ground : (H, W) bool ndarray
        Where a change is dealt with once this piece is solved.
    """

    window: Rect
    distance: FloatArray
    size: int
    ground: BoolArray

    def within(self, reach: float) -> Rect:
        """Give the window around what is at most `reach` from a change."""
        found = band_window(self.distance <= reach)
        assert found is not None, "a piece has something near a change"
        rows, columns = found
        top, left = self.window.top, self.window.left
        around = Rect(top + rows.start, left + columns.start, top + rows.stop, left + columns.stop)
        return around.intersection(self.window)

    def settled(self, job: Job) -> Job:
        """Strike the piece off the list of what is unsolved."""
        left = job.unsolved.read(self.window)
        left[self.ground] = 0
        return replace(job, unsolved=job.unsolved.write(self.window, left))


def unsolved_rect(job: Job) -> Rect:
    """Give the smallest rectangle of whole tiles around everything unsolved; empty if nothing is."""
    tiles = enumerate(job.unsolved.tiles)
    return Rect.around(job.unsolved.tile_rect(number) for number, tile in tiles if tile.constant != 0)


def patches_of(job: Job, first: Rect | None = None) -> list[Patch]:
    """List what is to be solved, the nearest to a place first.

    Parameters
    ----------
    job : Job
    first : Rect, optional
        Where the last change was made.
    """
    tiles = unsolved_rect(job)
    if tiles.is_empty:
        return []
    whole = tiles.grown(WIDEST + REACH).intersection(job.photo.bounds)
    distance = _distance(job.unsolved.read(whole) > 0)
    checkpoint()
    zones = job.zones.read(whole)
    distance[(zones == BACKGROUND) | (zones == FOREGROUND) | (distance > WIDEST)] = _FAR
    checkpoint()
    blocks = _blocks(distance < _FAR)
    size = 2 * _APART + 1
    count, labels = cv2.connectedComponents(cv2.dilate(blocks.astype(np.uint8), np.ones((size, size), np.uint8)))
    numbers = sorted(range(1, count), key=lambda number: _away((labels == number) & blocks, whole, first))
    patches = [_patch(labels == number, distance, whole) for number in numbers]
    return [patch for patch in patches if (patch.distance <= NEAR).any()]  # what is farther stays as it is


def _distance(changed: BoolArray) -> FloatArray:
    if changed.all():
        return np.zeros(changed.shape, np.float32)
    return np.asarray(cv2.distanceTransform((~changed).astype(np.uint8), cv2.DIST_L2, 5), np.float32)


def _blocks(mask: BoolArray) -> BoolArray:
    """Tell which blocks hold anything."""
    rows, columns = (-(-size // _BLOCK) * _BLOCK for size in mask.shape)
    padded = np.zeros((rows, columns), bool)
    padded[: mask.shape[0], : mask.shape[1]] = mask
    return np.asarray(padded.reshape(rows // _BLOCK, _BLOCK, columns // _BLOCK, _BLOCK).any(axis=(1, 3)))


def _away(blocks: BoolArray, whole: Rect, place: Rect | None) -> float:
    """Give how far the nearest of some blocks lies from the middle of a place."""
    if place is None:
        return 0.0
    rows, columns = np.nonzero(blocks)
    down = whole.top + rows * _BLOCK - (place.top + place.bottom) / 2
    right = whole.left + columns * _BLOCK - (place.left + place.right) / 2
    return float(np.hypot(down, right).min())


def _patch(ground: BoolArray, distance: FloatArray, whole: Rect) -> Patch:
    rows, columns = np.flatnonzero(ground.any(axis=1)) * _BLOCK, np.flatnonzero(ground.any(axis=0)) * _BLOCK
    top, left = whole.top + int(rows[0]), whole.left + int(columns[0])
    grown = Rect(top, left, whole.top + int(rows[-1]) + _BLOCK, whole.left + int(columns[-1]) + _BLOCK)
    window = grown.intersection(whole)
    part = ground[rows[0] // _BLOCK : rows[-1] // _BLOCK + 1, columns[0] // _BLOCK : columns[-1] // _BLOCK + 1]
    pixels = np.repeat(np.repeat(part, _BLOCK, axis=0), _BLOCK, axis=1)[: window.height, : window.width]
    own = np.where(pixels, distance[window.within(whole)], _FAR)
    return Patch(window, own, int(np.count_nonzero(own < _FAR)), pixels)
