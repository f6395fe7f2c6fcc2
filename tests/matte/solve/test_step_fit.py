"""Steps along contours: found where they are, as wide as they are, and bridged where nothing shows them."""

from math import erf

import cv2
import numpy as np

from peel.matte.solve.step_fit import fit_steps, step_prior, walk_contours


def _step(place: float, sigma: float, shape: tuple[int, int] = (120, 160)) -> np.ndarray:
    phi = np.vectorize(lambda t: 0.5 * (1 + erf(t / np.sqrt(2))))
    row = phi((np.arange(shape[1]) - place) / sigma)
    return np.repeat(row[None], shape[0], axis=0).astype(np.float32)


def _photo(alpha: np.ndarray, noise: float = 0.004) -> np.ndarray:
    rng = np.random.default_rng(1)
    inside, outside = np.array([0.7, 0.55, 0.4]), np.array([0.2, 0.3, 0.35])
    clean = alpha[..., None] * inside + (1 - alpha[..., None]) * outside
    return (clean + rng.normal(0, noise, clean.shape)).astype(np.float32)


def _band(place: float, reach: int = 20, shape: tuple[int, int] = (120, 160)) -> np.ndarray:
    return np.repeat((np.abs(np.arange(shape[1]) - place) < reach)[None], shape[0], axis=0)


def test_a_step_is_found_to_a_fifth_of_a_pixel_and_as_wide_as_it_is() -> None:
    truth = _step(80.3, 1.2)
    crude = np.clip(_step(82.5, 4.0), 0, 1)  # a preliminary matte that is off by two pixels, and a haze
    (contour,) = walk_contours(crude, _band(80))

    steps = fit_steps(_photo(truth), crude, contour, floor=0.01)

    found = contour.points[:, 0] + steps.offsets * contour.normals[:, 0]
    middle = contour.valid & (contour.points[:, 1] > 20) & (contour.points[:, 1] < 100)
    middle &= np.abs(contour.points[:, 0] - 82.5) < 4
    assert np.abs(found[middle] - 80.3).max() < 0.2
    assert np.abs(np.log(steps.sigmas[middle] / 1.2)).max() < np.log(1.5)


def test_the_prior_of_a_step_is_that_step() -> None:
    truth = _step(80.3, 1.2)

    sure, step = step_prior(_photo(truth), np.clip(_step(81.5, 2.0), 0, 1), _band(80), 0.01)

    acted = sure[20:100] > 0.9
    assert acted.mean() > 0.1
    assert np.abs(step - truth)[20:100][acted].max() < 0.08


def test_where_both_sides_look_alike_the_contour_carries_on() -> None:
    truth = _step(80.0, 1.2)
    photo = _photo(truth)
    photo[50:70] = np.array([0.5, 0.45, 0.4], np.float32)  # nothing to see over 20 rows
    crude = truth.copy()
    crude[50:70] = _step(85.0, 12.0)[50:70]  # where the preliminary matte is a haze that strays by five pixels

    _, step = step_prior(photo, crude, _band(80), 0.01)

    strayed = np.abs(crude - truth)[52:68, 70:95].mean()
    assert np.abs(step - truth)[52:68, 70:95].mean() < 0.75 * strayed


def test_nothing_is_said_about_strands_side_by_side() -> None:
    roots = 70 + 20 * ((np.arange(120) // 3) % 2)
    strands = (np.arange(160)[None] > roots[:, None]).astype(np.float32)
    strands = cv2.GaussianBlur(strands, (0, 0), 0.6)

    sure, _ = step_prior(_photo(strands), strands, _band(80, 40), 0.01)

    assert not sure.any()


def test_no_contour_no_step() -> None:
    nothing = np.zeros((40, 40), np.float32)

    sure, step = step_prior(np.full((40, 40, 3), 0.5, np.float32), nothing, np.ones((40, 40), bool), 0.01)

    assert not sure.any()
    assert not step.any()
