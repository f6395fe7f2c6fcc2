"""A stroke's own solve against a solve of everything."""

from typing import Any

import numpy as np
import pytest

from peel.job.edits import marking
from peel.job.edits.marking import Stroke, Zone
from peel.job.edits.values import use_zones
from peel.job.job import Job, Photo, new_job
from peel.matte.solve.closed_form import Given, solve_matte
from peel.matte.solve.conjugate_gradients import SolveReport
from peel.work.solving import free_pixels
from peel.work.solving import solve as solving
from peel.work.solving.solve import solve_job

pytestmark = pytest.mark.slow


def _strands() -> Job:
    """Draw wavy strands in a wide band before a wall, solved."""
    down, across = np.mgrid[:420, :560].astype(float)
    rng = np.random.default_rng(5)
    wave = np.sin((down + 6 * np.sin(across / 31)) * 0.45 + 0.8 * np.sin(across / 17))
    alpha = np.clip(1.3 * wave + 1.6 - (across - 100) / 130, 0, 1)
    alpha[across < 110] = 1
    wall = np.array([0.45, 0.5, 0.5]) + 0.08 * np.sin(down / 40 + across / 55)[..., None]
    hair = np.array([0.45, 0.28, 0.14]) * (1 + 0.25 * np.sin(down * 0.9 + across / 23))[..., None]
    photo = alpha[..., None] * hair + (1 - alpha[..., None]) * wall + rng.normal(0, 0.008, (420, 560, 3))
    zones = np.full(alpha.shape, 128, np.uint8)
    zones[:, :90], zones[:, 440:] = 255, 0
    job = new_job(Photo("strands.png", np.round(np.clip(photo, 0, 1) * 255).astype(np.uint8)))
    return solve_job(use_zones(job.with_photo_settings(mixing="value"), zones))[0]


@pytest.fixture(scope="module")
def strands() -> Job:
    return _strands()


def _anew(job: Job) -> np.ndarray:
    zones = job.zones.read()
    fresh = use_zones(new_job(job.photo).with_settings(job.settings), zones)
    return solve_job(fresh)[0].alpha(job.photo.bounds)


@pytest.mark.parametrize(("spot", "zone"), [((180.0, 200.0), Zone.SUBJECT), ((330.0, 380.0), Zone.BACKDROP)])
def test_a_strokes_matte_is_that_of_a_whole_solve(strands: Job, spot: tuple[float, float], zone: Zone) -> None:
    painted = marking.paint_zone(strands, Stroke((spot,), 14), zone)

    after, _ = solve_job(painted)

    away = np.abs(after.alpha(after.photo.bounds) - _anew(after))
    unchanged = np.abs(strands.alpha(strands.photo.bounds) - _anew(after))
    assert after.is_solved
    assert away.mean() < 1 / 255
    assert np.quantile(away, 0.99) < 25 / 255
    assert away.mean() < 0.5 * unchanged.mean()


@pytest.fixture
def windows(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Note the free pixels of each window that is solved."""
    seen: list[int] = []

    def noted(image: np.ndarray, zones: np.ndarray, given: Given, **how: Any) -> tuple[np.ndarray, SolveReport]:
        free = zones == 128 if given.rim is None else (zones == 128) & np.isnan(given.rim)
        seen.append(int(free.sum()))
        return solve_matte(image, zones, given, **how)

    monkeypatch.setattr(free_pixels, "solve_matte", noted)
    return seen


def test_beside_a_settled_matte_of_a_small_photo_no_rough_answer_is_shown(strands: Job, windows: list[int]) -> None:
    shown: list[Job] = []

    solve_job(marking.paint_zone(strands, Stroke(((180.0, 200.0),), 14), Zone.SUBJECT), interim=shown.append)

    assert len(windows) > len(shown), "only a settled window that is widened is shown"


def test_no_window_is_solved_twice_however_restless(
    strands: Job, windows: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(solving, "_is_restless", lambda *_: True)
    small = strands.zones.read()
    small[:, 100:430], small[190:215, 150:260] = 255, 128
    small[:, 430:] = 0
    job = solve_job(use_zones(strands, small))[0]
    windows.clear()

    solve_job(marking.paint_zone(job, Stroke(((155.0, 200.0),), 10), Zone.BACKDROP))

    assert len(windows) >= 2, "the first window does not hold all of the piece"
    assert windows == sorted(set(windows))


@pytest.mark.parametrize("restless", [True, False])
def test_the_share_done_never_falls_however_often_a_window_is_widened(
    strands: Job, windows: list[int], monkeypatch: pytest.MonkeyPatch, *, restless: bool
) -> None:
    monkeypatch.setattr(solving, "_is_restless", lambda *_: restless)
    shares: list[float] = []

    solve_job(marking.paint_zone(strands, Stroke(((180.0, 200.0),), 14), Zone.SUBJECT), shares.append)

    assert len(windows) >= 2 if restless else len(windows) == 1
    assert shares == sorted(shares)
    assert shares[0] < 0.5
    assert shares[-1] == 1.0
