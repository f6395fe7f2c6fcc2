import numpy as np
import pytest

from peel.matte.solve.edge_denoising import denoise_along_edges

CELL = 8


def _disc(sigma: float = 0.05) -> tuple[np.ndarray, np.ndarray]:
    """Draw a disc out of focus, and the same with noise."""
    ys, xs = np.mgrid[:160, :160]
    truth = 1 / (1 + np.exp((np.hypot(ys - 80.0, xs - 80.0) - 50) / 3))
    return truth.astype(np.float32), (truth + np.random.default_rng(3).normal(0, sigma, truth.shape)).astype(np.float32)


def _box(picture: np.ndarray, radius: int) -> np.ndarray:
    size = 2 * radius + 1
    padded = np.pad(picture, radius, mode="edge")
    return np.lib.stride_tricks.sliding_window_view(padded, (size, size)).mean(axis=(2, 3)).astype(np.float32)


def _evened(noisy: np.ndarray, denoised: np.ndarray, sigma: float = 0.05, reach: int = 2) -> np.ndarray:
    plain = np.full(noisy.shape, reach, np.uint8)
    deviation = np.full((20, 20), sigma, np.float32)
    return denoise_along_edges(noisy, denoised, plain, deviation, CELL)


def test_keeps_the_profile_that_windows_flatten_and_takes_the_noise_out() -> None:
    truth, noisy = _disc()
    flattened = _box(noisy, 4)

    along = _evened(noisy, flattened)

    ring = (truth > 0.1) & (truth < 0.9)
    off = [np.abs(picture - truth)[ring].mean() for picture in (along, flattened, noisy)]
    assert off[0] < 0.75 * off[1]
    assert off[0] < 0.5 * off[2]


def test_where_there_is_no_slope_what_was_evened_stays() -> None:
    rng = np.random.default_rng(1)
    noisy, level = rng.normal(0.5, 0.05, (160, 160)).astype(np.float32), np.full((160, 160), 0.5, np.float32)

    np.testing.assert_array_equal(_evened(noisy, level), level)


def test_where_the_photo_is_not_plain_nothing_is_done() -> None:
    truth, noisy = _disc()

    np.testing.assert_array_equal(_evened(noisy, truth, reach=1), truth)


@pytest.mark.parametrize("turn", [np.fliplr, np.flipud, np.transpose])
def test_turning_the_matte_turns_the_answer(turn: object) -> None:
    truth, noisy = _disc()

    straight = _evened(noisy, truth)
    turned = _evened(*(np.ascontiguousarray(turn(part)) for part in (noisy, truth)))  # type: ignore[operator]

    np.testing.assert_allclose(turned, turn(straight), atol=1e-3)  # type: ignore[operator]
