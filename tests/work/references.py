"""What comes out of many settings at once, against what came out when somebody last looked at it.

Each case puts many settings to use on a small picture and compares the result, square by square, with kept values beside
the tests (`data/<name of the file of tests>.npz`). A change that is meant changes them: run that file with
`PEEL_REFERENCES=write`, look at what the failing cases were about, and keep the new values in the same commit. Kernels may
differ in their last bits from processor to processor, which is what the tolerances allow.
"""

import os
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from peel.demo.photos import demo_photo
from peel.job.edits.values import use_zones, with_matte
from peel.job.job import Job, Photo, new_job
from peel.work.stages import Cache, Stages

WRITES = os.environ.get("PEEL_REFERENCES") == "write"
SQUARES = (16, 12)


class Cases(dict[str, tuple[Callable[[], Any], float]]):
    """The cases of a file of tests, by their names, with their tolerances."""

    def __init__(self, file: str) -> None:
        super().__init__()
        self._kept = Path(file).parent / "data" / f"{Path(file).stem.removeprefix('test_')}.npz"

    def __call__(self, tolerance: float = 0.004) -> Callable[[Callable[[], Any]], Callable[[], Any]]:
        def take(make: Callable[[], Any]) -> Callable[[], Any]:
            self[make.__name__] = make, tolerance
            return make

        return take

    def check(self, name: str) -> None:
        """Compare what a case gives with what was kept, or keep it."""
        make, tolerance = self[name]
        found = flatten(make()).astype(np.float32)
        kept = self._read()
        if WRITES:
            np.savez_compressed(self._kept, **{**kept, name: found})
            return
        assert found.shape == kept[name].shape
        off = np.abs(found - kept[name]) / np.maximum(1, np.abs(kept[name]))
        assert off.max() < tolerance, (
            f"at {off.argmax()} of {off.size}: {kept[name][off.argmax()]} became {found[off.argmax()]}"
        )

    def _read(self) -> dict[str, np.ndarray]:
        if not self._kept.exists():
            return {}
        with np.load(self._kept) as found:
            return dict(found)


@lru_cache
def scene(name: str = "lamplighter", part: tuple[int, int, int, int] = (0, 0, 10_000, 10_000), by: int = 8) -> Job:
    """Return a demo photo made small, with its true matte, zones and kinds."""
    demo = demo_photo(name)

    def read(path: Path, way: int) -> np.ndarray:
        whole = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)[part[0] : part[2], part[1] : part[3]]
        return cv2.resize(whole, (whole.shape[1] // by, whole.shape[0] // by), interpolation=way)

    pixels = read(demo.photo, cv2.INTER_AREA)[..., ::-1]
    job = use_zones(new_job(Photo(f"{name}.png", np.ascontiguousarray(pixels))), read(demo.zones, cv2.INTER_NEAREST))
    alpha = read(demo.matte, cv2.INTER_AREA).astype(np.float32) / 255
    return with_matte(job, job.photo.bounds, alpha)


def spoilt() -> Job:
    """Return the lamplighter with a hole, a speck, haze, a see-through and a shifted stretch in its true matte."""
    job = scene()
    alpha = job.alpha(job.photo.bounds).copy()
    alpha[110:116, 180:186] = 0
    alpha[20:24, 20:25] = 1
    alpha[200:240, 40:90] = np.maximum(alpha[200:240, 40:90], 0.12)
    alpha[140:170, 190:230] *= 0.75
    alpha[60:70] = np.roll(alpha[60:70], 4, axis=1)
    return with_matte(job, job.photo.bounds, alpha)


def stages_of(job: Job) -> Stages:
    return Stages(job.photo, Cache(100_000_000))


def _squares(values: np.ndarray) -> np.ndarray:
    """Average over a few squares, each channel by itself, and add how much varies within them."""
    picture = np.ascontiguousarray(values, np.float32)
    mean = cv2.resize(picture, SQUARES, interpolation=cv2.INTER_AREA)
    square = cv2.resize(picture * picture, SQUARES, interpolation=cv2.INTER_AREA)
    return np.stack([mean, np.sqrt(np.maximum(square - mean * mean, 0))])


def flatten(found: Any) -> np.ndarray:
    """Turn pictures, numbers and words into one row of numbers."""
    if isinstance(found, np.ndarray):
        return (_squares(found) if found.ndim > 1 and found.size > 400 else found.astype(np.float64)).ravel()
    if isinstance(found, str):
        return np.array([sum((i + 1) * ord(letter) for i, letter in enumerate(found)) % 100_003], np.float64)
    if isinstance(found, dict):
        return flatten([part for key in sorted(found, key=str) for part in (str(key), found[key])])
    if isinstance(found, list | tuple):
        return np.concatenate([flatten(part) for part in found]) if found else np.zeros(0)
    return np.array([float(found if found is not None else -1)], np.float64)
