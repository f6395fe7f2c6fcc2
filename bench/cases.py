"""The pictures that the bench runs on."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image

from peel.demo.make import draw, write_shot
from peel.demo.photos import demo_photo
from peel.matte.edge.kinds import kinds_from_gray

__all__ = ["LARGE", "Case", "demo_case", "folder_case", "folder_paths", "large_case"]

LARGE = Path(__file__).parent.parent / "demo-large"


@dataclass(frozen=True)
class Case:
    """A photo with its zones and its truth, colours in [0, 1]; kinds are codes, 0 away from the edge."""

    name: str
    photo: np.ndarray
    zones: np.ndarray
    alpha: np.ndarray
    colours: np.ndarray | None
    kinds: np.ndarray | None = None

    @property
    def band(self) -> np.ndarray:
        return (self.zones != 0) & (self.zones != 255)


def _picture(path: Path) -> np.ndarray:
    return np.asarray(Image.open(path).convert("RGB"), np.float32) / 255


def _gray(path: Path) -> np.ndarray:
    return np.asarray(Image.open(path).convert("L"))


def demo_case(name: str) -> Case:
    """Read a demo photograph as shipped."""
    photo = demo_photo(name)
    alpha = _gray(photo.matte).astype(np.float32) / 255
    kinds = kinds_from_gray(_gray(photo.kinds))
    return Case(name, _picture(photo.photo), _gray(photo.zones), alpha, _picture(photo.colours), kinds)


def large_case(name: str, megapixels: int) -> Case:
    """Read a large version of a demo photograph, drawing it first if it is not there (minutes)."""
    folder = LARGE / str(megapixels)
    if not (folder / f"{name}.jpg").exists():
        write_shot(draw(name, megapixels), name, folder)
    alpha = _gray(folder / f"{name}-matte.png").astype(np.float32) / 255
    zones = _gray(folder / f"{name}-zones.png")
    return Case(f"{name} {megapixels} MP", _picture(folder / f"{name}.jpg"), zones, alpha, None)


def folder_paths(folder: Path) -> list[Path]:
    """List the cases in a folder."""
    return [path for path in sorted(folder.iterdir()) if (path / "photo.png").exists()]


def folder_case(path: Path) -> Case:
    """Read a case's photo.png, zones.png, alpha.png and, if there, fg.png."""
    colours = _picture(path / "fg.png") if (path / "fg.png").exists() else None
    alpha = _gray(path / "alpha.png").astype(np.float32) / 255
    return Case(path.name, _picture(path / "photo.png"), _gray(path / "zones.png"), alpha, colours)
