from collections.abc import Callable

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from peel.matte.solve.noise import measure_noise, plain_reach


def _noisy(clean: np.ndarray, sigma: float, seed: int = 0) -> np.ndarray:
    return (clean + np.random.default_rng(seed).normal(0, sigma, clean.shape)).astype(np.float32)


def _slope(height: int = 240, width: int = 300) -> np.ndarray:
    ys, xs = np.mgrid[:height, :width]
    return np.dstack([0.3 + 0.2 * xs / width, 0.5 + 0.1 * ys / height, 0.4 + 0 * xs])


@settings(deadline=None, max_examples=15)
@given(sigma=st.floats(0.004, 0.05), seed=st.integers(0, 99))
def test_finds_how_strong_noise_is(sigma: float, seed: int) -> None:
    curve = measure_noise(_noisy(_slope(), sigma, seed))

    assert np.sqrt(curve.variance) == pytest.approx(sigma, rel=0.15)


def test_strands_are_not_taken_for_noise() -> None:
    strands = _slope()
    strands[:, 100:200:3] += 0.4

    curve = measure_noise(_noisy(strands, 0.01))

    assert np.sqrt(curve.variance).max() < 0.015


def test_integers_and_floats_are_measured_alike() -> None:
    photo = (np.clip(_noisy(_slope(), 0.02), 0, 1) * 255).round().astype(np.uint8)

    of_integers, of_floats = measure_noise(photo), measure_noise(photo.astype(np.float32) / 255)

    np.testing.assert_allclose(of_integers.variance, of_floats.variance, rtol=1e-4)


@pytest.mark.parametrize("shape", [(1, 1), (1, 40), (4, 4), (5, 5), (7, 30)])
def test_tiny_pictures_have_the_least_noise_there_is_or_more(shape: tuple[int, int]) -> None:
    curve = measure_noise(np.full((*shape, 3), 0.5, np.float32))

    assert (curve.variance > 0).all()
    assert np.isfinite(curve.variance).all()


def _filtered(clean: np.ndarray, sigma: float) -> np.ndarray:
    """Add noise whose neighbours are alike, as a camera leaves it that fills in colours between its sensor's."""
    noise = cv2.GaussianBlur(np.random.default_rng(1).normal(0, 1, clean.shape), (0, 0), 0.8)
    return (clean + noise * (sigma / noise.std())).astype(np.float32)


def _compressed(photo: np.ndarray, quality: int) -> np.ndarray:
    eight = (np.clip(photo, 0, 1) * 255).round().astype(np.uint8)
    coded = cv2.imencode(".jpg", eight, [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    return cv2.imdecode(coded, cv2.IMREAD_COLOR).astype(np.float32) / 255


@pytest.mark.parametrize(
    "photo",
    [
        _noisy(_slope(), 0.01),
        _filtered(_slope(), 0.01),
        _compressed(_noisy(_slope(), 0.01), 92),
        _compressed(_filtered(_slope(), 0.01), 75),
    ],
    ids=["white", "filtered", "compressed", "filtered and compressed"],
)
def test_a_plain_photo_is_plain_whatever_its_noise_went_through(photo: np.ndarray) -> None:
    reach = plain_reach(photo, np.ones(photo.shape[:2], bool), measure_noise(photo))

    assert (reach[8:-8, 8:-8] >= 2).mean() > 0.85
    assert (reach[8:-8, 8:-8] == 4).mean() > 0.7


@pytest.mark.parametrize("camera", [_filtered, _noisy])
def test_faint_strands_are_not_plain_in_filtered_noise(camera: Callable[[np.ndarray, float], np.ndarray]) -> None:
    strands = _slope()
    strands[:, 100:200:5] += 0.08
    photo = camera(strands, 0.01)

    reach = plain_reach(photo, np.ones(photo.shape[:2], bool), measure_noise(photo))

    assert (reach[8:-8, 104:196] > 0).mean() < 0.02


def test_filtered_noise_is_as_strong_as_over_wide_windows() -> None:
    curve = measure_noise(_filtered(_slope(), 0.01))

    assert np.sqrt(curve.variance) == pytest.approx(0.01, rel=0.15)
    assert curve.limits[0] < curve.limits[1] < curve.limits[2]


def test_a_blown_out_backdrop_does_not_hide_the_noise() -> None:
    photo = np.clip(_noisy(_slope(), 0.01), 0, 1)
    photo[:, :200] = 1.0

    assert np.sqrt(measure_noise(photo).variance) == pytest.approx(0.01, rel=0.15)


def test_a_brightness_that_is_nowhere_plain_has_the_noise_of_those_on_either_side() -> None:
    steps = np.repeat(np.linspace(0.1, 0.9, 6), 50)
    photo = _noisy(np.broadcast_to(steps[None, :, None], (240, 300, 3)), 0.01)
    photo[:, 100:150] += np.random.default_rng(2).normal(0, 0.1, (240, 50, 3)).astype(np.float32)

    assert np.sqrt(measure_noise(photo).variance) == pytest.approx(0.01, rel=0.25)


@pytest.mark.parametrize("period", [2, 3, 4])
def test_stripes_are_not_plain_however_regular(period: int) -> None:
    photo = _noisy(_slope(), 0.002)
    photo[:, 100:200:period] += 0.2

    reach = plain_reach(photo, np.ones(photo.shape[:2], bool), measure_noise(photo))

    assert (reach[8:-8, 104:196] == 0).all()


def test_a_photo_of_nothing_but_stripes_has_a_limit_for_every_window() -> None:
    photo = _noisy(_slope(), 0.002)
    photo[:, ::2] += 0.2

    curve = measure_noise(photo)

    assert np.isfinite(curve.limits).all()
    assert (curve.variance > 0).all()
