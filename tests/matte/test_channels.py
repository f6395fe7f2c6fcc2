"""Arithmetic over channels against plain NumPy."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from peel.matte.channels import blended, largest_part, length_of, mean_part, over, place_between, straight, writable


def _colours(seed: int, channels: int = 3) -> np.ndarray:
    return np.random.default_rng(seed).random((7, 9, channels), np.float32)


@given(seed=st.integers(0, 2**32 - 1))
def test_measures_are_those_of_plain_numpy(seed: int) -> None:
    one, other, way = _colours(seed), _colours(seed + 1), _colours(seed + 2)
    assert np.array_equal(largest_part(one), one.max(axis=2))
    assert np.allclose(mean_part(one), one.mean(axis=2), atol=1e-6)
    assert np.allclose(length_of(one), np.linalg.norm(one, axis=2), atol=1e-6)
    across = other - one
    wanted = ((way - one) * across).sum(axis=2) / np.maximum(np.square(across).sum(axis=2), 1e-6)
    assert np.allclose(place_between(way, one, other), wanted, rtol=1e-3, atol=1e-4)


@given(seed=st.integers(0, 2**32 - 1))
def test_mixes_are_those_of_plain_numpy_and_exact_at_their_ends(seed: int) -> None:
    one, other, share = _colours(seed), _colours(seed + 1), _colours(seed + 2, 1)[..., 0]
    share[0], share[1] = 0, 1
    made = blended(one, other, share)
    assert np.allclose(made, one + share[..., None] * (other - one), atol=1e-6)
    assert np.array_equal(made[0], one[0])
    assert np.array_equal(made[1], other[1])


@given(seed=st.integers(0, 2**32 - 1))
def test_premultiplied_colours_are_laid_and_taken_apart(seed: int) -> None:
    colours, alpha, under = _colours(seed), _colours(seed + 1, 1), _colours(seed + 2)
    alpha[0], alpha[1] = 0, 1
    laid = np.concatenate([colours * alpha, alpha], axis=2)
    made = over(laid, under)
    assert np.allclose(made, laid[..., :3] + (1 - alpha) * under, atol=1e-6)
    assert np.array_equal(made[0], under[0])
    assert np.array_equal(made[1], colours[1])
    back, again = straight(laid)
    assert np.array_equal(again, alpha[..., 0])
    seen = alpha[..., 0] > 0.01
    assert np.allclose(back[seen], colours[seen], atol=1e-4)
    assert not back[0].any()


def test_arrays_that_kernels_cannot_take_are_copied() -> None:
    whole = _colours(1)
    assert writable(whole) is whole
    for given_one in (whole[::2], np.broadcast_to(np.float32(2), (3, 4, 3)), whole.astype(np.float64)):
        taken = writable(given_one)
        assert taken.flags.c_contiguous
        assert taken.flags.writeable
        assert taken.dtype == np.float32
        assert taken == pytest.approx(np.asarray(given_one))
