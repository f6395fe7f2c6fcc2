"""Frames are brought over photos to a fraction of a pixel, and what they tell of alpha is true, or not believed."""

import cv2
import numpy as np
import pytest

import studio
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.plate.alignment import align, brought_over, nudged
from peel.matte.plate.difference import cast_shadow, standing_before
from peel.matte.plate.known_backdrop import known_backdrop, lit_like
from peel.matte.plate.known_foreground import known_foreground
from peel.matte.plate.told import Compared
from peel.matte.plate.two_backdrops import two_backdrops
from peel.matte.solve.noise import NoiseCurve, measure_noise

_SHAPE = studio.ALPHA.shape


def _bytes(picture: np.ndarray) -> np.ndarray:
    return np.round(picture * 255).astype(np.uint8)


def _zones() -> np.ndarray:
    zones = np.full(_SHAPE, UNKNOWN, np.uint8)
    zones[cv2.erode((studio.ALPHA == 1).astype(np.uint8), np.ones((9, 9))) > 0] = FOREGROUND
    zones[cv2.erode((studio.ALPHA == 0).astype(np.uint8), np.ones((9, 9))) > 0] = BACKGROUND
    return zones


@pytest.mark.parametrize("drift", [(0.0, 0.0, 0.0, 0.0), studio.DRIFT, (-7.0, 6.5, -1.0, -0.3)])
def test_a_set_is_brought_over_the_photo_to_a_fraction_of_a_pixel(drift: tuple[float, float, float, float]) -> None:
    photo, frame = _bytes(studio.photo()), _bytes(studio.drifted(studio.bare_wall(), drift))
    found = align(photo, frame)
    truth = cv2.getRotationMatrix2D((_SHAPE[1] / 2, _SHAPE[0] / 2), drift[2], 1.0)
    truth[:, 2] += drift[:2]
    corners = np.array([[0, 0, 1], [_SHAPE[1], 0, 1], [0, _SHAPE[0], 1], [_SHAPE[1], _SHAPE[0], 1]], float).T
    there = found.transform @ corners
    assert np.abs(there[:2] / there[2] - truth @ corners).max() < 0.5
    assert found.stops == pytest.approx(drift[3], abs=0.05)
    over, inside = brought_over(frame, found, _SHAPE)
    off = np.abs(over / 255.0 - studio.bare_wall()).mean(axis=2)
    assert np.median(off[inside]) < 0.012


def test_the_same_subject_before_another_backdrop_agrees_where_it_is_and_not_along_the_rim() -> None:
    found = align(_bytes(studio.photo()), _bytes(studio.again()))
    assert found.agrees_along_rim < 0.2
    assert found.agrees[studio.ALPHA == 1].mean() > 0.9


def test_a_frame_moved_by_hand_moves_by_that_much() -> None:
    found = align(_bytes(studio.photo()), _bytes(studio.bare_wall()))
    moved = nudged(found, 12.0, -5.0, 0.0, _SHAPE)
    plain, shifted = (brought_over(_bytes(studio.bare_wall()), one, _SHAPE)[0] for one in (found, moved))
    inner = np.s_[40:-40, 40:-40]
    assert np.abs(np.roll(plain, (-5, 12), (0, 1))[inner].astype(int) - shifted[inner]).mean() < 2


def test_light_that_falls_off_smoothly_is_followed_and_a_cloth_that_moved_is_not_believed() -> None:
    wall, clear = studio.bare_wall(), np.ones(_SHAPE, np.float32)
    fall = np.linspace(1.0, 0.7, _SHAPE[1], dtype=np.float32)[None, :, None]
    lit, variance = lit_like(wall * fall, wall, clear)
    assert np.abs(lit - wall * fall).mean() < 0.01
    moved = wall.copy()
    moved[:, 280:] = np.roll(wall, 25, axis=0)[:, 280:]
    _, moved_variance = lit_like(wall, moved, clear)
    assert np.sqrt(moved_variance[:, 340:].mean()) > 5 * np.sqrt(variance.mean())


def _compared(image: np.ndarray, frame: np.ndarray, noise: NoiseCurve) -> Compared:
    zones = _zones()
    pictures = image.astype(np.float32), frame.astype(np.float32)
    return Compared(*pictures, zones, np.ones(_SHAPE, bool), zones == UNKNOWN, noise)


def _told(photo: np.ndarray, plate: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    zones, image = _zones(), photo.astype(np.float32)
    palette = image[zones == FOREGROUND][::500]
    told = known_backdrop(_compared(image, plate, measure_noise(image)), palette=palette, step=1)
    return told.weight, told.pull


def test_a_known_set_tells_alpha_where_it_is_sure() -> None:
    weight, pull = _told(studio.photo(), studio.bare_wall())
    sure = weight > np.quantile(weight[_zones() == UNKNOWN], 0.6)
    assert sure.sum() > 1000
    off = np.abs(pull[sure] / weight[sure] - studio.ALPHA[sure])
    assert off.mean() < 0.06


def test_a_set_that_is_another_one_says_next_to_nothing() -> None:
    right, _ = _told(studio.photo(), studio.bare_wall())
    wrong, _ = _told(studio.photo(), np.roll(studio.bare_wall(), 90, axis=1))
    assert wrong.sum() < 0.05 * right.sum()


def test_two_even_backdrops_give_alpha_and_a_busy_one_says_nothing() -> None:
    cloths = [np.full((*_SHAPE, 3), tone, np.float32) for tone in (0.2, 0.85)]
    a, zones = studio.ALPHA[..., None], _zones()
    frames = [(a * studio.subject() + (1 - a) * cloth).astype(np.float32) for cloth in cloths]
    noise = measure_noise(frames[0])
    told = two_backdrops(_compared(*frames, noise))
    band = zones == UNKNOWN
    assert np.abs(told.pull[band] / told.weight[band] - studio.ALPHA[band]).max() < 0.03
    busy = (a * studio.subject() + (1 - a) * np.clip(0.5 + 8 * (studio.bare_wall() - 0.4), 0, 1)).astype(np.float32)
    unsure = two_backdrops(_compared(busy, frames[1], noise))
    assert unsure.weight[band].mean() < 0.02 * told.weight[band].mean()


def test_a_subject_that_moved_between_two_backdrops_is_not_believed() -> None:
    a, zones = studio.ALPHA[..., None], _zones()
    first = (a * studio.subject() + (1 - a) * 0.2).astype(np.float32)
    second = (a * np.roll(studio.subject(), 9, axis=0) + (1 - a) * 0.85).astype(np.float32)
    band = zones == UNKNOWN
    noise = measure_noise(np.full((*_SHAPE, 3), 0.5, np.float32) + 0.006 * studio.noise(7, 0.3))
    still = two_backdrops(_compared(first, (a * studio.subject() + (1 - a) * 0.85).astype(np.float32), noise))
    assert two_backdrops(_compared(first, second, noise)).weight[band].mean() < 0.25 * still.weight[band].mean()


def test_the_subjects_own_colour_follows_from_the_set_but_not_where_hardly_any_of_it_is_seen() -> None:
    a = studio.ALPHA
    photo = (a[..., None] * studio.subject() + (1 - a[..., None]) * studio.bare_wall()).astype(np.float32)
    wrong = np.full((*_SHAPE, 3), 0.5, np.float32)
    known = np.zeros(_SHAPE, np.float32)
    found = known_foreground(photo, studio.bare_wall(), known, a, wrong)
    half = (a > 0.6) & (a < 1)
    off, before = (np.abs(colours - studio.subject())[half].mean() for colours in (found, wrong))
    assert off < 0.15 * before
    np.testing.assert_allclose(found[a == 0], wrong[a == 0], atol=1e-6)
    np.testing.assert_allclose(found[(a > 0) & (a < 0.05)], wrong[(a > 0) & (a < 0.05)], atol=0.05)
    unknown = known_foreground(photo, studio.bare_wall(), np.full(_SHAPE, np.inf, np.float32), a, wrong)
    np.testing.assert_allclose(unknown, wrong, atol=1e-6)


def test_a_shadow_on_the_set_is_no_subject() -> None:
    wall = studio.bare_wall()
    cast = cv2.GaussianBlur(np.roll(studio.ALPHA, (40, 60), (0, 1)), (0, 0), 15)[..., None]
    dark = (wall**2.2 * (1 - 0.5 * cast)) ** (1 / 2.2)
    photo = (studio.ALPHA[..., None] * studio.subject() + (1 - studio.ALPHA[..., None]) * dark).astype(np.float32)
    shadow = cast_shadow(photo, wall, 0.006)
    deep = (cast[..., 0] > 0.5) & (studio.ALPHA == 0)
    assert shadow[deep].mean() > 0.9
    residual = np.abs(photo - wall).mean(axis=2) / np.float32(0.008)
    found = standing_before(photo, wall, residual, 0.006)
    truth = studio.ALPHA > 0.5
    assert (found & truth).sum() / (found | truth).sum() > 0.8
