"""Mattes enlarged along the photo's colours."""

import cv2
import numpy as np
import pytest

from peel.matte.solve.guided_upsampling import enlarge_matte, line_coefficients

SHAPE = (120, 160)


def _drawn() -> tuple[np.ndarray, np.ndarray]:
    """Draw strands of two colours' mixtures; returns photo and alpha."""
    down, across = np.mgrid[: SHAPE[0], : SHAPE[1]].astype(float)
    alpha = np.clip(1.6 * np.sin(across * 0.4 + down * 0.13) + 0.4, 0, 1)
    alpha[:, :20], alpha[:, 140:] = 1, 0
    subject, backdrop = np.array([0.7, 0.3, 0.1]), np.array([0.2, 0.4, 0.6])
    photo = alpha[..., None] * subject + (1 - alpha[..., None]) * backdrop
    return photo.astype(np.float32), alpha.astype(np.float32)


def _enlarged(photo: np.ndarray, alpha: np.ndarray, step: int, faint: float = 0.0) -> np.ndarray:
    size = (SHAPE[1] // step, SHAPE[0] // step)
    small, matte = (cv2.resize(part, size, interpolation=cv2.INTER_AREA) for part in (photo, alpha))
    out = np.full(SHAPE, np.nan, np.float32)
    lines = line_coefficients(small, matte)
    enlarge_matte(lines, lambda rows: photo[rows], np.ones(SHAPE, bool), step, (0, 0), out, faint)
    return out


@pytest.mark.parametrize("step", [2, 4])
def test_what_is_linear_in_the_colours_comes_back_sharper_than_by_interpolation(step: int) -> None:
    photo, alpha = _drawn()
    small = cv2.resize(alpha, (SHAPE[1] // step, SHAPE[0] // step), interpolation=cv2.INTER_AREA)
    smooth = cv2.resize(small, SHAPE[::-1], interpolation=cv2.INTER_CUBIC)

    found = _enlarged(photo, alpha, step)

    assert np.abs(found - alpha).mean() < 0.35 * np.abs(smooth - alpha).mean()
    assert found.min() >= 0
    assert found.max() <= 1


def test_plain_stretches_stay_exactly_plain_in_a_noisy_photo() -> None:
    photo, alpha = _drawn()
    noisy = photo + np.random.default_rng(1).normal(0, 0.02, photo.shape).astype(np.float32)

    found = _enlarged(noisy.astype(np.float32), alpha, 2)

    assert (found[:, :14] == 1).all()
    assert (found[:, 146:] == 0).all()


def test_only_what_is_asked_for_is_written_wherever_the_window_lies() -> None:
    photo, alpha = _drawn()
    small, matte = (cv2.resize(part, (80, 60), interpolation=cv2.INTER_AREA) for part in (photo, alpha))
    lines = line_coefficients(small, matte)
    whole, part = np.zeros(SHAPE, np.float32), np.full((40, 50), -1, np.float32)
    enlarge_matte(lines, lambda rows: photo[rows], np.ones(SHAPE, bool), 2, (0, 0), whole)
    asked = np.zeros(part.shape, bool)
    asked[5:30, 7:45] = True
    inside = photo[30:70, 60:110]

    enlarge_matte(lines, lambda rows: inside[rows], asked, 2, (30, 60), part)

    assert np.allclose(part[asked], whole[30:70, 60:110][asked], atol=1e-6)
    assert (part[~asked] == -1).all()


def test_faint_values_become_clear_or_solid() -> None:
    photo, alpha = _drawn()

    found = _enlarged(photo, alpha, 2, faint=0.05)

    ends = np.minimum(found, 1 - found)
    assert (ends[(ends > 0) & (ends < 0.02)].size) < (0.02 * found.size)
    assert ((found == 0) | (found == 1)).mean() > 0.4
