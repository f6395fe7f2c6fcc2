"""Steps along contours: found where they are, as wide as they are, bridged, and silent where nothing calls for them."""

from math import erf

import cv2
import numpy as np
import pytest

from peel.matte.solve.contour_search import Sides, find_contours
from peel.matte.solve.step_fit import BLURRED, SHARP, find_steps

SHAPE = (200, 160)
IN_BETWEEN = slice(40, 160)  # rows away from the ends of the line


def _step(place: float, sigma: float) -> np.ndarray:
    phi = np.vectorize(lambda t: 0.5 * (1 + erf(t / np.sqrt(2))))
    row = phi((np.arange(SHAPE[1]) - place) / sigma)
    return np.repeat(row[None], SHAPE[0], axis=0).astype(np.float32)


def _photo(alpha: np.ndarray, noise: float = 0.004) -> np.ndarray:
    rng = np.random.default_rng(1)
    inside, outside = np.array([0.7, 0.55, 0.4]), np.array([0.2, 0.3, 0.35])
    clean = alpha[..., None] * inside + (1 - alpha[..., None]) * outside
    return (clean + rng.normal(0, noise, clean.shape)).astype(np.float32)


def _trimap(place: float, reach: float = 16) -> np.ndarray:
    away = np.arange(SHAPE[1]) - place
    row = np.where(away > reach, 255, np.where(away < -reach, 0, 128)).astype(np.uint8)
    return np.repeat(row[None], SHAPE[0], axis=0)


def _sides(odds: float = 0.0, far: float = 1.0) -> Sides:
    def compare(colours: np.ndarray, _places: np.ndarray) -> Sides:
        shape = colours.shape[:-1]
        return Sides(*(np.full(shape, value, np.float32) for value in (odds, far, far)))

    return compare  # type: ignore[return-value]


ALIKE = _sides()


def _found(photo: np.ndarray, trimap: np.ndarray, compare=ALIKE):
    return find_steps(photo, trimap, trimap == 128, compare, SHARP)


def test_a_contour_is_found_to_a_third_of_a_pixel_wherever_the_band_lies() -> None:
    trimap = _trimap(86)  # laid six pixels off

    (line,) = find_contours(_photo(_step(80.3, 1.0)), trimap, trimap == 128, ALIKE, SHARP.search)

    along = line.valid & (line.points[:, 1] > 40) & (line.points[:, 1] < 160)
    assert along.sum() > 100
    assert np.abs(line.points[along, 0] - 80.3).max() < 0.6
    assert np.abs(line.points[along, 0].mean() - 80.3) < 0.3
    assert np.ptp(line.points[along, 0]) < 0.1  # even along the contour
    assert (line.normals[along, 0] > 0.99).all()  # towards the subject


def test_a_wide_band_is_searched_at_a_smaller_size() -> None:
    trimap = _trimap(86, 60)

    (line,) = find_contours(_photo(_step(70.3, 1.0)), trimap, trimap == 128, ALIKE, SHARP.search)

    along = line.valid & (line.points[:, 1] > 60) & (line.points[:, 1] < 140)
    assert np.abs(line.points[along, 0] - 70.3).max() < 1


@pytest.mark.parametrize("sigma", [0.9, 1.6])
def test_a_step_is_as_wide_as_the_photo_s(sigma: float) -> None:
    truth = _step(80.3, sigma)
    steps = _found(_photo(truth), _trimap(80, 30))

    trust = steps.trust(truth)

    acted = trust[IN_BETWEEN] > 0.9
    assert acted.mean() > 0.02
    assert np.abs(steps.alpha - truth)[IN_BETWEEN][acted].max() < 0.15


@pytest.mark.parametrize("sigma", [1.5, 4.0, 8.0])
def test_a_blurred_edge_is_found_half_way_and_as_wide_as_it_is(sigma: float) -> None:
    truth = _step(80.3, sigma)
    trimap = _trimap(86, 30)

    steps = find_steps(_photo(truth), trimap, trimap == 128, ALIKE, BLURRED)

    assert (steps.trust(truth)[IN_BETWEEN, 78:83] > 0.9).all()
    off = np.abs(steps.alpha - truth)[IN_BETWEEN]
    assert off[:, 70:90].max() < 0.1


def test_the_contour_of_a_thin_part_stays_on_its_own_side() -> None:
    bar = _step(60.3, 3.0) - _step(100.3, 3.0)
    columns = np.arange(SHAPE[1])
    row = np.where(np.abs(columns - 80.3) < 4, 255, np.where(np.abs(columns - 80.3) > 36, 0, 128)).astype(np.uint8)
    trimap = np.repeat(row[None], SHAPE[0], axis=0)

    lines = find_contours(_photo(bar), trimap, trimap == 128, ALIKE, BLURRED.search)

    for line in lines:
        along = line.valid & (line.points[:, 1] > 40) & (line.points[:, 1] < 160)
        places, facing = line.points[along, 0], line.normals[along, 0]
        assert np.abs(places[facing > 0] - 60.3).max() < 1
        assert np.abs(places[facing < 0] - 100.3).max() < 1


def test_where_both_sides_look_alike_the_contour_carries_on() -> None:
    photo = _photo(_step(80.0, 1.0))
    photo[90:110] = np.array([0.5, 0.45, 0.4], np.float32)  # nothing to see over 20 rows
    trimap = _trimap(84)

    (line,) = find_contours(photo, trimap, trimap == 128, ALIKE, SHARP.search)

    bridged = line.valid & (line.points[:, 1] > 85) & (line.points[:, 1] < 115)
    assert np.abs(line.points[bridged, 0] - 80).max() < 1


def test_nothing_is_said_about_strands_side_by_side() -> None:
    roots = 70 + 20 * ((np.arange(SHAPE[0]) // 3) % 2)
    strands = (np.arange(SHAPE[1])[None] > roots[:, None]).astype(np.float32)
    strands = cv2.GaussianBlur(strands, (0, 0), 0.6)

    assert not _found(_photo(strands), _trimap(80, 30)).trust(strands).any()


@pytest.mark.parametrize(
    "compare",
    [_sides(odds=30.0), _sides(far=50.0)],
    ids=["colours that tell the sides apart", "colours of neither side"],
)
def test_nothing_is_said_where_no_step_is_called_for(compare) -> None:
    truth = _step(80.0, 1.0)

    assert not _found(_photo(truth), _trimap(84), compare).trust(truth).any()


def test_a_preliminary_matte_that_is_nothing_like_a_step_is_believed_where_colours_differ() -> None:
    steps = _found(_photo(_step(80.0, 1.0)), _trimap(80))

    haze = np.full(SHAPE, 0.5, np.float32)
    assert steps.trust(_step(80.0, 1.5))[IN_BETWEEN].any()
    assert not steps.trust(haze).any()


def test_between_two_lines_that_are_as_clear_none_is_chosen() -> None:
    photo = _photo(_step(80.0, 1.0))
    photo[:, 88:] = np.array(
        [0.2, 0.3, 0.35], np.float32
    )  # a bright stripe of eight pixels: either side may be the edge

    assert not _found(photo, _trimap(84)).trust(_step(80.0, 1.5)).any()


def test_no_contour_no_step() -> None:
    nothing = np.zeros((40, 40), np.float32)
    trimap = np.full((40, 40), 128, np.uint8)

    steps = find_steps(np.full((40, 40, 3), 0.5, np.float32), trimap, trimap == 128, ALIKE, SHARP)

    assert not steps.trust(nothing).any()
    assert not steps.alpha.any()
