"""Busy backdrops: shapes of every size laid one over another, in depths that are more or less out of focus.

The dead-leaves model after A. B. Lee, D. Mumford, J. Huang, "Occlusion models for natural images", International Journal
of Computer Vision 41, 2001, pp. 35-59: sizes follow a power law, so that edges, textures and flat places come at every
scale, as they do in photographs of buildings, machines and gardens.
"""

from typing import Final

import cv2
import numpy as np

from peel.demo.camera import cloud, defocus

__all__ = ["dead_leaves"]

_SIZES: Final = (13.0, 420.0)  # pixels, the smallest and the largest radius
_LAYERS: Final = (
    (3200, (6.0, 16.0)),
    (1000, (2.0, 6.0)),
    (260, (0.5, 3.0)),
)  # shapes, and defocus in pixels, far to near


def dead_leaves(width: int, height: int, unit: float, rng: np.random.Generator, towards: np.ndarray) -> np.ndarray:
    """Draw (height, width, 3) float32 linear light.

    Parameters
    ----------
    width, height : int
    unit : float
        Scale of sizes in pixels.
    rng : Generator
    towards : (3,) ndarray
        A colour, linear; half of the shapes are drawn near it, so that some have the subject's own tone.
    """
    picture = np.full((height, width, 3), rng.uniform(0.05, 0.3, 3), np.float32)
    gray = rng.uniform(0.02, 0.8, (9, 1)) ** 1.6
    palette = gray * (1 + rng.uniform(-0.5, 0.5, (9, 3)) * rng.random((9, 1)))
    textures = [cloud(width, height, scale, scale, int(rng.integers(1000)), 4) for scale in (6, 25, 90)]
    for count, (least, most) in _LAYERS:
        for _ in range(count):
            if rng.random() < 0.5:
                colour = towards * rng.uniform(0.5, 1.6) + rng.normal(0, 0.02, 3)
            else:
                colour = palette[rng.integers(len(palette))] * rng.uniform(0.6, 1.4)
            _lay(picture, np.clip(colour, 0.003, 0.95), textures[rng.integers(3)], unit, rng)
        picture = defocus(picture, rng.uniform(least, most) * unit)
    return picture


def _lay(picture: np.ndarray, colour: np.ndarray, texture: np.ndarray, unit: float, rng: np.random.Generator) -> None:
    """Lay one shape with its texture over the picture."""
    height, width = picture.shape[:2]
    low, high = _SIZES
    radius = unit / np.sqrt(low**-2 - rng.random() * (low**-2 - high**-2))  # density proportional to radius^-3
    at = rng.uniform((-0.1, -0.1), (1.1, 1.1)) * (width, height)
    points = _shape(rng) * radius + at
    left, top = np.maximum(np.floor(points.min(0)).astype(int) - 1, 0)
    right, bottom = np.minimum(np.ceil(points.max(0)).astype(int) + 2, (width, height))
    if right <= left or bottom <= top:
        return
    cover = np.zeros((bottom - top, right - left), np.uint8)
    cv2.fillPoly(cover, [np.round((points - (left, top)) * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    grain = texture[top:bottom, left:right]
    if rng.random() < 0.25:  # stripes: bars, bricks, slats
        rows, columns = np.mgrid[top:bottom, left:right].astype(np.float32)
        turn, period = rng.uniform(0, np.pi), rng.uniform(6, 40) * unit
        grain = 0.5 + 0.5 * np.sin((columns * np.cos(turn) + rows * np.sin(turn)) * 2 * np.pi / period)
    strength = rng.choice([0.1, 0.4, 1.0])
    light = (1 + strength * (grain - 0.5))[..., None]
    a = (cover / np.float32(255))[..., None]
    part = picture[top:bottom, left:right]
    part[...] = np.float32(colour) * light * a + part * (1 - a)


def _shape(rng: np.random.Generator) -> np.ndarray:
    """Give the corners of a shape of radius about 1: a round one, a box, a bar, or a leaf."""
    kind, turn = rng.integers(4), rng.uniform(0, 2 * np.pi)
    around = np.linspace(0, 2 * np.pi, 28, endpoint=False)
    if kind == 0:
        points = np.stack([np.cos(around), np.sin(around) * rng.uniform(0.4, 1)], 1)
    elif kind == 3:
        points = np.stack([np.cos(around), np.sin(around) ** 3 * rng.uniform(0.3, 0.8)], 1)
    else:
        wide = rng.uniform(0.5, 1) if kind == 1 else rng.uniform(0.03, 0.15)
        points = np.array([(-1, -wide), (1, -wide), (1, wide), (-1, wide)])
        if kind == 2:
            points *= 2.5
    c, s = np.cos(turn), np.sin(turn)
    return points @ np.array([[c, s], [-s, c]])
