import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from peel.matte.composite.over import checker, composite_over
from peel.matte.inspect.measures import colour_error, connectivity_error, gradient_error, mse, sad
from peel.matte.srgb import to_linear

_part = st.floats(0, 1, width=32)


@given(front=_part, back=_part, alpha=_part)
def test_a_composite_lies_between_its_layers(front: float, back: float, alpha: float) -> None:
    layer = np.full((2, 3, 3), front, np.float32)

    out = composite_over(layer, (back, back, back), np.full((2, 3), alpha, np.float32))

    assert out.dtype == np.float32
    assert min(front, back) - 1e-6 <= out.min()
    assert out.max() <= max(front, back) + 1e-6


@given(front=_part, back=_part, alpha=_part)
def test_mixed_as_light_amounts_of_light_are_mixed(front: float, back: float, alpha: float) -> None:
    layer = np.full((2, 3, 3), front, np.float32)
    matte = np.full((2, 3), alpha, np.float32)
    matte[0, 0], matte[1, 2] = 0, 1

    out = composite_over(layer, (back, back, back), matte, linear=True)

    share = matte[..., None]
    wanted = share * to_linear(layer) + (1 - share) * to_linear(np.full_like(layer, back))
    np.testing.assert_allclose(to_linear(out), wanted, atol=1e-5)
    assert out[0, 0] == pytest.approx(np.float32(back), abs=1e-6)
    assert out[1, 2] == pytest.approx(np.float32(front), abs=1e-6)


def test_refuses_layers_that_do_not_fit() -> None:
    with pytest.raises(ValueError, match="do not agree"):
        composite_over(np.zeros((2, 2, 3), np.float32), (0, 0, 0), np.zeros((3, 2), np.float32))


def test_check_meets_across_windows() -> None:
    whole = checker(0, 0, 40, 40, 12)

    assert np.array_equal(checker(7, 13, 20, 20, 12), whole[7:27, 13:33])


def test_measures_are_zero_only_for_the_truth() -> None:
    truth = np.linspace(0, 1, 400, dtype=np.float32).reshape(20, 20)
    band = np.ones(truth.shape, bool)
    colours = np.full((20, 20, 3), 0.4, np.float32)
    off = np.clip(truth + 0.1, 0, 1)

    assert sad(truth, truth, band) == mse(truth, truth, band) == gradient_error(truth, truth, band) == 0
    assert colour_error(colours, truth, colours, truth, band) == 0
    assert sad(off, truth, band) == pytest.approx(0.4 * 0.095, rel=0.1)
    assert mse(off, truth, band) > 0
    assert colour_error(colours, off, colours, truth, band) > 0


def test_an_island_is_worse_connected_than_a_wider_edge() -> None:
    truth = np.zeros((40, 40), np.float32)
    truth[:, :20] = 1
    wider, island = truth.copy(), truth.copy()
    wider[:, 20] = 0.14
    island[10:14, 30:40] = 0.9
    band = np.ones(truth.shape, bool)

    assert connectivity_error(truth, truth, band) == 0
    assert connectivity_error(wider, truth, band) == 0
    assert connectivity_error(island, truth, band) == pytest.approx(0.036, abs=1e-6)
