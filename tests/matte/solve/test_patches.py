"""What looks like the outside is the outside; what nothing explains stays unsaid."""

import numpy as np
import pytest

from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.solve.patches import patch_distances, patch_evidence


def _bricks(shape: tuple[int, int], seed: int) -> np.ndarray:
    """Draw a wall whose courses repeat."""
    rows, columns = np.mgrid[: shape[0], : shape[1]]
    joint = (rows % 12 < 2) | ((columns + 10 * (rows // 12 % 2)) % 20 < 2)
    rng = np.random.default_rng(seed)
    wall = np.where(joint[..., None], (0.75, 0.72, 0.68), (0.45, 0.25, 0.18))
    return (wall + rng.normal(0, 0.006, wall.shape)).astype(np.float32)


def test_a_patch_that_repeats_differs_by_noise_alone() -> None:
    wall = _bricks((120, 160), 1)
    source = np.zeros((120, 160), np.uint8)
    source[:, 60:] = 1
    places = np.ascontiguousarray(np.argwhere(source == 0), np.int32)

    away = patch_distances(wall, places, source, 75)

    assert np.median(away) < 3 * 2 * 0.006**2
    assert np.percentile(away, 90) < 10 * 2 * 0.006**2


def test_the_wall_within_the_band_is_backdrop_and_the_coat_is_subject() -> None:
    photo, truth = _bricks((240, 320), 2), np.zeros((240, 320), bool)
    truth[:, :150] = True
    rng = np.random.default_rng(5)
    cloth = np.array([0.2, 0.25, 0.4]) * (1 + 0.2 * np.sin(np.arange(240) / 3))[:, None, None]
    photo[truth] = (cloth + rng.normal(0, 0.006, (240, 320, 3)))[truth]
    zones = np.full(truth.shape, UNKNOWN, np.uint8)
    zones[:, :100], zones[:, 220:] = FOREGROUND, BACKGROUND

    backdrop, subject = patch_evidence(photo, zones, zones == UNKNOWN)

    assert backdrop[:, 160:215].mean() > 0.7
    assert subject[:, 105:140].mean() > 0.7
    assert backdrop[truth].mean() < 0.01
    assert subject[~truth].mean() < 0.01
    assert not backdrop[zones != UNKNOWN].any()


def test_what_looks_like_neither_side_is_left_alone() -> None:
    photo = _bricks((160, 200), 3)
    zones = np.full((160, 200), UNKNOWN, np.uint8)
    zones[:, :60], zones[:, 140:] = FOREGROUND, BACKGROUND
    photo[:, :60] = (0.1, 0.3, 0.2)
    photo[60:100, 80:120] = np.random.default_rng(6).random((40, 40, 3))

    backdrop, subject = patch_evidence(photo, zones, zones == UNKNOWN)

    assert (backdrop + subject)[66:94, 86:114].mean() < 0.05


@pytest.mark.parametrize("value", [BACKGROUND, FOREGROUND])
def test_with_one_side_only_or_one_colour_everywhere_there_is_an_answer(value: int) -> None:
    flat = np.full((40, 50, 3), 0.4, np.float32)
    zones = np.full((40, 50), UNKNOWN, np.uint8)
    zones[:, 30:] = value

    for part in patch_evidence(flat, zones, zones == UNKNOWN):
        assert np.isfinite(part).all()
        assert part.min() >= 0
        assert part.max() <= 1


def test_a_single_row_of_pixels_is_enough() -> None:
    zones = np.array([[FOREGROUND, UNKNOWN, UNKNOWN, BACKGROUND]], np.uint8)

    backdrop, subject = patch_evidence(np.zeros((1, 4, 3), np.float32), zones, zones == UNKNOWN)

    assert backdrop.shape == subject.shape == (1, 4)
