"""Pictures inside a job file that stand on its sheet, each kept once under a name made from its contents."""

import sqlite3
import weakref
from collections.abc import Iterable, Mapping
from types import MappingProxyType

from peel.files.names import clean_name
from peel.job.assets import Asset

__all__ = ["AssetStore"]


class AssetStore:
    """Keeps assets in an open database; runs inside the caller's transaction."""

    def __init__(self, sql: sqlite3.Connection) -> None:
        self._sql = sql
        self._loaded: weakref.WeakValueDictionary[str, Asset] = weakref.WeakValueDictionary()

    def save(self, assets: Iterable[Asset]) -> None:
        """Store those that are new."""
        for asset in assets:
            known = self._sql.execute("SELECT 1 FROM asset WHERE digest = ?", (asset.digest,)).fetchone()
            if known is None:
                row = (asset.digest, asset.name, asset.height, asset.width, asset.content)
                self._sql.execute(
                    "INSERT INTO asset (digest, name, height, width, content) VALUES (?, ?, ?, ?, ?)", row
                )

    def load(self, digests: Iterable[str]) -> Mapping[str, Asset]:
        """Read assets; what is missing or is not what was stored is left out, and the job opens without it."""
        found = {}
        for digest in digests:
            asset = self._loaded.get(digest) or self._asset(digest)
            if asset is not None:
                found[digest] = self._loaded[digest] = asset
        return MappingProxyType(found)

    def _asset(self, digest: str) -> Asset | None:
        query = "SELECT name, height, width, content FROM asset WHERE digest = ?"
        try:
            row = self._sql.execute(query, (digest,)).fetchone()
        except sqlite3.DatabaseError:
            return None
        if row is None or not isinstance(row[3], bytes):
            return None
        name, height, width, content = row
        is_sized = all(isinstance(side, int) and 0 < side < 1 << 20 for side in (height, width))
        asset = Asset(clean_name(str(name)), content, int(height), int(width)) if is_sized else None
        return asset if asset is not None and asset.digest == digest else None

    def sweep(self) -> None:
        """Drop assets that no state's settings name."""
        self._sql.execute(
            "DELETE FROM asset WHERE NOT EXISTS (SELECT 1 FROM state WHERE instr(state.settings, asset.digest) > 0)"
        )
