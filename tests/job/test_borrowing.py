"""Brushing another version in: what changes, that no seam is left, and that it outlives a new solve."""

import numpy as np
import pytest

from conftest import soft_disc
from peel.errors import PhotoError
from peel.job.edits.touching import SoftStroke, Touch, borrow, has_touches, release, touch
from peel.job.edits.values import set_value, unsolve, use_zones, with_matte
from peel.job.history import UNSTORED, History, State
from peel.job.job import Job, Photo, new_job
from peel.job.rect import Rect
from peel.matte.arrays import FloatArray
from peel.work.solving.solve import solve_job
from peel.work.solving.versions import borrow_from, version_from_file, versions_of
from peel.work.stages import Cache, Stages

SPOT = SoftStroke(((300.0, 150.0),), 30, 0.5, 1.0)


@pytest.fixture(scope="module")
def solved() -> Job:
    photo, _, zones = soft_disc(300, 420, 90)
    job = new_job(Photo("disc.png", np.round(photo * 255).astype(np.uint8)))
    return solve_job(use_zones(job.with_recipe(band={"lay": "plain", "kinds": "none"}), zones))[0]


def _finished(job: Job, level: int = 0) -> FloatArray:
    return Stages(job.photo, Cache(8_000_000)).alpha(job, job.photo.space.bounds(level), level)


def _half(window: Rect) -> FloatArray:
    return np.full((window.height, window.width), 0.5, np.float32)


def test_under_the_brush_it_is_the_other_version_and_elsewhere_nothing_changes(solved: Job) -> None:
    after = _finished(borrow(solved, SPOT, _half))
    assert after[150, 300] == pytest.approx(0.5, abs=1 / 255)
    ys, xs = np.mgrid[:300, :420]
    away = np.hypot(ys + 0.5 - 150, xs + 0.5 - 300) > 32
    assert np.array_equal(after[away], _finished(solved)[away])


def test_it_fades_out_without_a_seam(solved: Job) -> None:
    flat = with_matte(solved, solved.photo.bounds, np.zeros((300, 420), np.float32))
    after = _finished(borrow(flat, SPOT, lambda window: 1.0 - _half(window) * 0))
    steps = np.abs(np.diff(after, axis=1))[150]
    assert steps.max() < 0.12  # over 30 px of radius, three fifths of it soft
    same = _finished(borrow(solved, SPOT, lambda window: solved.alpha(window)))
    assert np.abs(same - _finished(solved)).max() <= 2 / 255  # where both versions agree nothing is seen of the brush


def test_passes_add_up_and_versions_mix_in_their_order(solved: Job) -> None:
    weak = SoftStroke(SPOT.points, 30, 0.5, 0.5)
    job = solved
    for _ in range(2):
        job = borrow(job, weak, lambda window: _half(window) * 0)
    once = float(solved.alpha(solved.photo.bounds)[150, 296])
    assert _finished(job)[150, 296] == pytest.approx(once * 0.25, abs=0.01)
    job = borrow(job, weak, lambda window: _half(window) * 2)
    assert _finished(job)[150, 296] == pytest.approx(0.5 * once * 0.25 + 0.5, abs=0.01)


def test_other_touch_ups_give_way_and_later_ones_lie_over_it(solved: Job) -> None:
    solid = touch(solved, SoftStroke(SPOT.points, 60, 0.0), Touch.SOLID)
    job = borrow(solid, SPOT, _half)
    assert _finished(job)[150, 300] == pytest.approx(0.5, abs=2 / 255)
    assert _finished(touch(job, SPOT, Touch.CLEAR))[150, 300] < 0.02


def test_it_outlives_a_new_solve_is_shown_by_level_and_is_released(solved: Job) -> None:
    job = borrow(solved, SPOT, _half)
    again = solve_job(unsolve(job))[0]
    assert _finished(again)[150, 300] == pytest.approx(0.5, abs=2 / 255)
    assert _finished(job, 2)[37, 75] == pytest.approx(0.5, abs=0.02)
    back = release(job, SoftStroke(SPOT.points, 60, 0.0), "other version")
    assert not has_touches(back)
    assert np.array_equal(_finished(back), _finished(solved))


def test_versions_are_listed_the_latest_first_and_each_once(solved: Job) -> None:
    pulled = set_value(solved, "recipe.finish.everywhere.pull_px", 2.0)  # the same matte, shaped
    touched = touch(pulled, SPOT, Touch.CLEAR)
    labels = (("Solve", solved), ("Pull", pulled), ("Clear", touched))
    states = tuple(State(UNSTORED, label, job) for label, job in labels)
    named = [version.name for version in versions_of(History(states, 2))]
    assert named == ["Before touch-ups", "Pull"]
    assert [version.name for version in versions_of(History(states, 1))] == ["Clear (undone)"]
    borrowed = borrow_from(Stages(solved.photo, Cache(8_000_000)), touched, versions_of(History(states, 2))[1], SPOT)
    assert np.abs(_finished(borrowed) - _finished(pulled))[145:155, 295:305].max() < 2 / 255


def test_a_matte_of_another_size_is_refused(solved: Job, tmp_path) -> None:
    import imagecodecs

    path = tmp_path / "square.png"
    path.write_bytes(imagecodecs.png_encode(np.eye(50, dtype=np.uint8) * 255))
    with pytest.raises(PhotoError, match="50 × 50"):
        version_from_file(path, solved)
