import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from peel.matte import noise
from peel.matte.noise import even_out, measure_noise, plain_reach


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


def test_evening_out_keeps_noise_out_of_a_soft_edge_and_leaves_strands_alone() -> None:
    truth = np.clip((np.mgrid[:120, :200][1] - 60) / 80, 0, 1).astype(np.float32)
    truth[60:, ::4] = 1.0 - truth[60:, ::4]
    photo = _noisy(np.dstack([0.2 + 0.5 * truth] * 3), 0.01)
    follows = ((photo[..., 0] - 0.2) / 0.5).astype(np.float32)
    unknown = np.ones(truth.shape, bool)

    reach = plain_reach(photo, unknown, measure_noise(photo))
    evened, left = even_out(follows, reach)

    edge, strands = (slice(8, 50), slice(70, 130)), (slice(66, 112), slice(150, 190))
    assert np.abs(evened - truth)[edge].mean() < 0.4 * np.abs(follows - truth)[edge].mean()
    assert (reach[strands] == 0).all()
    np.testing.assert_array_equal(evened[strands], follows[strands])
    assert left[edge].mean() < left[strands].mean()


@pytest.mark.parametrize("rows", [8, 64, 136])
def test_evening_out_in_strips_does_not_show(rows: int, monkeypatch: pytest.MonkeyPatch) -> None:
    ys, xs = np.mgrid[:200, :90]
    truth = np.clip((xs - 20 + 8 * np.sin(ys / 11)) / 40, 0, 1)
    photo = _noisy(np.dstack([0.2 + 0.5 * truth] * 3), 0.01)
    follows = ((photo[..., 0] - 0.2) / 0.5).astype(np.float32)
    reach = plain_reach(photo, np.ones(truth.shape, bool), measure_noise(photo))
    whole = even_out(follows, reach)

    monkeypatch.setattr(noise, "_ROWS", rows)
    strips = even_out(follows, reach)

    assert np.abs(whole[0] - follows).max() > 0.01
    np.testing.assert_array_equal(strips[0], whole[0])
    np.testing.assert_array_equal(strips[1], whole[1])
