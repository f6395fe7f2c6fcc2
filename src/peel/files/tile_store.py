"""Planes and tiles inside a job file, each kept once under a name made from its contents."""

import hashlib
import json
import sqlite3
import weakref
import zlib
from typing import Any, Final

import numpy as np

from peel.job.plane import TILE, Plane, Tile
from peel.job.planes import PlaneSpec

__all__ = ["TileStore"]

_DTYPES: Final = {"u1": np.dtype("u1"), "u2": np.dtype("<u2")}  # as they lie in the file
_TILE_BYTES: Final = 2 * TILE * TILE
_MAX_BODY_BYTES: Final = 1_000_000  # of the largest photo it is a tenth of that
_LEVEL: Final = 1  # zlib's quickest: zones and mattes shrink well at any level


class TileStore:
    """Keeps planes in an open database; runs inside the caller's transaction."""

    def __init__(self, sql: sqlite3.Connection) -> None:
        self._sql = sql
        self._loaded: weakref.WeakValueDictionary[str, Tile] = weakref.WeakValueDictionary()
        self._saved: dict[str, tuple[Plane, str]] = {}

    def save_plane(self, name: str, plane: Plane) -> str:
        """Store a plane and those of its tiles that are new; return its digest.

        The plane object that was saved last under a name is known to be in the file and is skipped.
        """
        last = self._saved.get(name)
        if last is not None and last[0] is plane:
            return last[1]
        tiles: list[int | str] = []
        for tile in plane.tiles:
            constant = tile.constant
            if constant is None:
                self._save_tile(tile)
            tiles.append(tile.digest if constant is None else constant)
        kind = "u1" if plane.dtype.itemsize == 1 else "u2"
        body = json.dumps({"size": [plane.height, plane.width], "kind": kind, "tiles": tiles}, separators=(",", ":"))
        digest = hashlib.blake2b(body.encode(), digest_size=12).hexdigest()
        self._sql.execute("INSERT OR IGNORE INTO plane (digest, body) VALUES (?, ?)", (digest, body))
        self._saved[name] = (plane, digest)
        return digest

    def forget_saved(self) -> None:
        """Take nothing for saved any more: the transaction it belonged to did not end well."""
        self._saved.clear()

    def _save_tile(self, tile: Tile) -> None:
        present = self._sql.execute("SELECT 1 FROM tile WHERE digest = ?", (tile.digest,)).fetchone()
        if present is None:
            values = np.ascontiguousarray(tile.values)
            content = zlib.compress(values.astype(values.dtype.newbyteorder("<"), copy=False).tobytes(), _LEVEL)
            self._sql.execute("INSERT INTO tile (digest, content) VALUES (?, ?)", (tile.digest, content))

    def load_plane(self, digest: str, spec: PlaneSpec, height: int, width: int) -> Plane:
        """Read a plane of a known size, and check it against the table.

        Raises
        ------
        ValueError
            If it is missing, damaged, of another size or dtype, or holds values that are not legal in it.
        """
        query = "SELECT body FROM plane WHERE digest = ? AND length(body) < ?"
        row = self._sql.execute(query, (digest, _MAX_BODY_BYTES)).fetchone()
        if row is None:
            msg = f"plane {digest} is missing"
            raise ValueError(msg)
        body = json.loads(row[0])
        blank = Plane.filled(height, width, 0, _DTYPES[body["kind"]])
        if body["size"] != [height, width] or len(body["tiles"]) != len(blank.tiles):
            msg = f"plane {digest} does not fit the photo"
            raise ValueError(msg)
        tiles = tuple(
            self._tile(entry, old, blank.dtype) for entry, old in zip(body["tiles"], blank.tiles, strict=True)
        )
        if not all(spec.allows(tile.sample) for tile in set(tiles)):
            msg = f"plane {digest} holds values that are not legal in {spec.name}"
            raise ValueError(msg)
        return Plane(height, width, spec.dtype, tiles)

    def _tile(self, entry: int | str, blank: Tile, dtype: np.dtype[Any]) -> Tile:
        shape = blank.values.shape
        if isinstance(entry, int):
            if not 0 <= entry <= np.iinfo(dtype).max:
                msg = f"{entry} is no value of a tile"
                raise ValueError(msg)
            return blank if entry == 0 else Tile(np.broadcast_to(dtype.type(entry), shape))
        known = self._loaded.get(entry)
        if known is not None and known.values.shape == shape and known.values.dtype == dtype:
            return known
        query = "SELECT content FROM tile WHERE digest = ? AND length(content) < ?"
        row = self._sql.execute(query, (str(entry), 2 * _TILE_BYTES)).fetchone()
        if row is None:
            msg = f"tile {entry} is missing"
            raise ValueError(msg)
        try:
            # never unpack more than a tile can hold, whatever the file says
            content = zlib.decompressobj().decompress(row[0], _TILE_BYTES + 1)
        except zlib.error as error:
            msg = f"tile {entry} is damaged"
            raise ValueError(msg) from error
        values = np.frombuffer(content, dtype)
        tile = Tile(values.reshape(shape).astype(dtype.newbyteorder("=")))
        if tile.digest != entry:
            msg = f"tile {entry} is damaged"
            raise ValueError(msg)
        self._loaded[entry] = tile
        return tile

    def sweep(self) -> None:
        """Drop planes and tiles that no state refers to; none at all where anything that is referred to is missing.

        A reference that damage has changed points nowhere, and what it pointed to would be swept.
        """
        try:
            planes, tiles = self._in_use()
        except (ValueError, KeyError, TypeError, AttributeError, RecursionError):  # a record that damage has changed
            return
        for table, used in (("plane", planes), ("tile", tiles)):
            present = {name for (name,) in self._sql.execute(f"SELECT digest FROM {table}")}  # noqa: S608 - one of two
            if not used <= present:
                return
        for table, used in (("plane", planes), ("tile", tiles)):
            for (name,) in self._sql.execute(f"SELECT digest FROM {table}").fetchall():  # noqa: S608 - the same
                if name not in used:
                    self._sql.execute(f"DELETE FROM {table} WHERE digest = ?", (name,))  # noqa: S608 - the same

    def _in_use(self) -> tuple[set[str], set[str]]:
        """Return the digests of planes and of tiles that states refer to."""
        rows = self._sql.execute("SELECT planes FROM state").fetchall()
        planes = {str(name) for (text,) in rows for name in json.loads(text).values()}
        tiles: set[str] = set()
        for name, body in self._sql.execute("SELECT digest, body FROM plane").fetchall():
            if name in planes:
                tiles.update(entry for entry in json.loads(body)["tiles"] if isinstance(entry, str))
        return planes, tiles
