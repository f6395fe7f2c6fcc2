import itertools
from typing import Any

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from peel.errors import Cancelled
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.parallel import cancellable
from peel.matte.solve.closed_form import Given, clean_ends, solve_matte
from peel.matte.solve.laplacian import assemble_band
from peel.matte.solve.settings import EdgeTerms, SolveSettings

Disc = tuple[np.ndarray, np.ndarray, np.ndarray]


def _dense_laplacian(image: np.ndarray, eps: float) -> np.ndarray:
    """Levin et al. 2008, eq. 12, written as it stands, for a tiny picture."""
    height, width = image.shape[:2]
    total = np.zeros((height * width, height * width))
    for y in range(1, height - 1):
        for x in range(1, width - 1):
            ids = [(y + dy) * width + x + dx for dy in (-1, 0, 1) for dx in (-1, 0, 1)]
            colours = image.reshape(-1, 3)[ids].astype(float)
            centred = colours - colours.mean(0)
            inverse = np.linalg.inv(centred.T @ centred / 9 + eps / 9 * np.eye(3))
            total[np.ix_(ids, ids)] += np.eye(9) - (1 + centred @ inverse @ centred.T) / 9
    return total


def test_equals_dense_algebra_on_a_tiny_picture() -> None:
    rng = np.random.default_rng(3)
    image = rng.random((9, 11, 3), np.float32)
    zones = np.full((9, 11), 128, np.uint8)
    zones[:, :2], zones[:, -2:] = 255, 0
    unknown = (zones == 128).ravel()
    dense = _dense_laplacian(image, 1e-3)
    expected = np.linalg.solve(
        dense[np.ix_(unknown, unknown)], -dense[np.ix_(unknown, ~unknown)] @ (zones.ravel()[~unknown] / 255)
    )

    system = assemble_band(image, zones == 128, (zones == 255).astype(np.float32), 1e-3)
    settings = SolveSettings(eps=1e-3, tolerance=1e-7, clean=0)
    alpha, report = solve_matte(image, zones, settings=settings)

    assert system.size == unknown.sum()
    assert report.converged
    np.testing.assert_allclose(alpha.ravel()[unknown], np.clip(expected, 0, 1), atol=2e-4)


def test_recovers_two_colour_mixtures_exactly(disc: Disc) -> None:
    photo, truth, zones = disc

    alpha, report = solve_matte(photo, zones)

    assert report.converged
    assert alpha.dtype == np.float32
    assert np.abs(alpha - truth).max() < 0.02


def test_zones_are_kept_exactly(disc: Disc) -> None:
    photo, _, zones = disc
    noisy = photo + np.random.default_rng(0).normal(0, 0.1, photo.shape).astype(np.float32)

    alpha, _ = solve_matte(noisy, zones)

    assert (alpha[zones == 255] == 1).all()
    assert (alpha[zones == 0] == 0).all()
    assert ((alpha >= 0) & (alpha <= 1)).all()


@pytest.mark.parametrize("turn", [np.fliplr, np.flipud, np.rot90])
def test_turning_the_photo_turns_the_matte(disc: Disc, turn: Any) -> None:
    photo, _, zones = disc
    settings = SolveSettings(tolerance=1e-6)

    straight, _ = solve_matte(photo, zones, settings=settings)
    turned, _ = solve_matte(np.ascontiguousarray(turn(photo)), np.ascontiguousarray(turn(zones)), settings=settings)

    np.testing.assert_allclose(turn(straight), turned, atol=4 / 255)


@pytest.mark.parametrize("way", [0, 1])
def test_laying_the_photo_beside_itself_keeps_the_matte(disc: Disc, way: int) -> None:
    photo, _, zones = disc
    settings = SolveSettings(tolerance=1e-5)

    alone, _ = solve_matte(photo, zones, settings=settings)
    twice, _ = solve_matte(np.concatenate([photo] * 2, way), np.concatenate([zones] * 2, way), settings=settings)

    for half in np.split(twice, 2, axis=way):
        np.testing.assert_allclose(half, alone, atol=2 / 255)


def test_is_deterministic(disc: Disc) -> None:
    photo, _, zones = disc

    first, second = (solve_matte(photo, zones)[0] for _ in range(2))

    assert np.array_equal(first, second)


def test_a_held_rim_is_kept(disc: Disc) -> None:
    photo, _, zones = disc
    rim = np.full(zones.shape, np.nan, np.float32)
    rim[:, :80] = 0.25

    alpha, _ = solve_matte(photo, zones, Given(rim=rim))

    assert (alpha[:, :80][zones[:, :80] == 128] == np.float32(0.25)).all()


@pytest.mark.parametrize("after", [0, 1, 5, 30, 80])
def test_can_be_called_off_at_any_time(disc: Disc, after: int) -> None:
    photo, _, zones = disc
    asked = itertools.count()

    with pytest.raises(Cancelled), cancellable(lambda: next(asked) < after):
        solve_matte(photo, zones)

    assert next(asked) <= after + 4, "every thread stops when it is next asked"


def test_reports_when_it_does_not_converge(disc: Disc) -> None:
    photo, _, zones = disc
    settings = SolveSettings(tolerance=1e-9, max_iterations=2)

    _, report = solve_matte(photo, zones, settings=settings)

    assert not report.converged
    assert report.iterations == 2


@given(height=st.integers(1, 7), width=st.integers(1, 7), seed=st.integers(0, 1000))
def test_odd_little_pictures_never_break(height: int, width: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    image = rng.random((height, width, 3), np.float32)
    zones = rng.choice(np.array([0, 128, 255], np.uint8), (height, width))

    alpha, _ = solve_matte(image, zones)

    assert np.isfinite(alpha).all()
    assert ((alpha >= 0) & (alpha <= 1)).all()


def test_refuses_shapes_that_do_not_agree() -> None:
    with pytest.raises(ValueError, match="do not agree"):
        solve_matte(np.zeros((4, 4, 3), np.float32), np.zeros((4, 5), np.uint8))


def test_clean_ends_leaves_the_middle_alone() -> None:
    values = np.linspace(0.1, 0.9, 9, dtype=np.float32)

    assert np.array_equal(clean_ends(values, 0.05), values)


def test_what_is_no_number_in_a_float_photo_does_not_spread(disc: Disc) -> None:
    photo, truth, zones = disc
    broken = photo.copy()
    broken[10:12, 10:14], broken[40, 40] = np.nan, np.inf

    alpha, report = solve_matte(broken, zones)

    assert report.converged
    assert np.isfinite(alpha).all()
    away = (zones == 128) & (np.hypot(*(np.mgrid[: zones.shape[0], : zones.shape[1]] - 40)) > 12)
    assert np.abs(alpha - truth)[away].mean() < 0.02


def test_a_brighter_backdrop_does_not_move_a_hard_edge(disc: Disc) -> None:
    photo, truth, zones = disc
    brighter = photo + (1 - truth[..., None]) * np.float32(0.08)

    before, after = (solve_matte(picture, zones)[0] for picture in (photo, brighter))

    assert np.abs(before - after).max() < 0.03


def test_a_colour_given_by_hand_makes_sheer_cloth_half_clear() -> None:
    ys, xs = np.mgrid[:160, :220]
    cloth = 0.15 + 0.35 * (0.5 + 0.5 * np.sin(xs / 17) * np.cos(ys / 13))
    truth = np.where(xs < 60, 1.0, np.where(xs < 170, cloth, 0.0)).astype(np.float32)
    own = np.where((xs < 60)[..., None], (0.5, 0.3, 0.1), (0.8, 0.75, 0.95))
    photo = truth[..., None] * own + (1 - truth[..., None]) * (0.1, 0.12, 0.1)
    photo = (photo + np.random.default_rng(0).normal(0, 0.005, photo.shape)).astype(np.float32)
    zones = np.full(truth.shape, 128, np.uint8)
    zones[:, :50], zones[:, 180:] = 255, 0
    band = zones == 128

    alone, _ = solve_matte(photo, zones)
    given, _ = solve_matte(photo, zones, Given(own_colours=np.array([[0.8, 0.75, 0.95]], np.float32)))

    away, away_alone = np.abs(given - truth)[band].mean(), np.abs(alone - truth)[band].mean()
    assert away < 0.3 * away_alone, (away, away_alone)


def test_a_colour_given_by_mistake_changes_little(disc: Disc) -> None:
    photo, _, zones = disc

    alone, _ = solve_matte(photo, zones)
    given, _ = solve_matte(photo, zones, Given(own_colours=np.array([[0.2, 0.9, 0.1]], np.float32)))

    assert np.abs(given - alone).max() < 0.02


@pytest.mark.parametrize("shape", [(45, 3), (14, 32), (1, 40), (70, 90)])
def test_pieces_that_touch_no_zone_in_few_colours_do_no_harm(shape: tuple[int, int]) -> None:
    for seed in range(12):
        rng = np.random.default_rng(seed)
        photo = np.round(rng.random((*shape, 3)) * 3) / 3
        zones = rng.choice(np.array([0, 128, 128, 128, 255], np.uint8), (5, 6)).repeat(16, 0).repeat(16, 1)

        alpha, report = solve_matte(photo.astype(np.float32), np.ascontiguousarray(zones[: shape[0], : shape[1]]))

        assert np.isfinite(report.residual)
        assert np.all((alpha >= 0) & (alpha <= 1))


def test_where_nothing_is_marked_all_is_half_clear() -> None:
    photo = np.random.default_rng(2).random((30, 40, 3), np.float32)

    alpha, report = solve_matte(photo, np.full((30, 40), 128, np.uint8))

    assert report.iterations == 0
    np.testing.assert_allclose(alpha, 0.5, atol=1e-6)


def _photographed(clean: np.ndarray) -> np.ndarray:
    """Give a picture as from a camera: noise whose neighbours are alike, compressed."""
    noise = cv2.GaussianBlur(np.random.default_rng(4).normal(0, 1, clean.shape), (0, 0), 0.7)
    eight = (np.clip(clean + noise * (0.01 / noise.std()), 0, 1) * 255).round().astype(np.uint8)
    coded = cv2.imencode(".jpg", eight, [cv2.IMWRITE_JPEG_QUALITY, 88])[1]
    return cv2.imdecode(coded, cv2.IMREAD_COLOR).astype(np.float32) / 255


@pytest.mark.parametrize(("blur", "most"), [(0.8, 0.87), (6.0, 0.75)])
def test_an_edge_in_a_compressed_photo_is_cleaner_than_by_smoothness_alone(blur: float, most: float) -> None:
    ys, xs = np.mgrid[:200, :300]
    truth = cv2.GaussianBlur((xs > 150 + 12 * np.sin(ys / 17)).astype(np.float32), (0, 0), blur)
    truth[truth < 0.002], truth[truth > 0.998] = 0, 1
    backdrop = np.dstack([0.30 + 0.1 * ys / 200, 0.38 + 0 * xs, 0.45 + 0.1 * xs / 300])
    photo = _photographed(truth[..., None] * (0.75, 0.6, 0.4) + (1 - truth[..., None]) * backdrop)
    away = cv2.dilate(((truth > 0) & (truth < 1)).astype(np.uint8), np.ones((31, 31))) > 0
    trimap = np.where(away, UNKNOWN, np.where(truth > 0.5, FOREGROUND, BACKGROUND)).astype(np.uint8)

    found, _ = solve_matte(photo, trimap)
    alone = SolveSettings(terms=EdgeTerms(0, 0, 0, 0, 0, 0, 0), clean=0, tolerance=1e-5)
    smooth, _ = solve_matte(photo, trimap, settings=alone)

    sure = away & ((truth == 0) | (truth == 1))
    assert np.abs(found - truth)[away].mean() < most * np.abs(smooth - truth)[away].mean()
    assert (found == truth)[sure].mean() > 0.75
