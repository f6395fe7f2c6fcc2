"""A small studio: a textured wall, a disc with a soft rim before it, and second frames taken from a tripod that gave."""

from pathlib import Path

import cv2
import numpy as np
from PIL import Image

__all__ = ["ALPHA", "DRIFT", "again", "bare_wall", "drifted", "noise", "photo", "save", "subject"]

_HEIGHT, _WIDTH, _RADIUS = 300, 420, 80
DRIFT = (4.0, -3.0, 0.5, 0.2)
"""Pixels to the right and down, degrees, stops darker."""


def noise(seed: int, sigma: float, shape: tuple[int, ...] = (_HEIGHT, _WIDTH, 3)) -> np.ndarray:
    field = cv2.GaussianBlur(np.random.default_rng(seed).standard_normal(shape).astype(np.float32), (0, 0), sigma)
    return np.asarray(field / field.std(), np.float32)


def _alpha() -> np.ndarray:
    ys, xs = np.mgrid[:_HEIGHT, :_WIDTH]
    away = np.hypot(ys - _HEIGHT / 2, xs - _WIDTH / 2)
    return np.clip((_RADIUS + 8 - away) / 16, 0, 1).astype(np.float32)


ALPHA = _alpha()


def bare_wall() -> np.ndarray:
    wall = np.array([0.30, 0.42, 0.40], np.float32) + 0.07 * noise(1, 2.5) + 0.05 * noise(2, 9)
    return np.clip(wall, 0.03, 0.97)


def subject() -> np.ndarray:
    return np.clip(np.array([0.80, 0.45, 0.22], np.float32) + 0.06 * noise(3, 2.0), 0, 1)


def _grain(picture: np.ndarray, seed: int) -> np.ndarray:
    return np.clip(picture + 0.006 * np.random.default_rng(seed).standard_normal(picture.shape), 0, 1)


def drifted(picture: np.ndarray, drift: tuple[float, float, float, float] = DRIFT) -> np.ndarray:
    right, down, turn_deg, stops = drift
    matrix = cv2.getRotationMatrix2D((_WIDTH / 2, _HEIGHT / 2), turn_deg, 1.0)
    matrix[:, 2] += right, down
    moved = cv2.warpAffine(picture, matrix, (_WIDTH, _HEIGHT), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    return np.clip(np.clip(moved, 0, 1) ** 2.2 * 2**-stops, 0, 1) ** (1 / 2.2)


def photo(alpha: np.ndarray = ALPHA) -> np.ndarray:
    return _grain(alpha[..., None] * subject() + (1 - alpha[..., None]) * bare_wall(), 4)


def again() -> np.ndarray:
    cloth = np.full((_HEIGHT, _WIDTH, 3), 0.85, np.float32)
    return _grain(drifted(ALPHA[..., None] * subject() + (1 - ALPHA[..., None]) * cloth), 5)


def save(path: Path, picture: np.ndarray, bits: int = 8) -> Path:
    if bits == 16:
        cv2.imwrite(str(path), np.round(picture[..., ::-1] * 65535).astype(np.uint16))
    else:
        Image.fromarray(np.round(picture * 255).astype(np.uint8)).save(path)
    return path
