"""The key of a backdrop's hue: a cloth of known light, a subject of known alpha."""

import numpy as np
import pytest

from peel.matte.separation.key import fit_plate, hue_of_backdrop, key_tone, relative_chroma

CLOTH = np.array([0.15, 0.60, 0.25], np.float32)


def _lit_cloth(height: int = 200, width: int = 300) -> np.ndarray:
    """Light a cloth so that it falls off by two stops from one corner to the other."""
    ys, xs = np.mgrid[0 : 1 : height * 1j, 0 : 1 : width * 1j]
    return (CLOTH * 2 ** (-(xs + ys))[..., None]).astype(np.float32)


def test_the_plate_carries_uneven_light_across_the_subject() -> None:
    cloth = _lit_cloth()
    ys, xs = np.mgrid[:200, :300]
    inside = np.hypot(ys - 100, xs - 150) < 60
    photo = np.where(inside[..., None], np.float32([0.7, 0.5, 0.4]), cloth)

    plate = fit_plate(photo, CLOTH)

    assert plate is not None
    behind = plate.window((0, 0, 200, 300), (200, 300))
    assert np.abs(behind / cloth - 1)[~inside].max() < 0.03
    assert np.abs(behind / cloth - 1)[inside].max() < 0.10


@pytest.mark.parametrize("gray", [0.1, 0.5, 0.9])
def test_before_a_neutral_subject_the_key_is_alpha(gray: float) -> None:
    alpha = np.linspace(0, 1, 101, dtype=np.float32)[None].repeat(3, axis=0)
    plate = np.broadcast_to(CLOTH, (3, 101, 3)).astype(np.float32)

    tone = key_tone(alpha[..., None] * np.float32(gray) + (1 - alpha[..., None]) * plate, plate)

    assert np.allclose(tone, alpha, atol=1e-5)


def test_other_hues_are_solid_and_a_gain_counts_more_of_the_hue() -> None:
    plate = np.broadcast_to(CLOTH, (1, 3, 3)).astype(np.float32)
    colours = np.array([[[0.8, 0.2, 0.2], [0.2, 0.2, 0.9], [0.4, 0.5, 0.4]]], np.float32)

    plain, strong = key_tone(colours, plate), key_tone(colours, plate, 2.0)

    assert plain[0, :2] == pytest.approx([1, 1], abs=0.01)
    assert 0.6 < plain[0, 2] < 0.95
    assert 1 - strong[0, 2] == pytest.approx(2 * (1 - plain[0, 2]), rel=1e-4)


def test_a_gray_backdrop_has_no_hue_to_key() -> None:
    wall = np.full((60, 80, 3), 0.5, np.float32)

    assert relative_chroma(wall[0, 0]) == 0
    assert fit_plate(wall, wall[0, 0]) is None
    assert hue_of_backdrop(wall.reshape(-1, 3))[1] == 0


def test_a_cloth_of_one_hue_is_told_from_a_motley_backdrop() -> None:
    rng = np.random.default_rng(5)

    cloth, share = hue_of_backdrop(_lit_cloth().reshape(-1, 3))
    _, motley = hue_of_backdrop(rng.uniform(0, 1, (5000, 3)).astype(np.float32))

    assert share > 0.99
    assert cloth / cloth.sum() == pytest.approx(CLOTH / CLOTH.sum(), abs=0.01)
    assert motley < 0.5


def test_a_hue_that_hardly_any_pixel_has_is_no_backdrop() -> None:
    photo = np.full((60, 80, 3), (0.6, 0.3, 0.2), np.float32)

    assert fit_plate(photo, CLOTH) is None
