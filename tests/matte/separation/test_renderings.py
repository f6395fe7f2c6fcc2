"""Renderings in one tone: known colours give known tones."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from peel.matte.separation.renderings import RENDERINGS, mix_tone, strengthened

PICTURES = arrays(np.float32, (3, 4, 3), elements=st.floats(0, 1, width=32))
SMALL = st.floats(-1, 1, width=32)


@given(PICTURES)
def test_every_rendering_of_colours_within_bounds_lies_within_bounds(picture: np.ndarray) -> None:
    for name, rendering in RENDERINGS.items():
        tone = rendering(picture)
        assert tone.shape == (3, 4), name
        assert tone.dtype == np.float32, name
        assert -1e-3 <= tone.min() <= tone.max() <= 1 + 1e-3, name


@given(PICTURES, st.integers(0, 2), st.floats(0.01, 1))
def test_a_mix_with_one_weight_is_that_channel(picture: np.ndarray, channel: int, weight: float) -> None:
    weights = [0.0, 0.0, 0.0]
    weights[channel] = weight

    tone = mix_tone(picture, (weights[0], weights[1], weights[2]))

    assert np.allclose(tone, picture[..., channel], atol=1e-6)


@given(PICTURES, st.tuples(SMALL, SMALL, SMALL).filter(lambda w: sum(map(abs, w)) > 0.01))
def test_turning_all_weights_round_turns_the_tone_round(picture: np.ndarray, weights: tuple[float, ...]) -> None:
    there, back = mix_tone(picture, weights), mix_tone(picture, tuple(-weight for weight in weights))

    assert np.allclose(there, 1 - back, atol=1e-5)


def test_a_mix_of_nothing_is_refused() -> None:
    with pytest.raises(ValueError, match="weight"):
        mix_tone(np.zeros((2, 2, 3), np.float32), (0.0, 0.0, 0.0))


@pytest.mark.parametrize(
    ("name", "colour", "tone"),
    [
        ("lightness", (1, 1, 1), 1.0),
        ("lightness", (0, 0, 0), 0.0),
        ("saturation", (0.4, 0.4, 0.4), 0.0),
        ("saturation", (0.8, 0.2, 0.4), 0.75),
        ("red less green", (0.3, 0.3, 0.9), 0.5),
        ("red less green", (1, 0, 0), 1.0),
        ("green less blue", (0, 0, 1), 0.0),
        ("green to rose", (0.5, 0.5, 0.5), 0.5),
        ("blue to yellow", (0.5, 0.5, 0.5), 0.5),
    ],
)
def test_known_colours_have_known_tones(name: str, colour: tuple[float, ...], tone: float) -> None:
    assert RENDERINGS[name](np.full((2, 2, 3), colour, np.float32))[0, 0] == pytest.approx(tone, abs=2e-3)


def test_contrast_is_added_only_when_asked_for() -> None:
    step = np.where(np.arange(200)[None] < 100, np.float32(0.4), np.float32(0.6)).repeat(60, axis=0)

    assert np.array_equal(strengthened(step, 0, 0), step)
    sharp, local = strengthened(step, 0, 1.0), strengthened(step, 1.0, 0)

    assert sharp[30, 100] - sharp[30, 99] > 1.5 * 0.2
    assert np.allclose(sharp[30, :90], 0.4, atol=1e-4)
    assert local[30, 105] - local[30, 95] > 1.5 * 0.2
