"""Photos of many pixels are solved at a smaller size, window by window where the band is large."""

import numpy as np
import pytest

from peel.job.edits import marking
from peel.job.edits.kinds import said
from peel.job.edits.marking import Stroke, Zone
from peel.job.edits.values import use_zones
from peel.job.job import Job, Photo, new_job
from peel.job.plane import Plane
from peel.job.rect import Rect
from peel.matte.edge.kind import Kind
from peel.work.solving import sized, solve, windows
from peel.work.solving.sized import solve_step
from peel.work.solving.solve import solve_job

pytestmark = pytest.mark.slow

HEIGHT, WIDTH = 600, 840


@pytest.fixture(autouse=True)
def _soon_large(monkeypatch: pytest.MonkeyPatch) -> None:
    """Take photos for large that a test can solve."""
    monkeypatch.setattr(sized, "_LARGE", (100_000, 10_000_000))


def _drawn(seed: int = 3) -> tuple[Job, np.ndarray]:
    """Draw strands several pixels wide before a wall, as in a photo of many megapixels; returns job and truth."""
    rng = np.random.default_rng(seed)
    down, across = np.mgrid[:HEIGHT, :WIDTH].astype(float)
    wave = np.sin((down + 9 * np.sin(across / 60)) * 0.22 + 0.8 * np.sin(across / 35))
    alpha = np.clip(1.5 * wave + 1.8 - (across - 150) / 200, 0, 1)
    wall = np.array([0.45, 0.5, 0.5]) + 0.06 * np.sin(down / 80 + across / 110)[..., None]
    hair = np.array([0.45, 0.28, 0.14]) * (1 + 0.2 * np.sin(down * 0.4 + across / 46))[..., None]
    photo = alpha[..., None] * hair + (1 - alpha[..., None]) * wall + rng.normal(0, 0.008, (HEIGHT, WIDTH, 3))
    zones = np.full(alpha.shape, 128, np.uint8)
    zones[:, :120], zones[:, 700:] = 255, 0
    alpha[zones == 255], alpha[zones == 0] = 1, 0
    job = new_job(Photo("strands.png", np.round(np.clip(photo, 0, 1) * 255).astype(np.uint8)))
    return use_zones(job.with_photo_settings(mixing="value"), zones), alpha


def _error(job: Job, truth: np.ndarray) -> float:
    return float(np.abs(job.alpha(job.photo.bounds) - truth).mean())


def test_half_the_size_is_as_good_where_strands_are_several_pixels_wide(monkeypatch: pytest.MonkeyPatch) -> None:
    job, truth = _drawn()
    half, report = solve_job(job)
    monkeypatch.setattr(sized, "_LARGE", (10_000_000, 20_000_000))
    full, _ = solve_job(job)

    assert half.is_solved
    assert report.unknowns < 0.3 * (job.zones.read() == 128).sum()
    assert _error(half, truth) < 1.15 * _error(full, truth)


def test_a_rough_matte_of_all_of_it_is_shown_first() -> None:
    job, truth = _drawn()
    shown: list[Job] = []

    solve_job(job, interim=shown.append)

    assert shown
    assert not shown[0].is_solved
    assert _error(shown[0], truth) < 0.08, "a third of what an empty matte would be off by"


def test_windows_agree_with_one_solve_and_leave_no_seam(monkeypatch: pytest.MonkeyPatch) -> None:
    job, truth = _drawn()
    whole, _ = solve_job(job)
    monkeypatch.setattr(solve, "_LARGE", 1000)
    monkeypatch.setattr(windows, "SIDE", 128)
    shares: list[float] = []
    parts: list[Job] = []

    cut, _ = solve_job(job, shares.append, interim=parts.append)

    away = np.abs(cut.alpha(job.photo.bounds) - whole.alpha(job.photo.bounds))
    border = away[:, 248:264]
    assert cut.is_solved
    assert len(parts) > 4, "each window is shown when it is done"
    assert _error(cut, truth) < 1.2 * _error(whole, truth)
    assert np.quantile(away, 0.99) < 0.12
    assert np.quantile(border, 0.99) < 1.5 * np.quantile(away, 0.99)
    assert shares == sorted(shares)
    assert shares[-1] == 1


def test_windows_do_not_depend_on_their_order(monkeypatch: pytest.MonkeyPatch) -> None:
    job, _ = _drawn()
    monkeypatch.setattr(solve, "_LARGE", 1000)
    monkeypatch.setattr(windows, "SIDE", 128)

    one, other = (solve_job(job, first=place)[0] for place in (Rect(0, 0, 8, 8), Rect(592, 832, 600, 840)))

    assert all((a.values == b.values).all() for a, b in zip(one.matte.tiles, other.matte.tiles, strict=True))


@pytest.mark.parametrize("step", [2, 3])
def test_a_stroke_shows_a_rough_answer_and_hardly_moves_what_is_far_away(
    step: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    if step == 3:
        monkeypatch.setattr(sized, "_LARGE", (1_000, 10_000))
    job = solve_job(_drawn()[0])[0]
    painted = marking.paint_zone(job, Stroke(((300.0, 300.0),), 16), Zone.SUBJECT)
    shown: list[Job] = []

    after, _ = solve_job(painted, interim=shown.append)

    away = np.abs(after.alpha(job.photo.bounds) - job.alpha(job.photo.bounds))
    assert shown
    assert (shown[0].alpha(Rect(296, 296, 304, 304)) == 1).all()
    assert away[290:310, 290:310].max() > 0
    assert np.quantile(away[:, 600:], 0.99) < 0.05


def test_hard_edges_are_solved_at_the_photos_own_size() -> None:
    job, _ = _drawn()
    brushed = np.full((HEIGHT, WIDTH), said(Kind.HARD), np.uint8)

    _, report = solve_job(job.with_planes(kinds=Plane.from_array(brushed)))

    assert report.unknowns == (job.zones.read() == 128).sum()


@pytest.mark.parametrize(("pixels", "step"), [(100_000, 1), (100_001, 2), (10_000_001, 3)])
def test_the_step_grows_with_the_photo(pixels: int, step: int) -> None:
    photo = Photo("wide.png", np.broadcast_to(np.uint8(0), (1, pixels, 3)))

    assert solve_step(photo) == step
