"""Spill, rims, tones and tints on drawn colours whose truth is known."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import soft_disc
from peel.matte.colour.rims import lightened, measured_rim, rim_corrected
from peel.matte.colour.spill import Spill, chroma_axis, despilled, find_spill
from peel.matte.colour.tinting import chroma_of, hue_chroma, tinted
from peel.matte.inspect.measures import ciede2000

CLOTHS = {"green": (0.15, 0.65, 0.25), "blue": (0.15, 0.25, 0.75), "red": (0.75, 0.15, 0.2)}
COLOURS = st.tuples(*[st.floats(0, 1)] * 3)


def _head(cloth: tuple[float, float, float], strength: float = 0.35) -> tuple[np.ndarray, np.ndarray]:
    """Give a doll's head of soft grays and blush, clean and under the light of a cloth."""
    rng = np.random.default_rng(4)
    clean = 0.55 + 0.25 * rng.random((60, 60, 1)) * np.ones(3) + rng.normal(0, 0.01, (60, 60, 3))
    light = np.asarray(cloth) - np.mean(cloth)
    return clean.astype(np.float32), np.clip(clean + strength * light, 0, 1).astype(np.float32)


@pytest.mark.parametrize("cloth", list(CLOTHS.values()), ids=list(CLOTHS))
def test_spill_of_any_hue_leaves_a_fifth_of_its_shift_at_most(cloth: tuple[float, float, float]) -> None:
    clean, spilled = _head(cloth)
    axis = chroma_axis(np.float32(cloth))

    made = despilled(spilled, Spill(np.float32(cloth), protect=0.0), 1.0)

    def along(colours: np.ndarray) -> float:
        plane = np.array([[1, -0.5, -0.5], [0, np.sqrt(3) / 2, -np.sqrt(3) / 2]]) * 2 / 3
        return float((colours.reshape(-1, 3) @ plane.T @ axis).mean())

    assert along(made) - along(clean) < 0.2 * (along(spilled) - along(clean))


@settings(max_examples=60)
@given(COLOURS, COLOURS, st.floats(0, 1))
def test_spill_never_adds_hue_and_nought_is_the_identity(colour: tuple, hue: tuple, amount: float) -> None:
    colours, spill = np.full((2, 2, 3), colour, np.float32), Spill(np.float32(hue))
    assert np.array_equal(despilled(colours, spill, 0.0), colours)
    made = despilled(colours, spill, amount)
    axis = chroma_axis(np.float32(hue))
    plane = np.array([[1, -0.5, -0.5], [0, np.sqrt(3) / 2, -np.sqrt(3) / 2]]) * 2 / 3
    assert ((made @ plane.T) @ axis <= (colours @ plane.T) @ axis + 1e-4).all()
    assert made.min() >= 0
    assert made.max() <= 1


def test_spill_spares_neutral_and_skin_and_other_hues() -> None:
    green = np.float32(CLOTHS["green"])
    other = np.float32([[[0.8, 0.2, 0.2], [0.5, 0.5, 0.5], [0.2, 0.3, 0.8]]])
    assert np.abs(despilled(other, Spill(green), 1.0) - other).max() < 0.004
    faint = np.float32([[[0.50, 0.54, 0.50]]])
    hard, soft = (despilled(faint, Spill(green, protect=p), 1.0) for p in (0.0, 1.0))
    assert np.abs(soft - faint).max() < 0.5 * np.abs(hard - faint).max()


def test_the_hue_is_found_from_a_coloured_backdrop_only() -> None:
    clear, deep, rim = np.zeros((3, 40, 40), bool)
    clear[:, :20], deep[:, 25:], rim[:, 21:24] = True, True, True
    photo = np.full((40, 40, 3), 0.5, np.float32)
    assert find_spill(photo, clear, deep, rim).hue is None
    photo[:, :20] = CLOTHS["green"]
    found = find_spill(photo, clear, deep, rim)
    assert found.hue is not None
    assert not found.is_shared
    photo[:, 25:] = np.float32(CLOTHS["green"]) * 0.8
    assert find_spill(photo, clear, deep, rim).is_shared
    photo[:, :20] = (0.55, 0.4, 0.27)  # wood
    assert find_spill(photo, clear, np.zeros_like(deep), rim).hue is None
    assert find_spill(photo, np.zeros_like(clear), deep, rim).hue is None


def test_the_width_of_the_hue_leaves_out_what_the_subject_is_like_itself() -> None:
    clear, deep, rim = np.zeros((3, 40, 40), bool)
    clear[:, :20], deep[:, 25:], rim[:, 21:24] = True, True, True
    photo = np.full((40, 40, 3), 0.5, np.float32)
    photo[:, :20] = CLOTHS["green"]

    def width(subject: tuple[float, float, float]) -> float:
        photo[:, 25:] = subject
        return float(np.rad2deg(find_spill(photo, clear, deep, rim).width))

    assert width((0.5, 0.5, 0.5)) == pytest.approx(150)  # a gray subject loses nothing
    yellow = width((0.6, 0.55, 0.2))
    assert 20 <= yellow < 150
    spared = np.full((4, 4, 3), (0.6, 0.55, 0.2), np.float32)
    assert np.array_equal(
        despilled(spared, Spill(np.float32(CLOTHS["green"]), np.deg2rad(yellow), 0.5, 0), 1.0), spared
    )


def test_a_stalk_of_the_backdrops_hue_in_full_is_the_subjects_own_and_a_tinge_is_not() -> None:
    clear, deep, rim = np.zeros((3, 40, 40), bool)
    clear[:, :20], deep[:, 25:], rim[:, 21:24] = True, True, True
    photo = np.full((40, 40, 3), 0.5, np.float32)
    photo[:, :20] = CLOTHS["green"]

    photo[:8, 20:25] = 0.5 + 0.3 * (np.float32(CLOTHS["green"]) - 0.5)
    assert not find_spill(photo, clear, deep, rim).is_shared
    photo[:8, 20:25] = CLOTHS["green"]
    assert find_spill(photo, clear, deep, rim).is_shared


@pytest.mark.parametrize("strength", [-0.3, 0.3])
def test_most_of_a_rim_is_taken_off_and_texture_stays(strength: float) -> None:
    _, alpha, _ = soft_disc(200, 200, 70)
    rng = np.random.default_rng(2)
    texture = rng.normal(0, 0.02, (200, 200, 1)).astype(np.float32)
    clean = np.clip(np.float32([0.5, 0.4, 0.35]) + texture, 0, 1)
    away = 70 - np.hypot(*(np.mgrid[:200, :200] - 100.0))
    fade = np.clip(1 - away / 6, 0, 1)[..., None] * (away > -5)[..., None]
    rimmed = np.clip(clean * (1 + strength * fade), 0, 1).astype(np.float32)

    excess, _, share = measured_rim(rimmed, alpha, 6.0)
    made = rim_corrected(rimmed, (excess, share), 1.0, 1.0)

    where = (fade[..., 0] > 0.2) & (alpha >= 1)
    before, after = (np.abs((part - clean).mean(axis=2)[where]).mean() for part in (rimmed, made))
    assert after < 0.3 * before
    flat = np.zeros_like(alpha)
    untouched = rim_corrected(rimmed, (excess, share), flat, flat)
    assert np.array_equal(untouched, rimmed)
    deep = away > 20
    assert np.array_equal(made[deep], rimmed[deep])


def test_darkening_leaves_dark_hair_and_lightening_light_hair() -> None:
    further = np.full((1, 2, 3), 0.4, np.float32)
    colours = np.float32([[[0.2, 0.2, 0.2], [0.8, 0.8, 0.8]]])
    darker = lightened(colours, further, np.full((1, 2), -1, np.float32))
    lighter = lightened(colours, further, np.full((1, 2), 1, np.float32))
    assert darker[0, :, 0] == pytest.approx([0.2, 0.4], abs=1e-5)
    assert lighter[0, :, 0] == pytest.approx([0.4, 0.8], abs=1e-5)
    assert np.array_equal(lightened(colours, further, np.zeros((1, 2), np.float32)), colours)


def test_a_tint_moves_chroma_and_keeps_brightness() -> None:
    rng = np.random.default_rng(3)
    blue = np.clip(np.float32([0.35, 0.4, 0.6]) + rng.normal(0, 0.02, (30, 30, 3)), 0, 1).astype(np.float32)
    brown = np.clip(np.float32([0.5, 0.4, 0.3]) + rng.normal(0, 0.02, (30, 30, 3)), 0, 1).astype(np.float32)
    whole = np.ones((30, 30), np.float32)
    own, aim = chroma_of(blue, whole), chroma_of(brown, whole)
    assert own is not None
    assert aim is not None

    made = tinted(blue, whole, own, aim)

    now = chroma_of(made, whole)
    assert now is not None
    assert now.mean == pytest.approx(aim.mean, abs=1.0)
    gray = np.float32([0.2126, 0.7152, 0.0722])
    assert np.abs((made - blue) @ gray).mean() < 0.03
    assert np.array_equal(tinted(blue, np.zeros_like(whole), own, aim), blue)
    assert chroma_of(blue, np.zeros_like(whole)) is None
    assert np.hypot(*hue_chroma(120, 0.4).mean) == pytest.approx(40)


def test_ciede2000_agrees_with_published_pairs() -> None:
    pairs = [
        ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
        ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
        ((50.0, 0.0, 0.0), (50.0, -1.0, 2.0), 2.3669),
        ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
        ((2.0776, 0.0795, -1.135), (0.9033, -0.0636, -0.5514), 0.9082),
    ]
    for one, other, truth in pairs:
        assert float(ciede2000(np.array(one), np.array(other))) == pytest.approx(truth, abs=1e-3)


def test_a_brush_that_darkens_leaves_alone_what_has_nothing_further_in() -> None:
    alpha = np.zeros((120, 240), np.float32)
    alpha[:, :60] = 1
    alpha[::6, 60:] = 0.6  # wisps that reach far out
    colours = np.full((120, 240, 3), 0.6, np.float32)
    colours[:, :50] = 0.3

    _, further, _ = measured_rim(colours, alpha, 6.0)
    darker = lightened(colours, further, np.full(alpha.shape, -1, np.float32))

    np.testing.assert_allclose(darker[:, 200:], colours[:, 200:], atol=1e-3)  # wisps far from anything solid
    assert darker.min() > 0.29  # never below the tone further in
    assert darker[60, 57].max() < 0.5  # the light rim itself is darkened
