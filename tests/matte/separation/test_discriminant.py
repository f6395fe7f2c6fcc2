"""The best mix and the separability, against closed forms."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from peel.matte.separation.discriminant import best_mix, roc_area, separability

TONES = st.lists(st.floats(0, 1, width=32), min_size=1, max_size=30)


def test_the_mix_follows_the_difference_where_all_directions_are_equally_noisy() -> None:
    rng = np.random.default_rng(1)
    noise = rng.normal(0, 0.05, (2, 40_000, 3))
    subject, backdrop = 0.5 + 0.1 * np.array([1.0, -2.0, 0.5]) + noise[0], 0.5 + noise[1]

    weights = np.array(best_mix(subject.astype(np.float32), backdrop.astype(np.float32)))

    assert np.abs(weights).sum() == pytest.approx(1)
    assert weights == pytest.approx(np.array([1, -2, 0.5]) / 3.5, abs=0.01)


def test_a_noisy_channel_counts_less() -> None:
    rng = np.random.default_rng(2)
    spread = np.array([0.02, 0.2, 0.02])
    subject, backdrop = 0.6 + rng.normal(0, 1, (5000, 3)) * spread, 0.5 + rng.normal(0, 1, (5000, 3)) * spread

    red, green, blue = best_mix(subject.astype(np.float32), backdrop.astype(np.float32))

    assert abs(green) < 0.1 * red
    assert blue == pytest.approx(red, rel=0.2)


def test_equal_sides_are_mixed_equally() -> None:
    same = np.full((50, 3), 0.3, np.float32)

    assert best_mix(same, same) == pytest.approx((1 / 3, 1 / 3, 1 / 3))
    assert separability(same[:, 0], same[:, 0]) == 0.5


@given(TONES, TONES)
def test_the_area_is_the_share_of_pairs_in_order(subject: list[float], backdrop: list[float]) -> None:
    pairs = [(f > b) + 0.5 * (f == b) for f in np.float32(subject) for b in np.float32(backdrop)]

    area = roc_area(np.array(subject, np.float32), np.array(backdrop, np.float32))

    assert area == pytest.approx(float(np.mean(pairs)), abs=1e-9)
    assert 0.5 <= separability(np.array(subject, np.float32), np.array(backdrop, np.float32)) <= 1
