"""The profile of edges of known place, width and raggedness."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from peel.matte.repair.profile import EdgeShape, measured_profile, shaped


def _disc(radius: float = 45.0, ramp: float = 3.0, bumps: float = 0.0) -> np.ndarray:
    ys, xs = np.mgrid[:160, :180]
    angle = np.arctan2(ys - 80, xs - 90)
    away = np.hypot(ys - 80, xs - 90) - bumps * np.sin(angle * 60)
    return np.clip((radius - away) / ramp + 0.5, 0, 1).astype(np.float32)


def _radius(alpha: np.ndarray) -> float:
    return float(np.sqrt(alpha.sum() / np.pi))


@given(arrays(np.float32, (12, 15), elements=st.floats(0, 1, width=32)), st.floats(0, 1))
def test_neutral_is_exactly_the_identity(alpha: np.ndarray, strength: float) -> None:
    assert np.array_equal(shaped(alpha, EdgeShape()), alpha)
    assert np.array_equal(shaped(alpha, EdgeShape(strength=strength)), alpha)
    assert np.array_equal(shaped(alpha, EdgeShape(pull_px=5, crisp=1, strength=0)), alpha)


@pytest.mark.parametrize("px", [-6.0, -1.5, 1.0, 4.0])
def test_an_edge_is_pulled_by_so_many_pixels_and_keeps_its_softness(px: float) -> None:
    out = shaped(_disc(), EdgeShape(pull_px=px))

    assert _radius(out) - _radius(_disc()) == pytest.approx(px, abs=0.25)
    assert np.abs(np.diff(out[80])).max() == pytest.approx(1 / 3, abs=0.06)


def test_out_and_in_again_is_nearly_the_identity() -> None:
    back = shaped(shaped(_disc(), EdgeShape(pull_px=3)), EdgeShape(pull_px=-3))

    assert np.abs(back - _disc()).max() < 0.1


def test_crisper_is_steeper_softer_is_flatter_and_neither_moves_the_edge() -> None:
    plain = _disc(ramp=6)
    crisp, soft = shaped(plain, EdgeShape(crisp=0.6)), shaped(plain, EdgeShape(crisp=-0.8))

    steep = [np.abs(np.diff(part[80])).max() for part in (soft, plain, crisp)]
    assert steep == sorted(steep)
    assert steep[2] > 2.5 * steep[1] > 2.5 * steep[0]
    assert _radius(crisp) == pytest.approx(_radius(plain), abs=0.1)
    assert _radius(soft) == pytest.approx(_radius(plain), abs=0.2)


def test_bumps_shorter_than_a_length_are_evened_out_and_the_edge_stays_as_steep() -> None:
    ragged, smooth = _disc(bumps=1.5), _disc()

    out = shaped(ragged, EdgeShape(even_px=14))

    assert np.abs(out - smooth).mean() < 0.35 * np.abs(ragged - smooth).mean()
    assert np.abs(np.diff(out[80])).max() > 0.2


def test_ends_and_middle_of_the_values_are_set() -> None:
    values = np.linspace(0, 1, 101, dtype=np.float32)[None].repeat(9, axis=0)

    out = shaped(values, EdgeShape(clear_below=0.1, solid_above=0.9, middle=0.25))[4]

    assert (out[:10] == 0).all()
    assert (out[91:] == 1).all()
    assert out[30] == pytest.approx(0.5, abs=0.01)


def test_half_the_strength_is_half_the_way() -> None:
    full, half = (shaped(_disc(), EdgeShape(pull_px=4, strength=s)) for s in (1.0, 0.5))

    assert np.allclose(half, (full + _disc()) / 2, atol=1e-5)


def test_the_profile_of_a_ramp_is_that_ramp() -> None:
    profile = measured_profile(_disc(ramp=8), reach=6)

    assert profile is not None
    assert profile == pytest.approx(np.clip(np.arange(-6, 7) / 8 + 0.5, 0, 1), abs=0.05)
    assert measured_profile(np.ones((20, 20), np.float32)) is None
    assert measured_profile(np.zeros((20, 20), np.float32)) is None


def test_a_coarser_level_is_shaped_alike() -> None:
    fine = shaped(_disc(), EdgeShape(pull_px=4)).reshape(80, 2, 90, 2).mean(axis=(1, 3))
    coarse = shaped(_disc().reshape(80, 2, 90, 2).mean(axis=(1, 3)), EdgeShape(pull_px=4), 0.5)

    assert np.abs(fine - coarse).mean() < 0.01
