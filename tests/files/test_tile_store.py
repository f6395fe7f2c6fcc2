"""Planes in a job's file: checked against the photo and their table when they are read."""

import json
import sqlite3
from collections.abc import Iterator

import numpy as np
import pytest

from peel.files.migrations import SCHEMA
from peel.files.tile_store import TileStore
from peel.job.plane import Plane
from peel.job.planes import PLANES
from peel.job.rect import Rect

SPEC = PLANES["marks"]


@pytest.fixture
def sql() -> Iterator[sqlite3.Connection]:
    connection = sqlite3.connect(":memory:", isolation_level=None)
    for statement in SCHEMA:
        connection.execute(statement)
    yield connection
    connection.close()


def _plane() -> Plane:
    """Three tiles: one of zeros, one of ones, one of both kinds of marks."""
    plane = Plane.filled(200, 600, 0).write(Rect(0, 256, 200, 512), np.ones((200, 256), np.uint8))
    return plane.write(Rect(10, 520, 90, 580), np.full((80, 60), 2, np.uint8))


def test_a_plane_comes_back_and_shares_its_tiles(sql: sqlite3.Connection) -> None:
    store = TileStore(sql)
    digest = store.save_plane("marks", _plane())

    loaded, again = (store.load_plane(digest, SPEC, 200, 600) for _ in range(2))

    assert np.array_equal(loaded.read(), _plane().read())
    assert [tile.constant for tile in loaded.tiles] == [0, 1, None]
    assert again.tiles[2] is loaded.tiles[2]
    assert store.save_plane("marks", _plane()) == digest
    assert (
        sql.execute("SELECT count(*) FROM plane").fetchone()
        == sql.execute("SELECT count(*) FROM tile").fetchone()
        == (1,)
    )


@pytest.mark.parametrize(("height", "width"), [(200, 601), (201, 600), (256, 700), (600, 200)])
def test_a_plane_of_another_size_is_none(sql: sqlite3.Connection, height: int, width: int) -> None:
    store = TileStore(sql)
    digest = store.save_plane("marks", _plane())
    with pytest.raises(ValueError, match="does not fit the photo"):
        store.load_plane(digest, SPEC, height, width)


@pytest.mark.parametrize(
    ("entry", "says"),
    [(256, "no value of a tile"), (-1, "no value of a tile"), (3, "not legal in marks"), ("0123", "is missing")],
)
def test_damaged_entries_are_refused(sql: sqlite3.Connection, entry: object, says: str) -> None:
    store = TileStore(sql)
    digest = store.save_plane("marks", _plane())
    body = json.loads(sql.execute("SELECT body FROM plane").fetchone()[0])
    body["tiles"][0] = entry
    sql.execute("UPDATE plane SET body = ?", (json.dumps(body),))
    with pytest.raises(ValueError, match=says):
        store.load_plane(digest, SPEC, 200, 600)


@pytest.mark.parametrize("tiles", [[], [0], [0, 1], [0, 1, 0, 0]])
def test_a_record_with_too_few_or_too_many_tiles_is_refused(sql: sqlite3.Connection, tiles: list[int]) -> None:
    store = TileStore(sql)
    digest = store.save_plane("marks", _plane())
    body = json.loads(sql.execute("SELECT body FROM plane").fetchone()[0])
    body["tiles"] = tiles
    sql.execute("UPDATE plane SET body = ?", (json.dumps(body),))
    with pytest.raises(ValueError, match="does not fit"):
        store.load_plane(digest, SPEC, 200, 600)


def test_damaged_tiles_are_told_from_missing_ones(sql: sqlite3.Connection) -> None:
    digest = TileStore(sql).save_plane("marks", _plane())
    content = sql.execute("SELECT content FROM tile").fetchone()[0]

    sql.execute("UPDATE tile SET content = ?", (content[:-4] + b"xxxx",))
    with pytest.raises(ValueError, match="is damaged"):
        TileStore(sql).load_plane(digest, SPEC, 200, 600)
    sql.execute("UPDATE tile SET content = ?", (bytes(400_000),))
    with pytest.raises(ValueError, match="is missing"):
        TileStore(sql).load_plane(digest, SPEC, 200, 600)
    sql.execute("DELETE FROM plane")
    with pytest.raises(ValueError, match="is missing"):
        TileStore(sql).load_plane(digest, SPEC, 200, 600)


def _refer(sql: sqlite3.Connection, planes: str) -> None:
    sql.execute("INSERT INTO state (number, time, label, settings, planes) VALUES (1, 0, '', '{}', ?)", (planes,))


def test_sweeping_keeps_what_states_refer_to_and_stops_where_anything_is_missing(sql: sqlite3.Connection) -> None:
    store = TileStore(sql)
    kept = store.save_plane("marks", _plane())
    other = store.save_plane("marks", _plane().write(Rect(0, 0, 5, 5), np.ones((5, 5), np.uint8)))

    def left() -> set[str]:
        return {name for (name,) in sql.execute("SELECT digest FROM plane")}

    for damaged in ('{"marks": "0123"}', "no json", "[1]"):
        _refer(sql, damaged)
        store.sweep()
        assert left() == {kept, other}
        sql.execute("DELETE FROM state")
    _refer(sql, json.dumps({"marks": kept}))
    store.sweep()
    assert left() == {kept}
    assert sql.execute("SELECT count(*) FROM tile").fetchone() == (1,)
    sql.execute("DELETE FROM tile")
    store.save_plane("marks", Plane.filled(200, 600, 1))
    store.sweep()
    assert len(left()) == 2, "a tile that is referred to is missing: nothing is swept"
