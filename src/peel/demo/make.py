"""Draw the demo's photographs and backings: ``python -m peel.demo.make [--megapixels 24] [--to DIR] [NAME ...]``."""

import argparse
import sys
from collections.abc import Callable
from pathlib import Path

import cv2
import imagecodecs
import numpy as np
from PIL import Image

from peel.demo.backings import write_backings
from peel.demo.bramble import bramble
from peel.demo.camera import Shot
from peel.demo.ivy_king import ivy_king
from peel.demo.lamplighter import lamplighter
from peel.demo.moth_queen import moth_queen
from peel.demo.photos import NAMES, PHOTOS
from peel.demo.russet import russet
from peel.demo.second_frames import write_second_frames
from peel.demo.tin_drummer import tin_drummer
from peel.matte.arrays import ByteArray, FloatArray

__all__ = ["draw", "main", "write_shot"]

_MAKERS: dict[str, tuple[Callable[[int], Shot], float]] = {
    "bramble": (bramble, 1.5),
    "russet": (russet, 1.5),
    "ivy-king": (ivy_king, 2 / 3),
    "lamplighter": (lamplighter, 2 / 3),
    "moth-queen": (moth_queen, 1.2),
    "tin-drummer": (tin_drummer, 2 / 3),
}


def draw(name: str, megapixels: float) -> Shot:
    """Draw one photograph at about the given size."""
    make, aspect = _MAKERS[name]
    return make(round((megapixels * 1e6 / aspect) ** 0.5 / 2) * 2)


def write_shot(shot: Shot, name: str, folder: Path, *, sixteen_bit: bool = False) -> None:
    """Write a photograph and its truth: NAME.jpg (or .png), -matte.png, -zones.png, -kinds.png, -colours.jpg."""
    folder.mkdir(parents=True, exist_ok=True)
    if sixteen_bit:
        (folder / f"{name}.png").write_bytes(imagecodecs.png_encode(_rounded(shot.photo, 65535).astype(np.uint16)))
    else:
        photo = Image.fromarray(_rounded(shot.photo, 255).astype(np.uint8))
        photo.save(folder / f"{name}.jpg", quality=91, subsampling=0, optimize=True)
    Image.fromarray(_rounded(shot.alpha, 255).astype(np.uint8)).save(folder / f"{name}-matte.png", optimize=True)
    Image.fromarray(shot.zones).save(folder / f"{name}-zones.png", optimize=True)
    kinds = Image.fromarray(shot.kinds * np.uint8(50))
    kinds.save(folder / f"{name}-kinds.png", optimize=True)
    colours = Image.fromarray(_extended(shot))
    colours.save(folder / f"{name}-colours.jpg", quality=94, subsampling=0, optimize=True)


def _rounded(picture: FloatArray, top: int) -> FloatArray:
    return np.floor(picture * top + 0.5)


def _extended(shot: Shot) -> ByteArray:
    """Continue the true colours outward, so that compression does not mix them with anything else."""
    clear = (shot.alpha <= 0).astype(np.uint8)
    _, label = cv2.distanceTransformWithLabels(clear, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    colours = _rounded(shot.foreground, 255).astype(np.uint8)
    lookup = np.zeros((int(label.max()) + 1, 3), np.uint8)
    lookup[label[clear == 0]] = colours[clear == 0]
    extended = lookup[label]
    extended[clear == 0] = colours[clear == 0]
    return np.asarray(extended, np.uint8)


def main(arguments: list[str] | None = None) -> int:
    """Draw what the command line asks for."""
    parser = argparse.ArgumentParser(prog="python -m peel.demo.make", description=__doc__)
    parser.add_argument("names", nargs="*", choices=[*NAMES, []], help="which photographs; all by default")
    parser.add_argument(
        "--megapixels", type=float, default=6.0, help="size of each, 6 by default; 24 and 60 for the bench"
    )
    parser.add_argument("--sixteen-bit", action="store_true", help="write the photograph as 16-bit PNG")
    parser.add_argument("--backings", action="store_true", help="draw the backings instead of the photographs")
    parser.add_argument("--second-frames", action="store_true", help="draw the second frames instead")
    parser.add_argument("--to", type=Path, default=PHOTOS, help="the folder to write into")
    options = parser.parse_args(arguments)
    if options.backings:
        write_backings()
        return 0
    if options.second_frames:
        write_second_frames()
        return 0
    for name in options.names or NAMES:
        write_shot(draw(name, options.megapixels), name, options.to, sixteen_bit=options.sixteen_bit)
        sys.stderr.write(f"{name} drawn\n")
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
