"""Real photographs to stand behind drawn subjects, where this machine has some.

They are those of the packages mate-backgrounds (Debian) and scikit-image's samples, as `bench.photographs` uses them.
Nothing of them is shipped; without them the cases that need them are left out.
"""

import os
from functools import cache
from pathlib import Path
from typing import Final

import cv2
import numpy as np

from peel.demo.camera import defocus
from peel.matte.srgb import to_linear

__all__ = ["has_photographs", "photograph"]

_HALVES: Final = (
    ("Blinds", "Dune", "Garden", "RainDrops", "YellowFlower"),
    ("Elephants_3840x2160", "Storm", "TwoWings", "Wood", "LadyBird", "GreenMeadow"),
)
"""Pictures for odd hundreds of seeds, which may be looked at, and for even ones, which are only run to report."""

_BLUR_PX: Final = (8.0, 26.0)  # of backdrops out of focus
_TONES: Final = (0.5, 1.6)  # of a window, as a factor of linear light


def _folder() -> Path:
    cached = Path(os.environ.get("XDG_CACHE_HOME", Path.home() / ".cache")) / "peel-photographs"
    return Path(os.environ.get("PEEL_BACKDROPS", cached / "mate-backgrounds"))


def has_photographs() -> bool:
    """Whether this machine has the photographs."""
    return all(_path(name) is not None for half in _HALVES for name in half)


@cache
def _path(name: str) -> Path | None:
    return next(iter(sorted(_folder().rglob(f"{name}.jpg"))), None)


@cache
def _picture(name: str) -> np.ndarray:
    path = _path(name)
    if path is None:
        msg = f"No photograph {name}.jpg in {_folder()}; name their folder in PEEL_BACKDROPS."
        raise FileNotFoundError(msg)
    return np.ascontiguousarray(cv2.imread(str(path), cv2.IMREAD_COLOR)[..., ::-1])


def photograph(height: int, width: int, unit: float, seed: int, rng: np.random.Generator, *, sharp: bool) -> np.ndarray:
    """Cut a window out of a photograph: (height, width, 3) float32 linear light, in focus or out of it."""
    names = _HALVES[(seed // 100 + 1) % 2]
    picture = _picture(names[int(rng.integers(len(names)))])
    most = min(picture.shape[0] / height, picture.shape[1] / width)
    factor = most * rng.uniform(0.6, 1.0)
    high, wide = int(height * factor), int(width * factor)
    top, left = rng.integers(0, picture.shape[0] - high + 1), rng.integers(0, picture.shape[1] - wide + 1)
    part = picture[top : top + high, left : left + wide].astype(np.float32) / 255
    how = cv2.INTER_AREA if factor >= 1 else cv2.INTER_CUBIC
    light = to_linear(np.clip(cv2.resize(part, (width, height), interpolation=how), 0, 1).astype(np.float32))
    light *= np.float32(rng.uniform(*_TONES))
    return np.clip(light if sharp else defocus(light, rng.uniform(*_BLUR_PX) * unit), 0, 1).astype(np.float32)
