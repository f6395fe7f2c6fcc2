"""The unsolved part of a job, split into pieces of band that can be solved independently."""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.parallel import checkpoint
from peel.matte.solve.closed_form import WINDOW_REACH, band_window

__all__ = ["NEAR", "WIDEST", "SolvePiece", "pieces_of", "unsolved_rect"]

NEAR: Final = 64  # pixels around a change that are free in the first local solve
WIDEST: Final = 516  # pixels around a change beyond which the matte never moves
_BLOCK: Final = 16  # side, in pixels, of the blocks over which pieces are labelled
_MERGE_RADIUS_BLOCKS: Final = 9  # dilation that merges nearby pieces; closer ones share colour samples anyway
_FAR: Final = np.float32(1e9)


@dataclass(frozen=True, eq=False)
class SolvePiece:
    """A piece of band that can be solved independently.

    Attributes
    ----------
    window : Rect
        In the photo; a few pixels wider than the piece.
    distance : (H, W) float32 ndarray
        Distance of the piece's pixels from the nearest change, in pixels; 1e9 outside the piece.
    size : int
        Number of pixels.
    footprint : (H, W) bool ndarray
        Where changes count as solved once this piece is.
    """

    window: Rect
    distance: FloatArray
    size: int
    footprint: BoolArray

    def within(self, reach: float) -> Rect:
        """Return the window around the pixels within `reach` of a change."""
        found = band_window(self.distance <= reach)
        assert found is not None, "a piece has something near a change"
        rows, columns = found
        top, left = self.window.top, self.window.left
        around = Rect(top + rows.start, left + columns.start, top + rows.stop, left + columns.stop)
        return around.intersection(self.window)

    def settled(self, job: Job) -> Job:
        """Mark the piece as solved."""
        left = job.unsolved.read(self.window)
        left[self.footprint] = 0
        return job.with_planes(unsolved=job.unsolved.write(self.window, left))


def unsolved_rect(job: Job) -> Rect:
    """Return the smallest rectangle of whole tiles around everything unsolved; empty if nothing is."""
    tiles = enumerate(job.unsolved.tiles)
    return Rect.around(job.unsolved.tile_rect(number) for number, tile in tiles if tile.constant != 0)


def pieces_of(job: Job, first: Rect | None = None) -> list[SolvePiece]:
    """List the pieces to be solved, the nearest to a place first.

    Parameters
    ----------
    job : Job
    first : Rect, optional
        Where the last change was made.
    """
    tiles = unsolved_rect(job)
    if tiles.is_empty:
        return []
    whole = tiles.grown(WIDEST + WINDOW_REACH).intersection(job.photo.bounds)
    distance = _distance(job.unsolved.read(whole) > 0)
    checkpoint()
    zones = job.zones.read(whole)
    distance[(zones == BACKGROUND) | (zones == FOREGROUND) | (distance > WIDEST)] = _FAR
    checkpoint()
    blocks = _blocks(distance < _FAR)
    size = 2 * _MERGE_RADIUS_BLOCKS + 1
    count, labels = cv2.connectedComponents(cv2.dilate(blocks.astype(np.uint8), np.ones((size, size), np.uint8)))
    numbers = sorted(range(1, count), key=lambda number: _away((labels == number) & blocks, whole, first))
    pieces = [_piece(labels == number, distance, whole) for number in numbers]
    return [piece for piece in pieces if (piece.distance <= NEAR).any()]  # farther ones keep their matte


def _distance(changed: BoolArray) -> FloatArray:
    if changed.all():
        return np.zeros(changed.shape, np.float32)
    return np.asarray(cv2.distanceTransform((~changed).astype(np.uint8), cv2.DIST_L2, 5), np.float32)


def _blocks(mask: BoolArray) -> BoolArray:
    """Return which blocks contain a set pixel."""
    rows, columns = (-(-size // _BLOCK) * _BLOCK for size in mask.shape)
    padded = np.zeros((rows, columns), bool)
    padded[: mask.shape[0], : mask.shape[1]] = mask
    return np.asarray(padded.reshape(rows // _BLOCK, _BLOCK, columns // _BLOCK, _BLOCK).any(axis=(1, 3)))


def _away(blocks: BoolArray, whole: Rect, place: Rect | None) -> float:
    """Return the distance of the nearest of some blocks from the centre of a place."""
    if place is None:
        return 0.0
    rows, columns = np.nonzero(blocks)
    down = whole.top + rows * _BLOCK - (place.top + place.bottom) / 2
    right = whole.left + columns * _BLOCK - (place.left + place.right) / 2
    return float(np.hypot(down, right).min())


def _piece(footprint: BoolArray, distance: FloatArray, whole: Rect) -> SolvePiece:
    rows, columns = np.flatnonzero(footprint.any(axis=1)) * _BLOCK, np.flatnonzero(footprint.any(axis=0)) * _BLOCK
    top, left = whole.top + int(rows[0]), whole.left + int(columns[0])
    grown = Rect(top, left, whole.top + int(rows[-1]) + _BLOCK, whole.left + int(columns[-1]) + _BLOCK)
    window = grown.intersection(whole)
    part = footprint[rows[0] // _BLOCK : rows[-1] // _BLOCK + 1, columns[0] // _BLOCK : columns[-1] // _BLOCK + 1]
    pixels = np.repeat(np.repeat(part, _BLOCK, axis=0), _BLOCK, axis=1)[: window.height, : window.width]
    own = np.where(pixels, distance[window.within(whole)], _FAR)
    return SolvePiece(window, own, int(np.count_nonzero(own < _FAR)), pixels)
