"""Immutable rasters in tiles, shared between the states of a job."""

import hashlib
from collections.abc import Iterator
from functools import cached_property
from itertools import count
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from peel.job.rect import Rect

__all__ = ["TILE", "Plane", "Raster", "Tile", "sampled"]

TILE: Final = 256
Raster = NDArray[Any]
_serials = count()


class Tile:
    """One tile's values, never changed; two planes that share a tile share the object.

    Parameters
    ----------
    values : (H, W) ndarray
        At most 256 x 256; taken over and made read-only. A constant tile keeps a single value.

    Attributes
    ----------
    serial : int
        Unique in the process: it stands for the tile in cache keys, which must not keep the tile alive.
    """

    __slots__ = ("__dict__", "__weakref__", "serial", "values")

    def __init__(self, values: Raster) -> None:
        self.serial = next(_serials)
        first = values.flat[0]
        if values.strides != (0, 0) and (values == first).all():
            values = np.broadcast_to(first, values.shape)
        else:
            values.flags.writeable = False
        self.values = values

    @property
    def constant(self) -> int | None:
        """The single value held, or None."""
        return int(self.values.flat[0]) if self.values.strides == (0, 0) else None

    @property
    def sample(self) -> Raster:
        """Every value that occurs: all of them, or the single one of a constant tile."""
        return self.values if self.constant is None else self.values[:1, :1]

    @cached_property
    def digest(self) -> str:
        """Name of the contents, the same for the same contents in any file."""
        content = np.ascontiguousarray(self.values)
        head = f"{content.dtype.str}{content.shape}".encode()
        return hashlib.blake2b(head + content.tobytes(), digest_size=12).hexdigest()


class Plane:
    """An immutable raster of 8- or 16-bit values.

    Parameters
    ----------
    height, width : int
        Size in pixels.
    dtype : numpy dtype
    tiles : tuple of Tile
        In reading order.
    """

    __slots__ = ("__weakref__", "dtype", "height", "tiles", "width")

    def __init__(self, height: int, width: int, dtype: np.dtype[Any], tiles: tuple[Tile, ...]) -> None:
        self.height, self.width, self.dtype, self.tiles = height, width, dtype, tiles

    @classmethod
    def filled(cls, height: int, width: int, value: int, dtype: Any = np.uint8) -> "Plane":
        """Make a plane of one value; costs next to nothing."""
        kind = np.dtype(dtype)
        shared: dict[tuple[int, int], Tile] = {}
        tiles = []
        for rect in _grid(height, width):
            size = (rect.height, rect.width)
            if size not in shared:
                shared[size] = Tile(np.broadcast_to(kind.type(value), size))
            tiles.append(shared[size])
        return cls(height, width, kind, tuple(tiles))

    @classmethod
    def from_array(cls, array: Raster) -> "Plane":
        """Make a plane of a (H, W) array, which is copied."""
        height, width = array.shape
        tiles = tuple(Tile(array[rect.slices].copy()) for rect in _grid(height, width))
        return cls(height, width, array.dtype, tiles)

    @property
    def columns(self) -> int:
        """Tiles in a row."""
        return -(-self.width // TILE)

    @property
    def rows(self) -> int:
        """Rows of tiles."""
        return -(-self.height // TILE)

    @property
    def bounds(self) -> Rect:
        """The whole raster."""
        return Rect(0, 0, self.height, self.width)

    def tile_rect(self, number: int) -> Rect:
        """Return the pixels a tile covers."""
        row, column = divmod(number, self.columns)
        top, left = row * TILE, column * TILE
        return Rect(top, left, min(top + TILE, self.height), min(left + TILE, self.width))

    def touching(self, rect: Rect) -> Iterator[int]:
        """Return the numbers of the tiles that a rectangle touches."""
        inside = rect.intersection(self.bounds)
        if inside.is_empty:
            return
        for row in range(inside.top // TILE, (inside.bottom - 1) // TILE + 1):
            for column in range(inside.left // TILE, (inside.right - 1) // TILE + 1):
                yield row * self.columns + column

    def stamp(self, rect: Rect) -> tuple[int, ...]:
        """Return the serials of the tiles that a rectangle touches: equal stamps mean equal values there."""
        return tuple(self.tiles[number].serial for number in self.touching(rect))

    def constant_in(self, rect: Rect) -> int | None:
        """Return the one value that all tiles under a rectangle hold, or None; reads no pixel."""
        values = {self.tiles[number].constant for number in self.touching(rect)}
        return values.pop() if len(values) == 1 else None

    def read(self, rect: Rect | None = None) -> Raster:
        """Copy a window, which must lie inside, to a contiguous array."""
        rect = rect or self.bounds
        out = np.empty((rect.height, rect.width), self.dtype)
        for number in self.touching(rect):
            here = self.tile_rect(number)
            part = here.intersection(rect)
            out[part.within(rect)] = self.tiles[number].values[part.within(here)]
        return out

    def sampled(self, height: int, width: int) -> Raster:
        """Return a small copy: the value at the middle of each of height x width cells."""
        rows, columns = _middles(self.height, height), _middles(self.width, width)
        across = np.searchsorted(rows, np.arange(self.rows + 1) * TILE)
        along = np.searchsorted(columns, np.arange(self.columns + 1) * TILE)
        out = np.empty((height, width), self.dtype)
        for number, tile in enumerate(self.tiles):
            row, column = divmod(number, self.columns)
            here = slice(across[row], across[row + 1]), slice(along[column], along[column + 1])
            if tile.constant is not None:
                out[here] = tile.constant
            else:
                out[here] = tile.values[np.ix_(rows[here[0]] - row * TILE, columns[here[1]] - column * TILE)]
        return out

    def write(self, rect: Rect, array: Raster) -> "Plane":
        """Return a plane with a window replaced; tiles whose values stay the same stay shared."""
        tiles = list(self.tiles)
        for number in self.touching(rect):
            here = self.tile_rect(number)
            part = here.intersection(rect)
            old = self.tiles[number].values
            new = array[part.within(rect)]
            if np.array_equal(old[part.within(here)], new):
                continue
            values = np.array(old, copy=True)
            values[part.within(here)] = new
            tiles[number] = Tile(values)
        return Plane(self.height, self.width, self.dtype, tuple(tiles))

    def changes(self, since: "Plane") -> list[Rect]:
        """List the tiles' rectangles in which this plane may differ from another of its size."""
        if since is self:
            return []
        pairs = zip(self.tiles, since.tiles, strict=True)
        return [self.tile_rect(number) for number, (new, old) in enumerate(pairs) if new is not old]


def sampled(picture: Raster, height: int, width: int) -> Raster:
    """Return a small copy of a picture: the pixels that `Plane.sampled` looks at.

    The picture is (H, W, ...).
    """
    return picture[np.ix_(_middles(picture.shape[0], height), _middles(picture.shape[1], width))]


def _middles(size: int, cells: int) -> NDArray[np.int64]:
    return ((np.arange(cells) + 0.5) * size / cells).astype(int)


def _grid(height: int, width: int) -> Iterator[Rect]:
    """List the tiles' rectangles in reading order."""
    for top in range(0, height, TILE):
        for left in range(0, width, TILE):
            yield Rect(top, left, min(top + TILE, height), min(left + TILE, width))
