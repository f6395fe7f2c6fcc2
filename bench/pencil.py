"""The pencil that cases are drawn with: how large and how marked, what stands behind, and the simplest shapes."""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from bench.backdrops import photograph
from bench.dead_leaves import dead_leaves
from peel.demo.camera import cloud, defocus
from peel.demo.strands import StrandLook, draw_strands

__all__ = [
    "BLOND",
    "DARK",
    "GINGER",
    "GREEN",
    "WHITE",
    "Drawing",
    "backdrop",
    "ellipse",
    "lay",
    "solid",
    "strands",
    "tint",
]


@dataclass(frozen=True)
class Drawing:
    """How a case is drawn: size, seed, sensor noise in encoded units, width of the marking, where layers blend, whether
    the picture goes through a camera, and whether it is marked carelessly.
    """

    height: int = 1150
    width: int = 1700
    seed: int = 1
    noise: float = 0.008
    sloppy: float = 1.0
    linear: bool = False
    backdrop: str = ""
    camera: bool = False
    careless: bool = False

    @property
    def unit(self) -> float:
        """Pixels per thousandth of the height: strands and bands grow with the picture."""
        return self.height / 1150


def tint(field: np.ndarray, dark: tuple[float, ...], light: tuple[float, ...]) -> np.ndarray:
    return (np.array(dark) + (np.array(light) - np.array(dark)) * field[..., None]).astype(np.float32)


def backdrop(kind: str, d: Drawing, rng: np.random.Generator, look: StrandLook) -> np.ndarray:
    """Draw linear light behind the subject."""
    if kind == "clutter":
        own = 0.5 * (np.array(look.dark) + np.array(look.light))
        return dead_leaves(d.width, d.height, d.unit, rng, own)
    if kind in ("photo", "bokeh"):
        return photograph(d.height, d.width, d.unit, d.seed, rng, sharp=kind == "photo")
    seed = int(rng.integers(1000))
    field = np.clip(cloud(d.width, d.height, 3, 3, seed) * 1.4 - 0.2, 0, 1)
    fine = cloud(d.width, d.height, 40, 40, seed + 1)
    if kind == "wall":
        return defocus(tint(0.7 * field + 0.3 * fine, (0.10, 0.13, 0.16), (0.45, 0.42, 0.36)), 6 * d.unit)
    if kind == "sky":
        return tint(0.25 * field + 0.75 * np.linspace(0, 1, d.height)[:, None], (0.35, 0.55, 0.85), (0.85, 0.9, 0.95))
    if kind == "brown":
        return defocus(tint(0.6 * field + 0.4 * fine, (0.03, 0.018, 0.010), (0.30, 0.19, 0.11)), 4 * d.unit)
    if kind == "green":
        return tint(0.3 + 0.5 * field, (0.02, 0.16, 0.04), (0.08, 0.50, 0.12))
    if kind == "cloth":
        return tint(0.4 * field + 0.6 * fine, (0.008, 0.008, 0.012), (0.05, 0.045, 0.06))
    if kind == "paper":
        return tint(0.8 * field + 0.2 * fine, (0.60, 0.58, 0.54), (0.80, 0.79, 0.76))
    # lights out of focus
    room = tint(field, (0.02, 0.03, 0.05), (0.25, 0.2, 0.18))
    for _ in range(60):
        spot = rng.uniform(0.1, 1, 3) ** 2 * 0.9
        at = (int(rng.uniform(0, d.width)), int(rng.uniform(0, d.height)))
        cv2.circle(room, at, int(rng.uniform(10, 60) * d.unit), spot.tolist(), -1)
    return defocus(room, 8 * d.unit)


def ellipse(d: Drawing, centre: tuple[float, float], radii: tuple[float, float], turn: float = 0.0) -> np.ndarray:
    """Draw antialiased coverage; centre and radii in heights."""
    ys, xs = np.mgrid[: d.height, : d.width].astype(np.float32)
    x, y = xs - d.width / 2 - centre[0] * d.height, ys - centre[1] * d.height
    c, s = np.cos(turn), np.sin(turn)
    x, y = (x * c + y * s) / radii[0], (y * c - x * s) / radii[1]
    distance = (np.hypot(x, y) - d.height) * min(radii)
    return np.clip(0.5 - distance, 0, 1)


def solid(cover: np.ndarray, dark: tuple[float, ...], light: tuple[float, ...], d: Drawing, seed: int) -> np.ndarray:
    colour = tint(np.clip(cloud(d.width, d.height, 8, 8, seed) * 1.3 - 0.15, 0, 1), dark, light)
    return np.dstack([colour * cover[..., None], cover]).astype(np.float32)


def strands(
    roots: np.ndarray,
    direction: np.ndarray,
    length: np.ndarray,
    thick: np.ndarray,
    bend: float,
    rng: np.random.Generator,
) -> tuple[np.ndarray, np.ndarray]:
    """Grow bent paths: (S, P, 3) points in pixels and (S, P) widths."""
    count, points = len(roots), 24
    angle = np.arctan2(direction[:, 1], direction[:, 0])[:, None]
    steps = np.linspace(0, 1, points)[None]
    turn = rng.normal(0, bend, (count, 1)) * steps + 0.6 * bend * rng.normal(0, 1, (count, 1)) * np.sin(
        rng.uniform(3, 12, (count, 1)) * steps + rng.uniform(0, 6, (count, 1))
    )
    along = np.stack([np.cos(angle + turn), np.sin(angle + turn)], -1) * (length[:, None, None] / points)
    path = roots[:, None] + np.cumsum(along, axis=1)
    widths = thick[:, None] * (1 - 0.75 * steps**2)
    return np.dstack([path, np.zeros(path.shape[:2])]).astype(np.float32), widths.astype(np.float32)


def lay(
    d: Drawing, look: StrandLook, path: np.ndarray, widths: np.ndarray, canvas: np.ndarray, rng: np.random.Generator
) -> None:
    tone = np.repeat(rng.random((len(path), 1)) ** 1.3, path.shape[1], 1).astype(np.float32)
    depth = np.repeat(rng.uniform(0.4, 1, (len(path), 1)), path.shape[1], 1).astype(np.float32)
    draw_strands(path, widths, tone, depth, look, canvas)


DARK: Final = StrandLook((0.012, 0.008, 0.006), (0.12, 0.07, 0.04))
BLOND: Final = StrandLook((0.14, 0.09, 0.035), (0.50, 0.38, 0.20))
GINGER: Final = StrandLook((0.09, 0.03, 0.01), (0.45, 0.20, 0.07))
WHITE: Final = StrandLook((0.40, 0.38, 0.36), (0.75, 0.74, 0.72))
GREEN: Final = StrandLook((0.01, 0.03, 0.008), (0.06, 0.12, 0.03), shine=0.1)
