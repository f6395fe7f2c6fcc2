"""From tones to alpha: the ends, the middle, what is proposed and what is lost."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from peel.matte.separation.tone_curve import (
    ToneCurve,
    clipped_detail,
    detail_floor,
    propose_ends,
    trust_in_tone,
)

TONE = st.floats(-1, 2, width=32)


@given(TONE, TONE, st.floats(0.05, 0.95))
def test_turning_over_twice_is_the_identity(low: float, high: float, middle: float) -> None:
    curve = ToneCurve(low, high, middle)

    back = curve.turned.turned

    assert (back.low, back.high) == (low, high)
    assert back.middle == pytest.approx(middle)


@given(TONE, TONE, st.floats(0.05, 0.95))
def test_the_ends_are_clear_and_solid_and_the_middle_is_half(low: float, high: float, middle: float) -> None:
    curve = ToneCurve(low, high, middle)
    if abs(high - low) < 0.01:
        assert np.isfinite(curve.alpha(np.array([low, high, 0.5], np.float32))).all()
        return
    half = low + middle * (high - low)
    beyond = high + 0.3 * (high - low)

    alpha = curve.alpha(np.array([low, half, high, beyond], np.float32))

    assert alpha[[0, 2, 3]] == pytest.approx([0, 1, 1], abs=1e-4)
    assert alpha[1] == pytest.approx(0.5, abs=0.01)


def test_an_end_lies_beyond_the_noise_of_a_plain_backdrop() -> None:
    rng = np.random.default_rng(3)
    backdrop = rng.normal(0.2, 0.01, 4000).astype(np.float32)
    subject = rng.normal(0.8, 0.01, 4000).astype(np.float32)

    low, high = propose_ends(subject, backdrop)

    assert 0.205 < low < 0.23
    assert 0.78 < high < 0.80
    assert propose_ends(backdrop, subject) == pytest.approx((0.787, 0.2025), abs=0.005), "darker subjects as well"


def test_half_clear_pixels_of_a_subject_of_many_tones_are_not_taken_for_solid() -> None:
    backdrop = np.linspace(0.1, 0.3, 1000, dtype=np.float32)
    subject = np.linspace(0.4, 1.0, 1000, dtype=np.float32)

    low, high = propose_ends(subject, backdrop)

    assert low == pytest.approx(0.2, abs=0.01)
    assert high == pytest.approx(0.64, abs=0.01)


def test_a_tone_is_trusted_less_the_more_tones_a_side_has() -> None:
    backdrop = np.full(500, 0.1, np.float32)
    spread = [np.linspace(0.8 - s, 0.8 + s, 500, dtype=np.float32) for s in (0.0, 0.2, 0.4, 0.6)]

    trust = [trust_in_tone(subject, backdrop) for subject in spread]

    assert trust[0] == 1
    assert trust == sorted(trust, reverse=True)
    assert trust[-1] < 0.1
    assert trust_in_tone(backdrop, backdrop) == 0


def test_what_the_ends_clip_away_is_measured_and_shown() -> None:
    tone = np.full((80, 160), 0.1, np.float32)
    tone[:, 20:140:8] = 0.3  # faint strands
    tone[:, 24:140:8] = 0.8  # strong ones
    band = np.zeros(tone.shape, bool)
    band[:, 10:150] = True
    floor = detail_floor(tone, ~band)

    nothing, none = clipped_detail(tone, ToneCurve(0.0, 1.0), band, floor)
    some, lost = clipped_detail(tone, ToneCurve(0.4, 1.0), band, floor)
    strands, _ = clipped_detail(tone, ToneCurve(0.9, 1.0), band, floor)
    gaps, filled = clipped_detail(tone, ToneCurve(-1.0, 0.05), band, floor)

    assert (nothing, none.any()) == (0.0, False)
    assert 0.02 < some < 0.5
    assert lost[:, 20:140:8].mean() > 0.9
    assert not lost[:, 24:140:8].any()
    assert strands > 2 * some
    assert gaps > 0.3
    assert not filled[:, 24:140:8].any()
    assert not (lost & ~band).any()
