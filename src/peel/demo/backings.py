"""Backings of the demo assignment: a stage curtain, a night sky with a paper moon, plain paper, a tile of stars."""

from collections.abc import Callable
from pathlib import Path
from typing import Final

import cv2
import numpy as np
from PIL import Image

from peel.demo.camera import cloud, defocus, develop
from peel.matte.arrays import FloatArray
from peel.matte.composite.pattern import pattern

__all__ = ["BACKINGS", "BACKING_TITLES", "backing_file", "draw_backing", "write_backings"]

BACKINGS: Final = Path(__file__).parent / "backings"
BACKING_TITLES: Final = {
    "stage-curtain": "Stage curtain",
    "paper-moon": "Night sky with a paper moon",
    "plain-paper": "Plain paper",
    "star-tile": "Tile of stars",
}


def backing_file(name: str) -> Path:
    """Return where a backing lies, by its name in `BACKING_TITLES`."""
    return BACKINGS / f"{name}.jpg"


def _grid(width: int, height: int) -> tuple[FloatArray, FloatArray]:
    rows, columns = np.mgrid[:height, :width].astype(np.float32)
    return (columns + 0.5) / width, (rows + 0.5) / height


def _curtain(width: int, height: int) -> FloatArray:
    """Draw red velvet in folds, lit from above the stage, and the boards before it."""
    x, y = _grid(width, height)
    sway = 0.012 * np.sin(5 * y + 9 * x) + 0.02 * (cloud(width, height, 3, 1, 41, 3) - 0.5)
    fold = np.sin(2 * np.pi * 17 * (x + sway)) + 0.45 * np.sin(2 * np.pi * 41 * (x + 1.4 * sway) + 1.1)
    lit = 0.5 + 0.34 * fold
    nap = 0.9 + 0.2 * cloud(width, height, 300, 60, 42, 2)
    pool = np.exp(-(((x - 0.5) / 0.42) ** 2) - ((y - 0.42) / 0.5) ** 2)
    light = np.clip(lit, 0.03, 1) ** 1.6 * nap * (0.10 + 0.8 * pool) * (0.55 + 0.45 * np.clip(y / 0.9, 0, 1))
    velvet = light[..., None] * np.array([0.62, 0.045, 0.055], np.float32)
    boards = 0.5 + 0.5 * np.abs(np.sin(np.pi * 22 * (x - 0.5) / (0.35 + 1.5 * np.clip(y - 0.86, 0.001, 1))))
    wood = (0.16 + 0.10 * boards * cloud(width, height, 30, 6, 43, 4))[..., None] * np.array([1.0, 0.62, 0.34])
    hem = np.clip((y - 0.868) * 400, 0, 1)[..., None]
    shade = 1 - 0.75 * np.exp(-np.clip(y - 0.868, 0, 1) * 40)[..., None]
    return np.asarray(velvet * (1 - hem) + wood * shade * pool[..., None] * 1.6 * hem, np.float32)


def _night(width: int, height: int) -> FloatArray:
    """Draw a painted night with a moon cut from paper, hung on a thread, and its glow."""
    x, y = _grid(width, height)
    across = (x - 0.72) * width / height
    away = np.hypot(across, y - 0.30)
    paint = 0.75 + 0.5 * cloud(width, height, 9, 9, 51, 5)
    sky = np.array([0.012, 0.022, 0.075], np.float32) + (y**1.5)[..., None] * np.array([0.035, 0.05, 0.11], np.float32)
    sky = sky * paint[..., None] + 0.10 * np.exp(-away / 0.16)[..., None] * np.array([1.0, 0.9, 0.62], np.float32)
    rng = np.random.default_rng(52)
    stars = np.zeros((height, width), np.float32)
    for px, py, size in zip(rng.random(150), rng.random(150) * 0.85, rng.exponential(0.5, 150), strict=True):
        at = (int(px * width), int(py * height))
        cv2.circle(stars, at, max(1, round(height / 1100 * (0.6 + size))), 0.25 + min(size, 0.7), -1, cv2.LINE_AA)
    sky = sky + cv2.GaussianBlur(stars, (0, 0), height / 1600)[..., None] * np.array([0.9, 0.92, 1.0], np.float32)
    bite = np.hypot(across + 0.075, y - 0.265)
    edge = height * 0.9
    moon = np.clip((0.155 - away) * edge, 0, 1) * np.clip((bite - 0.115) * edge, 0, 1)
    fibre = 0.82 + 0.25 * cloud(width, height, 120, 120, 53, 3) + 0.12 * (across + 0.15)
    paper = fibre[..., None] * np.array([0.86, 0.80, 0.62], np.float32)
    thread = np.clip(1.2 - np.abs(x - 0.72) * width / (height / 900), 0, 1) * (y < 0.15)
    sky = sky + 0.10 * thread[..., None]
    return np.asarray(0.4 * sky * (1 - moon[..., None]) + paper * moon[..., None], np.float32)


def _paper(width: int, height: int) -> FloatArray:
    """Draw a sheet of warm paper under a window's light."""
    x, y = _grid(width, height)
    grain = 0.95 + 0.06 * cloud(width, height, 260, 200, 61, 3) + 0.05 * (cloud(width, height, 3, 3, 62, 4) - 0.5)
    fall = 0.86 - 0.22 * ((x - 0.32) ** 2 + (y - 0.25) ** 2)
    return np.asarray((grain * fall)[..., None] * np.array([0.90, 0.87, 0.80], np.float32), np.float32)


def _tile(width: int, height: int) -> FloatArray:
    """Draw a tile that repeats: gold stars on night blue, printed on cloth."""
    ink, ground = (0.78, 0.58, 0.20), (0.020, 0.032, 0.085)
    stars = pattern((0, 0, height, width), "stars", (ink, ground), period_px=width / 2)
    rows, columns = np.mgrid[:height, :width].astype(np.float32)
    weave = 1 + 0.06 * np.sin(2 * np.pi * columns * 60 / width) * np.sin(2 * np.pi * rows * 60 / height)
    return np.asarray(stars * weave[..., None], np.float32)


_MAKERS: Final[dict[str, tuple[Callable[[int, int], FloatArray], tuple[int, int], float]]] = {
    "stage-curtain": (_curtain, (3000, 2000), 1.5),
    "paper-moon": (_night, (3000, 2000), 0.8),
    "plain-paper": (_paper, (2400, 1800), 0.6),
    "star-tile": (_tile, (480, 480), 0.0),
}


def draw_backing(name: str, scale: float = 1.0) -> FloatArray:
    """Draw a backing as a camera would take it, (H, W, 3) encoded, at a share of its full size."""
    make, (width, height), soft_px = _MAKERS[name]
    width, height = round(width * scale), round(height * scale)
    picture = develop(defocus(make(width, height), soft_px * scale), 1.6)
    grain = np.random.default_rng(len(name)).standard_normal(picture.shape[:2]).astype(np.float32)
    noise = 0.0 if name == "star-tile" else 0.006
    return np.clip(picture + noise * cv2.GaussianBlur(grain, (0, 0), 0.6)[..., None], 0, 1)


def write_backings(folder: Path = BACKINGS) -> None:
    """Write every backing as a JPEG."""
    folder.mkdir(parents=True, exist_ok=True)
    for name in BACKING_TITLES:
        values = np.round(draw_backing(name) * 255).astype(np.uint8)
        Image.fromarray(values).save(folder / f"{name}.jpg", quality=88, optimize=True)
