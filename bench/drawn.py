"""Cases drawn with a pencil of numbers: kinds of edge over kinds of backdrop, with exact truth.

They are not the demo photographs: flat scenes, quick to draw at any size, seed, noise and sloppiness, so that the engine
can be watched where it is worst. Colours are encoded like sRGB.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from bench.camera import through_camera
from bench.cases import Case
from bench.harder import coat, deep, drape, glass, mane, object_alike
from bench.pencil import BLOND, DARK, GINGER, GREEN, WHITE, Drawing, backdrop, ellipse, lay, solid, strands
from peel.demo.camera import cloud, develop
from peel.demo.strands import StrandLook, over
from peel.matte.srgb import to_encoded, to_linear

__all__ = ["CAMERA", "KINDS", "LARGE", "Drawing", "Layers", "drawn_case", "drawn_layers", "mixed", "taken"]


LARGE = Drawing(height=4000, width=6000, sloppy=0.08)
"""24 megapixels with a narrow band."""

CAMERA = Drawing(seed=3, camera=True)
"""As a camera's JPEG shows them."""


def _hair(d: Drawing, rng: np.random.Generator, look: StrandLook) -> np.ndarray:
    canvas = solid(ellipse(d, (0, 0.55), (0.20, 0.25)), look.dark, look.light, d, 3)
    count = 2600
    turn = rng.uniform(-np.pi, np.pi, count)
    edge = np.stack([np.cos(turn) * 0.20, np.sin(turn) * 0.25], 1) * rng.uniform(0.7, 1, (count, 1))
    roots = edge * d.height + (d.width / 2, 0.55 * d.height)
    clump = np.round(turn * 9) / 9 + rng.normal(0, 0.12, count)
    direction = np.stack([np.cos(clump), np.sin(clump) - 0.1], 1)
    length = d.height * 0.11 * np.exp(rng.normal(0, 0.35, count))
    path, widths = strands(roots, direction, length, rng.uniform(0.7, 2.4, count) * d.unit, 0.7, rng)
    lay(d, look, path, widths, canvas, rng)
    return canvas


def _fur(d: Drawing, rng: np.random.Generator, look: StrandLook) -> np.ndarray:
    canvas = solid(ellipse(d, (0, 0.55), (0.40, 0.32)), look.dark, look.light, d, 4)
    count = 14000
    turn, depth = rng.uniform(-np.pi, np.pi, count), np.sqrt(rng.uniform(0.65, 1, count))
    order = np.argsort(depth)
    turn, depth = turn[order], depth[order]
    roots = np.stack([np.cos(turn) * 0.40 * depth, np.sin(turn) * 0.32 * depth], 1) * d.height
    roots += (d.width / 2, 0.55 * d.height)
    lean = turn + 0.7 + rng.normal(0, 0.25, count)
    direction = np.stack([np.cos(lean), np.sin(lean)], 1)
    length = d.height * 0.055 * np.exp(rng.normal(0, 0.25, count))
    path, widths = strands(roots, direction, length, rng.uniform(0.9, 2.2, count) * d.unit, 0.35, rng)
    lay(d, look, path, widths, canvas, rng)
    return canvas


def _whiskers(d: Drawing, rng: np.random.Generator, look: StrandLook) -> np.ndarray:
    canvas = solid(ellipse(d, (0, 0.5), (0.24, 0.2)), (0.08, 0.05, 0.03), (0.3, 0.2, 0.12), d, 5)
    count = 70
    side = rng.choice([-1, 1], count)
    roots = np.stack([side * rng.uniform(0.10, 0.2, count), rng.uniform(-0.06, 0.08, count)], 1) * d.height
    roots += (d.width / 2, 0.5 * d.height)
    direction = np.stack([side.astype(float), rng.normal(0, 0.35, count)], 1)
    length = d.height * rng.uniform(0.15, 0.4, count)
    path, widths = strands(roots, direction, length, rng.uniform(1.0, 2.6, count) * d.unit, 0.35, rng)
    lay(d, look, path, widths, canvas, rng)
    return canvas


def _leaves(d: Drawing, rng: np.random.Generator, _look: StrandLook, count: int = 420) -> np.ndarray:
    canvas = solid(ellipse(d, (0, 0.5), (0.10, 0.10)), (0.01, 0.03, 0.006), (0.05, 0.11, 0.03), d, 6)
    for _ in range(count):
        turn, far = rng.uniform(-np.pi, np.pi), 0.06 + 0.21 * np.sqrt(rng.random())
        centre = np.array([np.cos(turn) * far * 1.3, 0.5 + np.sin(turn) * far]) * d.height + (d.width / 2, 0)
        lean, long, wide = rng.uniform(-np.pi, np.pi), rng.uniform(14, 34) * d.unit, rng.uniform(0.25, 0.45)
        t = np.linspace(-1, 1, 15)
        rim = np.concatenate([np.stack([t, (1 - t**2) * wide], 1), np.stack([t, (t**2 - 1) * wide], 1)[::-1]]) * long
        c, s = np.cos(lean), np.sin(lean)
        points = ((rim @ np.array([[c, s], [-s, c]]) + centre) * 16).astype(np.int32)
        low = np.maximum(points.min(0) // 16 - 2, 0)
        high = np.minimum(points.max(0) // 16 + 3, (d.width, d.height))
        if (high <= low).any():
            continue
        cover = np.zeros((high[1] - low[1], high[0] - low[0]), np.uint8)
        cv2.fillPoly(cover, [points - low * 16], 255, cv2.LINE_AA, 4)
        a = (cover / np.float32(255))[..., None]
        tone = rng.uniform(0.25, 1.2)
        green = np.array([0.045, 0.11, 0.022]) * tone + np.array([0.02, 0.01, 0]) * rng.random()
        part = canvas[low[1] : high[1], low[0] : high[0]]
        part[...] = np.concatenate([green * a, a], -1) + part * (1 - a)
    count = 160
    turn = rng.uniform(-np.pi, np.pi, count)
    roots = np.stack([np.cos(turn) * 0.24, np.sin(turn) * 0.2], 1) * d.height + (d.width / 2, 0.5 * d.height)
    direction = np.stack([np.cos(turn), np.sin(turn)], 1)
    path, widths = strands(
        roots, direction, d.height * rng.uniform(0.06, 0.16, count), rng.uniform(1, 3, count) * d.unit, 0.5, rng
    )
    lay(d, GREEN, path, widths, canvas, rng)
    return canvas


def _crown(d: Drawing, rng: np.random.Generator, look: StrandLook) -> np.ndarray:
    return _leaves(d, rng, look, 1300)


def _plume(d: Drawing, rng: np.random.Generator, look: StrandLook) -> np.ndarray:
    return _feather(d, rng, look, 2600)


def _feather(d: Drawing, rng: np.random.Generator, look: StrandLook, barbs: int = 700) -> np.ndarray:
    canvas = solid(ellipse(d, (0, 0.93), (0.10, 0.12)), look.dark, look.light, d, 7)
    for stem in range(5):
        lean = -np.pi / 2 + (stem - 2) * 0.38
        axis, across = np.array([np.cos(lean), np.sin(lean)]), np.array([-np.sin(lean), np.cos(lean)])
        count = barbs
        t, side = np.sort(rng.uniform(0.1, 1, count)), rng.choice([-1, 1], count)
        keep = np.sin(t * 37 + side + stem) > -0.75  # splits between barbs
        t, side = t[keep], side[keep]
        start = np.array([d.width / 2, 0.93 * d.height])
        roots = start + axis * t[:, None] * 0.55 * d.height
        direction = axis * 0.75 + across * side[:, None]
        length = d.height * 0.08 * np.sin(np.pi * np.clip(t, 0.05, 0.98)) ** 0.6 * rng.uniform(0.85, 1.1, len(t))
        path, widths = strands(roots, direction, length, rng.uniform(0.8, 1.8, len(t)) * d.unit, 0.12, rng)
        lay(d, look, path, widths, canvas, rng)
        quill = np.stack([start + axis * s * 0.6 * d.height for s in np.linspace(0, 1, 24)])[None]
        points = np.dstack([quill, np.zeros(quill.shape[:2])]).astype(np.float32)
        wide = (np.linspace(6, 1.2, 24)[None] * d.unit).astype(np.float32)
        lay(d, look, points, wide, canvas, rng)
    return canvas


def _sheer(d: Drawing, rng: np.random.Generator, _look: StrandLook) -> np.ndarray:
    body = solid(ellipse(d, (0, 0.55), (0.10, 0.33)), (0.10, 0.05, 0.04), (0.45, 0.30, 0.22), d, 8)
    folds = 0.5 + 0.5 * np.sin(cloud(d.width, d.height, 2, 2, int(rng.integers(99))) * 40)
    wing = np.zeros((d.height, d.width), np.float32)
    for side in (-1, 1):
        wing = np.maximum(wing, ellipse(d, (side * 0.28, 0.48), (0.26, 0.19), side * -0.4))
    cover = wing * (0.22 + 0.38 * folds**3)
    own = np.array([0.55, 0.52, 0.60], np.float32) * (0.75 + 0.25 * folds[..., None])
    veil = np.dstack([own * cover[..., None], cover]).astype(np.float32)
    return over(veil, body)


def _hard(d: Drawing, rng: np.random.Generator, look: StrandLook) -> np.ndarray:
    cover = np.zeros((d.height, d.width), np.float32)
    cover = np.maximum(cover, ellipse(d, (-0.2, 0.55), (0.22, 0.30), 0.3))
    cover = np.maximum(cover, ellipse(d, (0.3, 0.45), (0.16, 0.36), -0.5))
    cover *= 1 - ellipse(d, (-0.2, 0.5), (0.07, 0.1))
    box = np.zeros((d.height, d.width), np.uint8)
    corners = np.array([(-0.5, 0.6), (0.5, 0.7), (0.48, 0.85), (-0.52, 0.8)]) * d.height + (d.width / 2, 0)
    cv2.fillPoly(box, [(corners * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    cover = np.maximum(cover, box / np.float32(255))
    return solid(cover, look.dark, look.light, d, 9)


def _soft(d: Drawing, rng: np.random.Generator, look: StrandLook) -> np.ndarray:
    sharp = _hard(d, rng, look)
    wide = cv2.GaussianBlur(sharp, (0, 0), 9 * d.unit)
    mild = cv2.GaussianBlur(sharp, (0, 0), 3.5 * d.unit)
    mix = np.linspace(0, 1, d.width, dtype=np.float32)[None, :, None]
    return mild * (1 - mix) + wide * mix


_Draw = Callable[[Drawing, np.random.Generator, StrandLook], np.ndarray]

KINDS: dict[str, tuple[_Draw, StrandLook, str, float, float]] = {
    # what draws it, its colours, its backdrop, and how far the marking reaches inside and outside (pixels)
    "hair": (_hair, DARK, "wall", 26, 22),
    "hair-blond": (_hair, BLOND, "lights", 26, 22),
    "hair-alike": (_hair, GINGER, "brown", 26, 22),
    "hair-green": (_hair, BLOND, "green", 26, 22),
    "fur": (_fur, GINGER, "wall", 22, 14),
    "fur-alike": (_fur, GINGER, "brown", 22, 14),
    "whiskers": (_whiskers, WHITE, "lights", 14, 16),
    "leaves": (_leaves, GREEN, "sky", 10, 16),
    "crown": (_crown, GREEN, "sky", 10, 16),
    "plume": (_plume, WHITE, "cloth", 14, 16),
    "plume-brown": (_plume, GINGER, "paper", 14, 16),
    "plume-alike": (_plume, GINGER, "bokeh", 14, 16),
    "feather": (_feather, WHITE, "cloth", 14, 16),
    "feather-brown": (_feather, GINGER, "paper", 14, 16),
    "sheer": (_sheer, WHITE, "cloth", 12, 12),
    "sheer-wall": (_sheer, WHITE, "brown", 12, 12),
    "hard": (_hard, GINGER, "wall", 12, 12),
    "hard-paper": (_hard, WHITE, "paper", 12, 12),
    "soft": (_soft, GINGER, "lights", 14, 14),
    "soft-wall": (_soft, BLOND, "wall", 14, 14),
    "mane-dark": (mane, DARK, "photo", 26, 26),
    "mane-blond": (mane, BLOND, "photo", 26, 26),
    "mane-white": (mane, WHITE, "bokeh", 26, 26),
    "coat": (coat, GINGER, "photo", 22, 16),
    "drape": (drape, WHITE, "photo", 12, 12),
    "glass": (glass, WHITE, "photo", 12, 12),
    "alike": (object_alike, GINGER, "photo", 12, 12),
    "deep": (deep, GINGER, "photo", 18, 18),
}

_TONED: Final = frozenset({"alike", "deep", "plume-alike"})
"""Drawings whose colours pass through those of the backdrop."""


def _marked(alpha: np.ndarray, d: Drawing, inside: float, outside: float) -> np.ndarray:
    """Mark zones with a wobbling margin around the truth; what is solid only here and there is left unsure.

    Careless marks wobble more, and leave the faintest tips outside.
    """
    wobble = 0.7 + 0.9 * cloud(d.width, d.height, 14, 14, d.seed + 90, 3)
    if d.careless:
        wobble = 0.25 + 2.2 * cloud(d.width, d.height, 10, 10, d.seed + 90, 3)
        alpha = np.where(alpha < 0.06, 0, alpha)
    solid = cv2.erode((cv2.GaussianBlur(alpha, (0, 0), 3 * d.unit) > 0.985).astype(np.uint8), np.ones((3, 3)))
    solid &= (alpha > 0.998).astype(np.uint8)
    clear = (alpha <= 0).astype(np.uint8)
    zones = np.full(alpha.shape, 128, np.uint8)
    zones[cv2.distanceTransform(solid, cv2.DIST_L2, 5) > inside * wobble * d.unit * d.sloppy] = 255
    zones[cv2.distanceTransform(clear, cv2.DIST_L2, 5) > outside * wobble * d.unit * d.sloppy] = 0
    return zones


def _towards(room: np.ndarray, subject: np.ndarray, d: Drawing) -> np.ndarray:
    """Give a subject the tones of what is behind it, from half as light to twice, with its own texture."""
    own = subject[..., :3] / np.maximum(subject[..., 3:], 1e-4)
    texture = own / np.maximum(own[subject[..., 3] > 0.5].mean(axis=0), 1e-4)
    tone = np.exp2(5 * cloud(d.width, d.height, 4, 3, d.seed + 40) - 2.5)[..., None]
    behind = cv2.GaussianBlur(room, (0, 0), 25 * d.unit)
    return np.clip(behind * tone * texture, 0.002, 1).astype(np.float32) * subject[..., 3:]


@dataclass(frozen=True)
class Layers:
    """What a case is put together from; colours are encoded.

    Attributes
    ----------
    zones : (H, W) uint8 ndarray
    alpha : (H, W) float32 ndarray
    colours, behind : (H, W, 3) float32 ndarray
        The subject's and the backdrop's.
    """

    zones: np.ndarray
    alpha: np.ndarray
    colours: np.ndarray
    behind: np.ndarray


def drawn_layers(kind: str, d: Drawing, rng: np.random.Generator) -> Layers:
    """Draw the layers of a case."""
    draw, look, usual, inside, outside = KINDS[kind]
    room = backdrop(d.backdrop or usual, d, rng, look)
    subject = cv2.GaussianBlur(draw(d, rng, look), (0, 0), 0.6)
    alpha = np.clip(subject[..., 3], 0, 1)
    alpha[alpha < 0.002] = 0
    alpha[alpha > 0.998] = 1
    if kind in _TONED:
        subject[..., :3] = _towards(room, subject, d)
    colours, behind = develop(subject[..., :3] / np.maximum(subject[..., 3:], 1e-4)), develop(room)
    return Layers(_marked(alpha, d, inside, outside), alpha, colours, behind)


def mixed(layers: Layers, d: Drawing) -> np.ndarray:
    """Put layers together, without noise."""
    a = layers.alpha[..., None]
    into, back = (to_linear, to_encoded) if d.linear else (np.asarray, np.asarray)
    return back(into(layers.colours) * a + into(layers.behind) * (1 - a))


def taken(clean: np.ndarray, d: Drawing, rng: np.random.Generator) -> np.ndarray:
    """Return a clean picture as a photo of 8 bits, with grain."""
    grain = rng.standard_normal(clean.shape, np.float32) * d.noise * (0.6 + 0.8 * np.sqrt(clean))
    photo = (np.round(np.clip(clean + grain, 0, 1) * 255) / np.float32(255)).astype(np.float32)
    return through_camera(photo) if d.camera else photo


def drawn_case(kind: str, d: Drawing | None = None) -> Case:
    """Draw a case: photo rounded to 8 bits, zones, alpha, the subject's true colours."""
    d = d or Drawing()
    rng = np.random.default_rng(d.seed)
    layers = drawn_layers(kind, d, rng)
    return Case(kind, taken(mixed(layers, d), d, rng), layers.zones, layers.alpha, layers.colours)
