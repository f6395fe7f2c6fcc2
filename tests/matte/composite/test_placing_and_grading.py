"""Warps, grades, blurs, patterns, shadows and light wrap against what is known to be true."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.special import erf

from peel.demo.lamplighter import lamplighter_shadow
from peel.demo.photos import demo_photo
from peel.files.photo import read_photo
from peel.matte.composite.blurring import wide_blur
from peel.matte.composite.grading import Grading, graded, matched, tones_of
from peel.matte.composite.homography import homography, mapped
from peel.matte.composite.lookup import graded_quickly
from peel.matte.composite.pattern import MOTIFS, pattern
from peel.matte.composite.shadow import Cast, Ground, cast_shadow, contact_shadow, kept_shadow, proposed_light
from peel.matte.composite.warping import warped
from peel.matte.composite.wrap import backing_glow, light_wrapped
from peel.matte.inspect.measures import ciede2000
from peel.matte.pixels import unit_floats
from peel.matte.srgb import to_encoded, to_lab, to_linear

RNG = np.random.default_rng(5)


def _reader(picture: np.ndarray):
    def read(window, level):
        step, (top, left, bottom, right) = 1 << level, window
        small = picture[: picture.shape[0] // step * step, : picture.shape[1] // step * step]
        small = small.reshape(small.shape[0] // step, step, small.shape[1] // step, step, -1).mean(axis=(1, 3))
        return np.ascontiguousarray(small[top:bottom, left:right], np.float32)

    return read


def _smooth(height: int, width: int) -> np.ndarray:
    ys, xs = np.mgrid[:height, :width]
    alpha = np.clip((0.3 * height - np.hypot(ys - height / 2, xs - width / 2)) / 12 + 0.5, 0, 1)
    colours = np.stack([0.5 + 0.4 * np.sin(xs / 25), 0.5 + 0.4 * np.cos(ys / 31), np.full(xs.shape, 0.6)], -1)
    return np.dstack([colours * alpha[..., None], alpha]).astype(np.float32)


def _box(height: float, width: float, x: float = 0.0, y: float = 0.0):
    return ((x, y), (x + width, y), (x + width, y + height), (x, y + height))


def test_a_picture_at_its_own_place_is_the_picture() -> None:
    picture = _smooth(128, 160)
    same = homography(_box(128, 160), 128, 160)
    assert np.array_equal(warped(_reader(picture), (128, 160), same, (0, 0, 128, 160)), picture)
    moved = homography(_box(128, 160, 7, -5), 128, 160)
    shown = warped(_reader(picture), (128, 160), moved, (0, 0, 140, 180))
    assert np.array_equal(shown[:123, 7:167], picture[5:])
    assert not shown[123:].any()
    assert not shown[:, :7].any()


@given(st.tuples(*[st.floats(-30, 30)] * 8))
def test_corners_go_where_they_are_put(off: tuple[float, ...]) -> None:
    corners = [(x + off[2 * k], y + off[2 * k + 1]) for k, (x, y) in enumerate(_box(200, 300))]
    found = mapped(homography(corners, 200, 300), _box(200, 300))
    assert np.abs(found - corners).max() < 1e-6


def test_smaller_is_the_average_and_larger_never_leaves_the_colours_of_the_original() -> None:
    picture = _smooth(256, 256)
    small = warped(_reader(picture), (256, 256), homography(_box(64, 64), 256, 256), (0, 0, 64, 64))
    mean = picture.reshape(64, 4, 64, 4, 4).mean(axis=(1, 3))
    assert np.abs(small - mean).mean() < 0.004
    large = warped(_reader(picture), (256, 256), homography(_box(700, 700), 256, 256), (0, 0, 700, 700))
    assert (large[..., :3] <= large[..., 3:] + 1e-6).all()
    inside = large[..., 3] > 0.02
    straight = large[inside][:, :3] / large[inside][:, 3:]
    assert straight.min() > 0.07  # premultiplied: an edge is never darkened by what is clear
    assert np.abs(straight[:, 2] - 0.6).max() < 0.02


def test_turning_keeps_the_area_of_the_matte() -> None:
    picture = _smooth(200, 200)
    turn = np.deg2rad(33)
    corners = (np.array(_box(200, 200)) - 100) @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    shown = warped(_reader(picture), (200, 200), homography(corners + 100, 200, 200), (0, 0, 200, 200))
    assert shown[..., 3].sum() == pytest.approx(picture[..., 3].sum(), rel=0.002)


def test_a_neutral_grade_is_exactly_nothing() -> None:
    colours = RNG.random((9, 11, 3)).astype(np.float32)
    assert Grading().is_neutral
    assert graded(colours, Grading()) is colours
    assert graded_quickly(colours, Grading()) is colours
    assert Grading(amount=0.3).is_neutral


@pytest.mark.parametrize(
    ("grading", "brighter", "redder"),
    [
        (Grading(exposure=0.7), True, None),
        (Grading(warmth=0.6), None, True),
        (Grading(warmth=-0.6), None, False),
        (Grading(middle=0.3), True, None),
        (Grading(light=0.7), True, None),
        (Grading(dark=0.2), False, None),
    ],
)
def test_each_number_does_what_it_says(grading: Grading, brighter: bool | None, redder: bool | None) -> None:
    colours = (0.15 + 0.6 * RNG.random((40, 40, 3))).astype(np.float32)
    made = graded(colours, grading)
    if brighter is not None:
        assert (made.mean() > colours.mean()) == brighter
    if redder is not None:
        tilt = (made[..., 0] - made[..., 2]).mean() - (colours[..., 0] - colours[..., 2]).mean()
        assert (tilt > 0) == redder
    assert np.abs(graded_quickly(colours, grading) - made).mean() < 0.002


def test_contrast_saturation_and_hue() -> None:
    colours = (0.2 + 0.6 * RNG.random((40, 40, 3))).astype(np.float32)
    assert graded(colours, Grading(contrast=0.5)).std() > colours.std() * 1.2
    gray = graded(colours, Grading(saturation=-1))
    assert np.ptp(gray, axis=2).max() < 0.01
    turned = graded(graded(colours, Grading(hue_deg=25)), Grading(hue_deg=-25))
    assert np.abs(turned - colours).mean() < 0.01


@pytest.mark.parametrize("gains", [(0.5, 0.5, 0.5), (0.62, 0.48, 0.33), (1.5, 1.3, 1.6)])
def test_a_picture_shot_darker_and_warmer_is_brought_back(gains: tuple[float, float, float]) -> None:
    ys, xs = np.mgrid[:80, :120]
    true = np.stack(
        [0.42 + 0.1 * np.sin(xs / 9), 0.40 + 0.08 * np.cos(ys / 7), 0.36 + 0.05 * np.sin((xs + ys) / 11)], -1
    )
    true = true.astype(np.float32)
    shot = to_encoded((to_linear(true) * np.array(gains, np.float32)).astype(np.float32))
    weights = np.ones(true.shape[:2], np.float32)
    own, aim = tones_of(shot, weights), tones_of(true, weights)
    assert own is not None
    assert aim is not None
    back = matched(shot, own, aim)
    assert float(ciede2000(to_lab(back), to_lab(true)).mean()) < 3
    assert np.abs(matched(shot, own, aim, 0.0) - shot).max() < 0.004
    assert tones_of(true, np.zeros_like(weights)) is None


@pytest.mark.parametrize("sigma", [2.0, 9.0, 60.0])
def test_a_wide_blur_is_a_gaussian(sigma: float) -> None:
    step = np.zeros((31, 801), np.float32)
    step[:, 400:] = 1
    soft = wide_blur(step, sigma)[15]
    across = np.arange(801) - 399.5
    truth = 0.5 + 0.5 * erf(across / (sigma * np.sqrt(2)))
    assert np.abs(soft - truth).max() < 0.03
    assert np.array_equal(wide_blur(step, 0.1), step)


@pytest.mark.parametrize("motif", list(MOTIFS))
def test_patterns_repeat_and_windows_agree(motif: str) -> None:
    colours = ((1.0, 0.9, 0.2), (0.1, 0.1, 0.4))
    whole = pattern((0, 0, 160, 160), motif, colours, period_px=40)
    assert np.allclose(whole[:120, :120], whole[40:, 40:], atol=1e-3)
    assert np.array_equal(pattern((13, 21, 90, 77), motif, colours, period_px=40), whole[13:90, 21:77])
    assert 0.05 < whole[..., 2].mean() < 0.4
    turned = pattern((0, 0, 160, 160), motif, colours, period_px=40, turn_deg=12)
    assert ((turned[..., 0] > 0.2) & (turned[..., 0] < 0.9)).any()  # edges are not jagged
    fine = pattern((0, 0, 64, 64), motif, colours, period_px=2.0)
    assert fine.std() < 0.5


def test_the_lamplighters_shadow_is_kept() -> None:
    demo = demo_photo("lamplighter")
    truth = lamplighter_shadow(500)
    small = np.s_[: 6 * truth.shape[0] : 6, : 6 * truth.shape[1] : 6]
    photo, matte = (unit_floats(read_photo(path).pixels)[small] for path in (demo.photo, demo.matte))
    clear = matte[..., 0] <= 0
    found = kept_shadow(photo, np.ascontiguousarray(matte[..., 0]))
    assert np.abs(found - truth)[clear].mean() < 0.03
    dark = clear & (truth > 0.1)
    assert found[dark].mean() > 0.6 * truth[dark].mean()
    assert found[:150].mean() < 0.01  # far from the shadow there is none
    towards = proposed_light(photo, np.ascontiguousarray(matte[..., 0]))
    assert towards[0] < -0.3
    assert towards[1] < -0.3  # the lantern was lit from above left


def _post() -> np.ndarray:
    alpha = np.zeros((200, 300), np.float32)
    alpha[40:160, 140:160] = 1
    return alpha


def test_a_cast_shadow_starts_at_the_foot_and_falls_where_it_leans() -> None:
    ground = Ground((150, 160))
    fallen = cast_shadow(_post(), ground, Cast((0.8, -0.3), soft_px=1, fade=0))
    assert fallen[158, 150] > 0.9
    tip = fallen[160 - 36 + 2, 150 + 92]  # 120 px high: falls 96 px to the right and 36 px up
    assert tip > 0.5
    assert fallen[:, :130].max() < 0.05
    soft = cast_shadow(_post(), ground, Cast((0.8, -0.3), soft_px=25, fade=0.8))
    assert soft[126, 240] < 0.4 * soft[156, 154]
    assert (
        np.abs(np.diff(soft[100:150, 200:260], axis=1)).max() < np.abs(np.diff(fallen[100:150, 200:260], axis=1)).max()
    )
    sideways = cast_shadow(_post(), ground, Cast((1.0, 0.0), soft_px=1))
    assert np.isfinite(sideways).all()
    assert sideways.max() > 0.5
    assert cast_shadow(np.zeros((20, 20), np.float32), ground, Cast((1, 0))).max() == 0


def test_a_contact_shadow_is_close_and_dark_at_the_foot() -> None:
    close = contact_shadow(_post(), Ground((150, 160)), 6)
    assert close[161, 150] > 0.4
    assert close[180, 150] < 0.05
    assert close[60, 165] < 0.01


def test_the_ground_leans_as_it_is_drawn() -> None:
    ground = Ground((10.0, 10.0), (1.0, 1.0))
    assert ground.up[1] < 0
    heights = ground.heights((20, 20))
    assert heights[9, 9] == pytest.approx(0, abs=0.8)
    assert heights[0, 19] > 10


def test_light_wrap_brightens_only_near_the_edge_and_never_darkens() -> None:
    alpha = np.zeros((60, 120), np.float32)
    alpha[:, 60:] = 1
    dark = np.full((60, 120, 3), 0.1, np.float32)
    bright = np.full((60, 120, 3), 0.9, np.float32)
    wrapped = light_wrapped(dark, backing_glow(bright, alpha, 5), 1.0)
    assert (wrapped >= dark - 1e-6).all()
    assert wrapped[30, 62, 0] > 0.3
    assert wrapped[30, 110, 0] == pytest.approx(0.1, abs=1e-3)
    assert np.array_equal(light_wrapped(dark, backing_glow(bright, alpha, 5), 0.0), dark)
