"""Photos that carry an alpha of their own start from it."""

from pathlib import Path

import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image

from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.work.session.session import Session


def _pixels() -> np.ndarray:
    pixels = np.full((40, 60, 4), 120, np.uint8)
    pixels[..., 3] = 0
    pixels[10:30, 20:40, 3] = 255
    pixels[10:30, 18:20, 3] = 100
    return pixels


def _zones(path: Path, tmp_path: Path) -> np.ndarray:
    session = Session.begin(path, tmp_path / "job.peel")
    zones = session.job.zones.read()
    session.close()
    return zones


@pytest.mark.parametrize("kind", ["rgba.png", "la.png", "rgba.webp", "rgba.tif", "rgba16.png", "rgba16.tif"])
def test_zones_start_from_the_photos_own_alpha(kind: str, tmp_path: Path) -> None:
    path, pixels = tmp_path / kind, _pixels()
    if kind == "rgba16.png":
        path.write_bytes(imagecodecs.png_encode(pixels.astype(np.uint16) * 257))
    elif kind == "rgba16.tif":
        tifffile.imwrite(path, pixels.astype(np.uint16) * 257, photometric="rgb", extrasamples=["unassalpha"])
    elif kind == "la.png":
        Image.fromarray(pixels).convert("LA").save(path)
    else:
        Image.fromarray(pixels).save(path, **({"lossless": True} if kind.endswith("webp") else {}))

    zones = _zones(path, tmp_path)

    assert zones[20, 30] == FOREGROUND
    assert zones[20, 18] == UNKNOWN
    assert zones[2, 2] == BACKGROUND


@pytest.mark.parametrize("alpha", [0, 255])
def test_an_alpha_of_one_value_says_nothing(alpha: int, tmp_path: Path) -> None:
    pixels = _pixels()
    pixels[..., 3] = alpha
    Image.fromarray(pixels).save(tmp_path / "plain.png")

    assert (_zones(tmp_path / "plain.png", tmp_path) == BACKGROUND).all()
