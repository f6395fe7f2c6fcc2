import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from peel.matte.inspect.measures import colour_error, connectivity_error, gradient_error, mse, sad


def _disc(size: int = 80, radius: float = 25.0) -> np.ndarray:
    ys, xs = np.mgrid[:size, :size]
    return np.clip((radius - np.hypot(ys - size / 2, xs - size / 2)) / 4, 0, 1).astype(np.float32)


EVERYWHERE = np.ones((80, 80), bool)


@settings(max_examples=20)
@given(seed=st.integers(0, 999))
def test_a_matte_is_no_distance_from_itself_and_as_far_from_another_as_that_from_it(seed: int) -> None:
    rng = np.random.default_rng(seed)
    one, other = (rng.random((80, 80), np.float32) for _ in range(2))

    for measure in (sad, mse, gradient_error, connectivity_error):
        assert measure(one, one, EVERYWHERE) == 0
        assert measure(one, other, EVERYWHERE) == pytest.approx(measure(other, one, EVERYWHERE), rel=1e-5)
        assert measure(one, other, EVERYWHERE) > 0


def test_sums_are_in_thousands_of_pixels_and_squares_are_averaged() -> None:
    truth = np.zeros((80, 80), np.float32)
    band = np.zeros((80, 80), bool)
    band[:40, :50] = True

    assert sad(truth + np.float32(0.25), truth, band) == pytest.approx(0.5)
    assert mse(truth + np.float32(0.25), truth, band) == pytest.approx(0.0625)


def test_an_even_haze_has_no_gradient_and_a_blurred_edge_has() -> None:
    edge = (np.mgrid[:80, :80][1] > 40).astype(np.float32)
    ramps = [np.clip((np.mgrid[:80, :80][1] - 40) / wide + 0.5, 0, 1).astype(np.float32) for wide in (6, 20)]

    mild, wide = (gradient_error(ramp, edge, EVERYWHERE) for ramp in ramps)

    assert gradient_error(np.full_like(edge, 0.3), np.full_like(edge, 0.6), EVERYWHERE) == pytest.approx(0, abs=1e-9)
    assert 0 < mild < wide
    assert gradient_error(edge * np.float32(0.5), edge, EVERYWHERE) == pytest.approx(
        gradient_error(1 - edge * np.float32(0.5), edge, EVERYWHERE), rel=1e-4
    )


def test_a_speck_away_from_the_subject_is_not_connected() -> None:
    truth, matte = _disc(), _disc()
    matte[4:8, 4:8] = 0.9
    beside = _disc()
    beside[38:42, 60:66] = 0.9  # touches the rim

    assert connectivity_error(matte, truth, EVERYWHERE) == pytest.approx(16 * 0.9 / 1000, rel=1e-3)
    assert connectivity_error(beside, beside, EVERYWHERE) == 0


@pytest.mark.parametrize(("backings_off", "expected"), [(0.0, 0.0), (0.1, 0.1)])
def test_colours_are_compared_where_they_show(backings_off: float, expected: float) -> None:
    colours = np.full((80, 80, 3), 0.4, np.float32)
    solid = np.ones((80, 80), np.float32)
    off = colours + np.float32(backings_off)

    assert colour_error(off, solid, colours, solid, EVERYWHERE) == pytest.approx(expected, abs=1e-6)
    assert colour_error(off, 0 * solid, colours, 0 * solid, EVERYWHERE) == 0
