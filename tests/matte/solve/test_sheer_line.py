"""A veil of one colour: its alpha is read off, its colour estimated."""

import cv2
import numpy as np

from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.solve.sheer_line import sheer_colour, sheer_evidence

_OWN = np.array([0.6, 0.55, 0.5], np.float32)


def _veil() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Hang a veil in folds before a dark wall: photo (linear), zones, alpha."""
    rows, columns = np.mgrid[:160, :240]
    alpha = (0.45 + 0.25 * np.sin(columns / 9)).astype(np.float32)
    alpha[:, :40], alpha[:, 200:] = 1, 0
    wall = np.stack([0.03 + 0.02 * np.sin(rows / 17), 0.03 + 0 * rows, 0.05 + 0.02 * np.cos(columns / 23)], axis=2)
    colours = np.broadcast_to(_OWN, wall.shape).copy()
    colours[:, :40] = (0.3, 0.1, 0.1)
    photo = (alpha[..., None] * colours + (1 - alpha[..., None]) * wall).astype(np.float32)
    zones = np.full(alpha.shape, UNKNOWN, np.uint8)
    zones[:, :36], zones[:, 205:] = FOREGROUND, BACKGROUND
    return photo, zones, alpha


def test_the_alpha_of_a_veil_of_known_colour_is_read_off() -> None:
    photo, zones, alpha = _veil()

    sure, found = sheer_evidence(photo, zones, _OWN)

    inside = np.zeros(zones.shape, bool)
    inside[:, 60:185] = True
    assert sure[inside].mean() > 0.8
    assert np.abs(found - alpha)[inside].mean() < 0.04
    assert not sure[zones != UNKNOWN].any()


def test_the_estimated_colour_lies_beyond_what_is_seen() -> None:
    photo, zones, _ = _veil()

    own = sheer_colour(photo, zones, np.ones(zones.shape, np.float32))

    assert own is not None
    assert np.abs(own - _OWN).max() < 0.15
    assert own.mean() > photo[:, 60:190].mean(axis=2).max()


def test_narrow_bands_and_missing_backdrops_say_nothing() -> None:
    photo, zones, _ = _veil()
    narrow = np.where(np.arange(240) < 118, FOREGROUND, BACKGROUND).astype(np.uint8)[None].repeat(160, axis=0)
    narrow[:, 116:120] = UNKNOWN
    assert sheer_colour(photo, narrow, np.ones(zones.shape, np.float32)) is None
    assert not sheer_evidence(photo, narrow, _OWN)[0].any()
    assert not sheer_evidence(photo, np.full_like(zones, UNKNOWN), _OWN)[0].any()


def test_a_picked_colour_equal_to_the_backdrops_gives_numbers() -> None:
    photo, zones, _ = _veil()
    behind = cv2.blur(photo, (5, 5))[80, 220]

    sure, found = sheer_evidence(photo, zones, behind)

    assert np.isfinite(sure).all()
    assert np.isfinite(found).all()
    assert found.min() >= 0
    assert found.max() <= 1
