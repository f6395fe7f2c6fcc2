import gc
import weakref
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import soft_disc
from peel.job.edits import values as edits
from peel.job.job import Job, Photo, new_job
from peel.job.placing.sheet import Placement, Sheet, sheet_of
from peel.job.plane import Tile
from peel.job.rect import Rect
from peel.job.settings import Backing, Grade
from peel.job.space import Space
from peel.matte.composite.over import composite_over
from peel.work.stages import Cache, Stages
from peel.work.stages.chain import CELL, Chain, Stage


@pytest.fixture(scope="module")
def cut() -> Job:
    """A disc in a picture of several tiles, with its true matte."""
    photo, alpha, zones = soft_disc(300, 600, 110)
    job = edits.use_zones(new_job(Photo("disc.png", np.round(photo * 255).astype(np.uint8))), zones)
    return edits.with_matte(job, job.photo.bounds, alpha)


class _Doubled(Stage):
    """Doubles what comes before, and counts how often it is asked."""

    reach = 3

    def __init__(self) -> None:
        self.made = 0
        self.amount = 2.0

    def stamp(self, job: Job, rect: Rect, level: int) -> Any:
        return self.amount

    def make(self, job: Job, rect: Rect, level: int, before: Any) -> np.ndarray:
        self.made += 1
        around = rect.grown(self.reach).intersection(job.photo.space.bounds(level))
        return before(around)[rect.within(around)] * np.float32(self.amount)


class _Ramp(Stage):
    """Counts columns."""

    def stamp(self, job: Job, rect: Rect, level: int) -> Any:
        return 0

    def make(self, job: Job, rect: Rect, level: int, before: Any) -> np.ndarray:
        return np.tile(np.arange(rect.left, rect.right, dtype=np.float32), (rect.height, 1))


@settings(max_examples=30)
@given(st.data())
def test_any_window_of_a_chain_is_that_part_of_the_whole(cut: Job, data: st.DataObject) -> None:
    chain = Chain([_Ramp(), _Doubled()], cut.photo.space, Cache(10_000_000))
    top, left = data.draw(st.integers(0, 298)), data.draw(st.integers(0, 598))
    rect = Rect(top, left, data.draw(st.integers(top + 1, 300)), data.draw(st.integers(left + 1, 600)))

    window = chain.window(cut, rect, 0)

    assert np.array_equal(window, chain.window(cut, cut.photo.bounds, 0)[rect.slices])
    assert window.flags.writeable


def test_a_stage_is_made_again_only_where_what_it_depends_on_changed(cut: Job) -> None:
    stage = _Doubled()
    chain = Chain([_Ramp(), stage], cut.photo.space, Cache(10_000_000))
    before = chain.stamp(cut, cut.photo.bounds, 0)
    chain.window(cut, cut.photo.bounds, 0)
    made = stage.made

    chain.window(cut, cut.photo.bounds, 0)
    assert stage.made == made
    stage.amount = 3.0

    assert chain.stamp(cut, cut.photo.bounds, 0) != before
    assert chain.window(cut, Rect(0, 0, 10, 10), 0)[0, 2] == 6
    assert stage.made == made + 1


def test_a_change_beyond_a_stages_reach_leaves_its_stamp(cut: Job) -> None:
    stages = Stages(cut.photo)
    here = Rect(0, 0, 100, 100)
    before = stages.colours.stamp(cut, here, 0)

    far = edits.with_matte(cut, Rect(280, 580, 300, 600), np.ones((20, 20), np.float32))
    near = edits.with_matte(cut, Rect(90, 90, 110, 110), np.ones((20, 20), np.float32))

    assert stages.colours.stamp(far, here, 0) == before
    assert stages.colours.stamp(near, here, 0) != before


def test_the_cache_keeps_to_its_budget_and_keeps_no_tile_alive(cut: Job) -> None:
    cache = Cache(2_000_000)
    stages = Stages(cut.photo, cache)
    job = edits.with_matte(cut, Rect(0, 0, 300, 600), cut.alpha(cut.photo.bounds) * np.float32(0.5))
    shared = set(cut.matte.tiles)
    tiles = [weakref.ref(tile) for tile in job.matte.tiles if tile not in shared]
    assert tiles
    for level in range(4):
        stages.foreground(job, job.photo.space.bounds(level), level)
        stages.alpha(job, job.photo.space.bounds(level), level)

    assert 0 < cache.spent_bytes <= 2_000_000 + CELL * CELL * 12
    del job
    gc.collect()
    assert [tile() for tile in tiles] == [None] * len(tiles)


def test_tiles_have_serials_of_their_own() -> None:
    serials = [Tile(np.zeros((2, 2), np.uint8)).serial for _ in range(5)]

    assert len(set(serials)) == 5


def test_a_cached_array_cannot_be_written_to() -> None:
    kept = Cache(1000).get("key", lambda: np.zeros(4, np.float32))

    with pytest.raises(ValueError, match="read-only"):
        kept[0] = 1


def _white(rect: Rect) -> np.ndarray:
    return np.ones((rect.height, rect.width, 3), np.float32)


def _at(job: Job, top: int, left: int) -> Placement:
    height, width = job.photo.height, job.photo.width
    corners = ((left, top), (left + width, top), (left + width, top + height), (left, top + height))
    return Placement(job, None, (height, width), corners, Grade(), False)


def test_todays_sheet_is_the_cutout_in_its_own_frame(cut: Job) -> None:
    stages, sheet = Stages(cut.photo), sheet_of(cut)

    shown = stages.sheet(sheet, cut.photo.bounds, 0, _white)

    assert sheet.space == cut.photo.space
    assert np.array_equal(shown, stages.composite(cut, cut.photo.bounds, 0, (1.0, 1.0, 1.0)))


@pytest.mark.parametrize("level", [0, 1])
def test_cutouts_lie_where_they_are_placed_one_over_the_other(cut: Job, level: int) -> None:
    stages, space = Stages(cut.photo), Space(500, 700)
    backing = Backing(kind="colour", colour="#336699")
    sheet = Sheet(cut, space, backing, (_at(cut, 0, 0), _at(cut, 150, -100)))

    shown = stages.sheet(sheet, space.bounds(level), level, _white)

    step = 1 << level
    expected = np.broadcast_to(np.array([0x33, 0x66, 0x99], np.float32) / 255, shown.shape).copy()
    whole = cut.photo.space.bounds(level)
    colours, alpha = stages.foreground(cut, whole, level), stages.alpha(cut, whole, level)
    expected[: whole.height, : whole.width] = composite_over(colours, expected[: whole.height, : whole.width], alpha)
    down, right = 150 // step, 100 // step
    lower = expected[down : down + whole.height, : whole.width - right]
    lower[:] = composite_over(
        np.ascontiguousarray(colours[: len(lower), right:]),
        lower.copy(),
        np.ascontiguousarray(alpha[: len(lower), right:]),
    )
    np.testing.assert_allclose(shown, expected, atol=1e-6)


def test_points_are_carried_between_photo_and_sheet(cut: Job) -> None:
    sheet = Sheet(cut, Space(900, 900), Backing(), (_at(cut, 40, 25),), 40, 25)

    assert sheet.from_photo(10, 20) == (35, 60)
    assert sheet.to_photo(*sheet.from_photo(3.5, 4.25)) == (3.5, 4.25)


def test_a_sheets_stamp_follows_what_can_be_seen_of_its_cutouts(cut: Job) -> None:
    stages, space = Stages(cut.photo), Space(1000, 1000)
    sheet = Sheet(cut, space, Backing(), (_at(cut, 500, 0),))
    other = cut.with_recipe(colour={"clean": 0.2})
    changed = Sheet(other, space, Backing(), (_at(other, 500, 0),))

    above, below = Rect(0, 0, 100, 100), Rect(600, 200, 700, 400)

    assert stages.sheet_stamp(sheet, above, 0) == stages.sheet_stamp(changed, above, 0)
    assert stages.sheet_stamp(sheet, below, 0) != stages.sheet_stamp(changed, below, 0)
