import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from peel.matte.colour.foreground import estimate_foreground

Disc = tuple[np.ndarray, np.ndarray, np.ndarray]


def test_finds_the_subjects_own_colour_in_the_band(disc: Disc) -> None:
    photo, truth, _ = disc

    colours = estimate_foreground(photo, truth)

    band = (truth > 0.1) & (truth < 1)
    assert np.abs(colours[band] - (0.85, 0.5, 0.2)).max() < 0.03
    assert np.abs(photo[band] - (0.85, 0.5, 0.2)).max() > 0.3


def test_solid_pixels_keep_the_photos_numbers(disc: Disc) -> None:
    photo, truth, _ = disc

    colours = estimate_foreground(photo, truth)

    assert np.array_equal(colours[truth == 1], photo[truth == 1])


@given(height=st.integers(1, 9), width=st.integers(1, 9), seed=st.integers(0, 500))
def test_any_size_gives_colours_in_range(height: int, width: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    alpha = rng.choice(np.array([0, 0.5, 1], np.float32), (height, width))

    colours = estimate_foreground(rng.random((height, width, 3), np.float32), alpha)

    assert colours.dtype == np.float32
    assert np.isfinite(colours).all()
    assert colours.min() >= 0
    assert colours.max() <= 1
