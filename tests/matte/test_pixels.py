"""Pixels between floats and integers: every value comes back, what is beyond is clipped, and one rule rounds."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from peel.matte.pixels import bytes_of_words, to_bytes, to_words, unit_floats, words_of_bytes


@pytest.mark.parametrize(("kind", "rounded"), [(np.uint8, to_bytes), (np.uint16, to_words)])
def test_every_value_comes_back_from_floats(kind: type, rounded: object) -> None:
    values = np.arange(np.iinfo(kind).max + 1, dtype=kind)

    back = rounded(unit_floats(values))  # type: ignore[operator]

    assert back.dtype == kind
    assert (back == values).all()


def test_every_byte_comes_back_from_words() -> None:
    values = np.arange(256, dtype=np.uint8)
    assert (bytes_of_words(words_of_bytes(values)) == values).all()
    assert bytes_of_words(values) is not None


@given(arrays(np.float32, 9, elements=st.floats(-4, 5, width=32)))
def test_what_is_rounded_is_the_nearest_and_within_bounds(values: np.ndarray) -> None:
    found = to_bytes(values)
    assert np.abs(found - np.clip(values, 0, 1) * 255.0).max() <= 0.5 + 1e-4


def test_what_comes_in_is_not_changed() -> None:
    values = np.array([0.25, 2.0, -1.0], np.float32)
    to_words(values)
    assert values.tolist() == [0.25, 2.0, -1.0]
