"""A stroke's own solve against a solve of everything."""

import numpy as np
import pytest

from peel.job import marking
from peel.job.edits import use_zones
from peel.job.job import Job, Photo, new_job
from peel.job.marking import Stroke, Zone
from peel.job.settings import Matte
from peel.work.solving import solve_job


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
    return solve_job(use_zones(job.with_settings(matte=Matte(mixing="value")), zones))[0]


@pytest.fixture(scope="module")
def strands() -> Job:
    return _strands()


def _anew(job: Job) -> np.ndarray:
    zones = job.zones.read()
    fresh = use_zones(new_job(job.photo).with_settings(matte=job.settings.matte), zones)
    return solve_job(fresh)[0].alpha(job.photo.bounds)


@pytest.mark.parametrize(("spot", "zone"), [((180.0, 200.0), Zone.SUBJECT), ((330.0, 120.0), Zone.BACKDROP)])
def test_a_strokes_matte_is_that_of_a_whole_solve(strands: Job, spot: tuple[float, float], zone: Zone) -> None:
    painted = marking.paint_zone(strands, Stroke((spot,), 14), zone)

    after, _ = solve_job(painted)

    away = np.abs(after.alpha(after.photo.bounds) - _anew(after))
    unchanged = np.abs(strands.alpha(strands.photo.bounds) - _anew(after))
    assert after.is_solved
    assert away.mean() < 1 / 255
    assert np.quantile(away, 0.99) < 25 / 255
    assert away.mean() < 0.5 * unchanged.mean()


def test_beside_a_settled_matte_only_settled_answers_are_shown(strands: Job) -> None:
    painted = marking.paint_zone(strands, Stroke(((180.0, 200.0),), 14), Zone.SUBJECT)
    shown: list[np.ndarray] = []

    after, _ = solve_job(painted, interim=lambda job: shown.append(job.alpha(job.photo.bounds)))

    last = after.alpha(after.photo.bounds)
    before = strands.alpha(strands.photo.bounds)
    for matte in shown:
        assert np.abs(matte - last).mean() < max(2 / 255, np.abs(before - last).mean())
