"""A folder that is filled as a tethered camera would: variants of the demo photos, still being written at first."""

import threading
from collections.abc import Callable
from pathlib import Path
from typing import Final

import cv2
import numpy as np
from PIL import Image

from peel.demo.photos import NAMES, demo_photo
from peel.matte.arrays import ByteArray

__all__ = ["arrive", "variant", "write_variants"]

_STEPS: Final = 4  # in which a file is written


def variant(name: str, number: int, scale: float = 1.0) -> ByteArray:
    """Draw a variant of a demo photo: moved a little, at another exposure, with noise of its own; (H, W, 3) uint8."""
    with Image.open(demo_photo(name).photo) as image:
        size = (round(image.width * scale), round(image.height * scale))
        pixels = np.asarray(image.resize(size, Image.Resampling.LANCZOS) if scale != 1 else image).astype(np.float32)
    rng = np.random.default_rng([number, len(name)])
    right, down = (int(part) for part in rng.integers(-12, 13, 2)) if number else (0, 0)
    matrix = np.array([[1.0, 0, right], [0, 1.0, down]])
    moved = cv2.warpAffine(pixels, matrix, size, borderMode=cv2.BORDER_REFLECT)
    exposure = 1 + (0.12 * (rng.random() - 0.5) if number else 0)
    noise = rng.standard_normal(moved.shape, np.float32) * 1.2 if number else 0
    return np.asarray(np.clip(moved * exposure + noise, 0, 255) + 0.5, np.uint8)


def write_variants(folder: Path, count: int, *, names: tuple[str, ...] = NAMES, scale: float = 1.0) -> list[Path]:
    """Write variants of the demo photos, one after another, as JPEG; return their paths."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = []
    for number in range(count):
        name = names[number % len(names)]
        path = folder / f"{name}-{number // len(names) + 1:02}.jpg"
        Image.fromarray(variant(name, number // len(names), scale)).save(path, quality=92)
        paths.append(path)
    return paths


def arrive(
    folder: Path,
    count: int,
    *,
    pause_s: float = 1.0,
    stop: threading.Event | None = None,
    scale: float = 0.5,
    told: Callable[[Path], object] | None = None,
) -> None:
    """Let photos arrive in a folder one by one; each is there before it is whole, as a camera writes it."""
    folder.mkdir(parents=True, exist_ok=True)
    stop = stop or threading.Event()
    for number in range(count):
        name = NAMES[number % len(NAMES)]
        path = folder / f"{name}-{number // len(NAMES) + 1:02}.jpg"
        temporary = folder / f".{path.name}.drawn"
        Image.fromarray(variant(name, number // len(NAMES), scale)).save(temporary, "JPEG", quality=92)
        content = temporary.read_bytes()
        temporary.unlink()
        with path.open("wb") as file:
            for step in range(_STEPS):
                file.write(content[len(content) * step // _STEPS : len(content) * (step + 1) // _STEPS])
                file.flush()
                if stop.wait(pause_s / (2 * _STEPS)):
                    return
        if told is not None:
            told(path)
        if stop.wait(pause_s / 2):
            return
