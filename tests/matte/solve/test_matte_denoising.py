import cv2
import numpy as np
import pytest

from peel.matte.solve import matte_denoising
from peel.matte.solve.matte_denoising import denoise_matte
from peel.matte.solve.noise import measure_noise, plain_reach


def _noisy(clean: np.ndarray, sigma: float, seed: int = 0) -> np.ndarray:
    return (clean + np.random.default_rng(seed).normal(0, sigma, clean.shape)).astype(np.float32)


def test_evening_out_keeps_noise_out_of_a_soft_edge_and_leaves_strands_alone() -> None:
    truth = np.clip((np.mgrid[:120, :200][1] - 60) / 80, 0, 1).astype(np.float32)
    truth[60:, ::4] = 1.0 - truth[60:, ::4]
    photo = _noisy(np.dstack([0.2 + 0.5 * truth] * 3), 0.01)
    follows = ((photo[..., 0] - 0.2) / 0.5).astype(np.float32)
    unknown = np.ones(truth.shape, bool)

    reach = plain_reach(photo, unknown, measure_noise(photo))
    denoised, left = denoise_matte(follows, reach)

    edge, strands = (slice(8, 50), slice(70, 130)), (slice(66, 112), slice(150, 190))
    assert np.abs(denoised - truth)[edge].mean() < 0.4 * np.abs(follows - truth)[edge].mean()
    assert (reach[strands] == 0).all()
    np.testing.assert_array_equal(denoised[strands], follows[strands])
    assert left[edge].mean() < left[strands].mean()


@pytest.mark.parametrize("rows", [8, 64, 136])
def test_evening_out_in_strips_does_not_show(rows: int, monkeypatch: pytest.MonkeyPatch) -> None:
    ys, xs = np.mgrid[:200, :90]
    truth = np.clip((xs - 20 + 8 * np.sin(ys / 11)) / 40, 0, 1)
    photo = _noisy(np.dstack([0.2 + 0.5 * truth] * 3), 0.01)
    follows = ((photo[..., 0] - 0.2) / 0.5).astype(np.float32)
    reach = plain_reach(photo, np.ones(truth.shape, bool), measure_noise(photo))
    whole = denoise_matte(follows, reach)

    monkeypatch.setattr(matte_denoising, "_ROWS", rows)
    strips = denoise_matte(follows, reach)

    assert np.abs(whole[0] - follows).max() > 0.01
    np.testing.assert_array_equal(strips[0], whole[0])
    np.testing.assert_array_equal(strips[1], whole[1])


def test_more_is_cleaned_away_where_a_matte_is_level_than_where_it_slopes() -> None:
    ys, xs = np.mgrid[:96, :160]
    truth = np.clip((xs - 60 + 0 * ys) / 60, 0, 1).astype(np.float32)
    alpha = _noisy(truth, 0.02)
    reach = np.full(alpha.shape, 4, np.uint8)

    _, left = denoise_matte(alpha, reach)

    level, slope = left[16:80, 10:45], left[16:80, 75:105]
    assert level.mean() > 0.015
    assert slope.max() < 0.4 * level.min()


def test_a_mattes_noise_is_found_though_its_neighbours_are_alike() -> None:
    noise = cv2.GaussianBlur(np.random.default_rng(6).normal(0, 1, (96, 160)), (0, 0), 0.8)
    alpha = (0.5 + noise * (0.02 / noise.std())).astype(np.float32)

    denoised, left = denoise_matte(alpha, np.full(alpha.shape, 4, np.uint8))

    assert left.max() == pytest.approx(1.2 * 0.02, rel=0.3)
    assert denoised[16:80, 16:144].std() < 0.3 * 0.02
