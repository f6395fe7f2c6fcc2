"""Colour profiles: which ones look like sRGB, and what a conversion keeps."""

import numpy as np
import pytest
from numpy.typing import DTypeLike

from peel.files.delivery_profiles import profile_named
from peel.files.profiles import between_profiles, is_srgb, to_screen


@pytest.mark.parametrize(("name", "is_same"), [("srgb", True), ("display-p3", False), ("oprgb", False)])
def test_wider_gamuts_are_not_taken_for_srgb(name: str, is_same: bool) -> None:
    assert is_srgb(profile_named(name)) is is_same


def test_a_muted_colour_of_a_wide_gamut_is_stronger_on_the_screen() -> None:
    muted = np.array([[[150, 90, 80]]], np.uint8)
    (shown,) = to_screen(muted, profile_named("display-p3"))[0]
    assert shown[0] > 150
    assert shown[1] < 90


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16])
def test_a_picture_goes_to_another_profile_and_back_at_its_own_depth(dtype: DTypeLike) -> None:
    most = np.iinfo(dtype).max
    rng = np.random.default_rng(3)
    gray = rng.uniform(0.3, 0.7, (40, 50, 1))
    colours = np.concatenate([gray + rng.uniform(-0.05, 0.05, (40, 50, 3)), rng.uniform(0, 1, (40, 50, 1))], axis=2)
    pixels = np.round(colours * most).astype(dtype)
    there = between_profiles(pixels, None, profile_named("oprgb"))
    back = between_profiles(there, profile_named("oprgb"), None)
    assert there.dtype == dtype
    assert np.array_equal(there[..., 3], pixels[..., 3])
    assert np.abs(there.astype(int) - pixels).max() > most // 100
    assert np.abs(back.astype(int) - pixels).max() <= max(1, most // 1500)
    if dtype == np.uint16:
        assert np.any(there % 257)
