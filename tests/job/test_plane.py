import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from peel.job.plane import TILE, Plane
from peel.job.rect import Rect


def _rects(height: int, width: int) -> st.SearchStrategy[Rect]:
    rows = st.tuples(st.integers(0, height - 1), st.integers(1, height)).filter(lambda pair: pair[0] < pair[1])
    columns = st.tuples(st.integers(0, width - 1), st.integers(1, width)).filter(lambda pair: pair[0] < pair[1])
    return st.builds(lambda r, c: Rect(r[0], c[0], r[1], c[1]), rows, columns)


@given(st.data())
def test_behaves_like_an_array(data: st.DataObject) -> None:
    height, width = data.draw(st.integers(1, 600)), data.draw(st.integers(1, 600))
    plane = Plane.filled(height, width, 7)
    model = np.full((height, width), 7, np.uint8)

    for value in data.draw(st.lists(st.integers(0, 255), max_size=5)):
        rect = data.draw(_rects(height, width))
        before, kept = plane, model.copy()
        plane = plane.write(rect, np.full((rect.height, rect.width), value, np.uint8))
        model[rect.slices] = value
        assert np.array_equal(before.read(), kept)

    assert np.array_equal(plane.read(), model)
    rect = data.draw(_rects(height, width))
    assert np.array_equal(plane.read(rect), model[rect.slices])


def test_untouched_tiles_are_shared_and_changes_named() -> None:
    before = Plane.filled(3 * TILE, 3 * TILE, 0)

    after = before.write(Rect(300, 300, 310, 310), np.ones((10, 10), np.uint8))

    assert after.changes(before) == [Rect(TILE, TILE, 2 * TILE, 2 * TILE)]
    assert sum(new is old for new, old in zip(after.tiles, before.tiles, strict=True)) == 8


def test_writing_the_same_values_changes_nothing() -> None:
    plane = Plane.from_array(np.arange(90000, dtype=np.uint16).reshape(300, 300))

    again = plane.write(plane.bounds, plane.read())

    assert again.changes(plane) == []


def test_a_tile_that_becomes_one_value_costs_one_value() -> None:
    plane = Plane.from_array(np.random.default_rng(0).integers(0, 9, (256, 256), np.uint8))

    plane = plane.write(plane.bounds, np.full((256, 256), 5, np.uint8))

    assert plane.tiles[0].constant == 5
    assert plane.constant_in(plane.bounds) == 5


def test_values_cannot_be_changed_behind_its_back() -> None:
    tile = Plane.from_array(np.arange(100, dtype=np.uint8).reshape(10, 10)).tiles[0]

    with pytest.raises(ValueError, match="read-only"):
        tile.values[0, 0] = 1


def test_equal_contents_have_equal_names() -> None:
    values = np.arange(2500, dtype=np.uint16).reshape(50, 50)

    first, second = Plane.from_array(values).tiles[0], Plane.from_array(values.copy()).tiles[0]

    assert first.digest == second.digest
    assert first.digest != Plane.from_array(values + 1).tiles[0].digest
