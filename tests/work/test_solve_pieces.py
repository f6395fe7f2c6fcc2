from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from peel.errors import Cancelled
from peel.job.edits import marking
from peel.job.edits import values as edits
from peel.job.edits.marking import Stroke, Zone
from peel.job.job import MATTE_ONE, Job, Photo, new_job
from peel.job.rect import Rect
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.parallel import cancellable
from peel.work.solving.solve import solve_job
from peel.work.solving.solve_pieces import WIDEST, pieces_of

pytestmark = pytest.mark.slow

LEFT, RIGHT = (150, 200), (150, 900)


def _job(zones: np.ndarray, photo: np.ndarray) -> Job:
    pixels = np.round(photo * 255).astype(np.uint8)
    return edits.set_value(edits.use_zones(new_job(Photo("made.png", pixels)), zones), "photo.mixing", "value")


@pytest.fixture(scope="module")
def two_discs() -> Job:
    """Two soft discs, far apart, each with a band of its own."""
    ys, xs = np.mgrid[:300, :1100]
    away = np.minimum(*(np.hypot(ys - y, xs - x) for y, x in (LEFT, RIGHT)))
    alpha = np.clip((64 - away) / 8, 0, 1)[..., None]
    zones = np.full(away.shape, UNKNOWN, np.uint8)
    zones[away < 50], zones[away > 70] = FOREGROUND, BACKGROUND
    noise = np.random.default_rng(3).normal(0, 0.01, (*away.shape, 3))
    photo = alpha * [0.85, 0.5, 0.2] + (1 - alpha) * [0.15, 0.3, 0.6] + noise
    return _job(zones, np.clip(photo, 0, 1))


def _unsolved(job: Job, place: tuple[int, int]) -> bool:
    """Tell whether the band right of a disc's middle is still to be solved."""
    y, x = place
    return bool(job.unsolved.read(Rect(y, x + 60, y + 1, x + 61)).any())


@pytest.mark.parametrize(("place", "other"), [(LEFT, RIGHT), (RIGHT, LEFT)])
def test_what_is_nearest_to_the_last_change_is_solved_and_shown_first(
    two_discs: Job, place: tuple[int, int], other: tuple[int, int]
) -> None:
    shown: list[Job] = []
    y, x = place

    solved, _ = solve_job(two_discs, interim=shown.append, first=Rect(y, x, y + 1, x + 1))

    halfway = [job for job in shown if not _unsolved(job, place)]
    assert halfway
    assert _unsolved(halfway[0], other)
    assert solved.is_solved
    assert halfway[0].alpha(Rect(y, x + 60, y + 1, x + 61)) == solved.alpha(Rect(y, x + 60, y + 1, x + 61))


def test_going_on_after_an_interruption_gives_what_one_go_gives(two_discs: Job) -> None:
    whole, report = solve_job(two_discs)
    shown: list[Job] = []
    with pytest.raises(Cancelled), cancellable(lambda: all(_unsolved(job, LEFT) for job in shown)):
        solve_job(two_discs, interim=shown.append)

    rest, left = solve_job(shown[-1])

    assert left.unknowns == report.unknowns // 2
    assert np.array_equal(rest.matte.read(), whole.matte.read())


def test_progress_runs_once_from_beginning_to_end(two_discs: Job) -> None:
    shares: list[float] = []

    solve_job(two_discs, shares.append)

    assert min(shares) < 0.1
    assert max(shares) > 0.9
    second = [share >= 0.5 for share in shares]
    assert any(second)
    assert second == sorted(second), "the second piece goes on where the first one ended"


def _boxes() -> Any:
    at = st.integers(0, 560)
    box = st.tuples(at, at, st.integers(1, 90), st.integers(1, 90), st.sampled_from([BACKGROUND, UNKNOWN, FOREGROUND]))
    return st.lists(box, min_size=1, max_size=8)


@given(_boxes())
def test_every_pixel_to_be_solved_is_in_just_one_piece(boxes: list[tuple[int, int, int, int, int]]) -> None:
    zones = np.zeros((600, 620), np.uint8)
    for top, left, height, width, zone in boxes:
        zones[top : top + height, left : left + width] = zone
    job = _job(zones, np.zeros((600, 620, 3)))

    times = np.zeros(zones.shape, int)
    for piece in pieces_of(job):
        times[piece.window.slices] += piece.distance <= WIDEST
        reached = piece.within(WIDEST)
        assert reached.intersection(piece.window) == reached
        assert piece.size == np.count_nonzero(piece.distance <= WIDEST)

    assert np.array_equal(times, (zones == UNKNOWN).astype(int))


def test_a_change_away_from_any_band_leaves_the_matte_as_it_is(two_discs: Job) -> None:
    solved, _ = solve_job(two_discs)
    y, x = LEFT
    # 80 pixels beyond the band: near enough to be looked at, too far to matter
    changed = marking.paint_zone(solved, Stroke(((x + 160.0, float(y)),), 20), Zone.SUBJECT)

    again, report = solve_job(changed)

    assert not changed.is_solved
    assert again.is_solved
    assert report.unknowns == 0
    band = solved.zones.read() == UNKNOWN
    assert np.array_equal(again.matte.read()[band], solved.matte.read()[band])


@settings(max_examples=25)
@given(st.lists(st.tuples(st.integers(0, 1099), st.integers(0, 299), st.sampled_from(list(Zone))), max_size=4))
def test_whatever_is_painted_is_solved(two_discs: Job, places: list[tuple[int, int, Zone]]) -> None:
    job = two_discs
    for x, y, zone in places:
        job = marking.paint_zone(job, Stroke(((float(x), float(y)),), 30), zone)

    solved, _ = solve_job(job)

    assert solved.is_solved
    zones, matte = solved.zones.read(), solved.matte.read()
    assert (matte[zones == BACKGROUND] == 0).all()
    assert (matte[zones == FOREGROUND] == MATTE_ONE).all()
