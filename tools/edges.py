"""Unroll the whole edge of each demo photo, photo above cutout on a loud colour: ``python tools/edges.py``.

Every pixel of the edge is there at 100 %, so that it can be looked at from end to end. Written to docs/edges/.
"""

import sys
import tempfile
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from scipy.ndimage import gaussian_filter1d

from peel.cli import main as peel
from peel.demo.photos import NAMES, demo_photo

_OUT = Path(__file__).parent.parent / "docs" / "edges"
_LOUD = (255, 0, 200)
_LINE = 1400
_REACH = {"bramble": 200, "russet": 150, "ivy-king": 130, "lamplighter": 110, "moth-queen": 130, "tin-drummer": 130}


def _paths(zones: NDArray[np.uint8], reach: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Give where each pixel of the unrolled edge lies in the photo, x and y, (reach, length)."""
    to_backdrop = cv2.distanceTransform((zones != 0).astype(np.uint8), cv2.DIST_L2, 5)
    to_subject = cv2.distanceTransform((zones != 255).astype(np.uint8), cv2.DIST_L2, 5)
    middle = (to_backdrop >= to_subject).astype(np.uint8)
    lines, _ = cv2.findContours(middle, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    across = np.arange(-reach // 2, reach // 2)[:, None]
    xs, ys = [], []
    for line in lines:
        if len(line) < 150:
            continue
        x, y = (gaussian_filter1d(line[:, 0, axis].astype(float), 25, mode="wrap") for axis in (0, 1))
        dx, dy = (gaussian_filter1d(np.gradient(v), 12, mode="wrap") for v in (x, y))
        length = np.hypot(dx, dy) + 1e-6
        xs.append(x - across * dy / length)
        ys.append(y + across * dx / length)
    return np.concatenate(xs, 1).astype(np.float32), np.concatenate(ys, 1).astype(np.float32)


def _unrolled(name: str) -> NDArray[np.uint8]:
    demo = demo_photo(name)
    with tempfile.TemporaryDirectory() as folder:
        cutout = Path(folder) / "cutout.png"
        peel(["cut", str(demo.photo), "--zones", str(demo.zones), "--cutout", str(cutout)])
        cut = np.asarray(Image.open(cutout), np.float32)
    alpha = cut[..., 3:] / 255
    loud = cut[..., :3] * alpha + (1 - alpha) * np.float32(_LOUD)
    x, y = _paths(np.asarray(Image.open(demo.zones)), _REACH[name])
    photo = np.asarray(Image.open(demo.photo), np.float32)
    pair = np.concatenate([cv2.remap(picture, x, y, cv2.INTER_LINEAR) for picture in (photo, loud)])
    missing = -pair.shape[1] % _LINE
    lines = np.split(np.pad(pair, ((0, 6), (0, missing), (0, 0))), (pair.shape[1] + missing) // _LINE, axis=1)
    return np.concatenate(lines).clip(0, 255).astype(np.uint8)


def main() -> int:
    """Write one picture per demo photo."""
    _OUT.mkdir(parents=True, exist_ok=True)
    for name in NAMES:
        Image.fromarray(_unrolled(name)).save(_OUT / f"{name}.jpg", quality=82)
    return 0


if __name__ == "__main__":
    sys.exit(main())
