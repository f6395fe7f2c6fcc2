"""Subjects whose edges are as awkward as those of photographs, with exact truth.

Hair from an opaque mass to single strands, fur of two tones, gauze in folds and layers, a feather over its own tone,
hard edges that pass through places of the backdrop's tone, and blur that grows along one edge.
"""

import cv2
import numpy as np

from bench.pencil import DARK, WHITE, Drawing, ellipse, lay, solid, strands
from peel.demo.camera import cloud
from peel.demo.strands import StrandLook, over

__all__ = ["coat", "deep", "drape", "glass", "mane", "object_alike"]


def mane(d: Drawing, rng: np.random.Generator, look: StrandLook) -> np.ndarray:
    """Draw hair in locks: an opaque mass that thins out into single strands, most of them short and some very long."""
    canvas = solid(ellipse(d, (0, 0.55), (0.17, 0.22)), look.dark, look.light, d, 3)
    count, locks = 7000, 46
    middle = np.sort(rng.uniform(-np.pi, np.pi, locks))
    lean, reach = rng.normal(0, 0.45, locks), 0.10 * np.exp(rng.normal(0, 0.45, locks))
    lock = rng.integers(0, locks, count)
    stray = rng.random(count) < 0.06
    turn = middle[lock] + rng.normal(0, 0.07, count)
    roots = np.stack([np.cos(turn) * 0.17, np.sin(turn) * 0.22], 1) * rng.uniform(0.55, 1, (count, 1))
    roots = roots * d.height + (d.width / 2, 0.55 * d.height)
    angle = turn + lean[lock] + rng.normal(0, np.where(stray, 0.5, 0.05))
    direction = np.stack([np.cos(angle), np.sin(angle) - 0.1], 1)
    length = d.height * reach[lock] * rng.uniform(0.5, 1, count) * np.where(stray, rng.uniform(0.8, 2.2, count), 1)
    path, widths = strands(roots, direction, length, rng.uniform(0.5, 1.9, count) * d.unit, 0.45, rng)
    lay(d, look, path, widths, canvas, rng)
    return canvas


def coat(d: Drawing, rng: np.random.Generator, look: StrandLook) -> np.ndarray:
    """Draw fur of two tones, dark and white in patches that run across the edge."""
    spots = cloud(d.width, d.height, 5, 4, int(rng.integers(1000))) > 0.5
    dark = solid(ellipse(d, (0, 0.55), (0.36, 0.30)), DARK.dark, look.light, d, 4)
    white = solid(ellipse(d, (0, 0.55), (0.36, 0.30)), WHITE.dark, WHITE.light, d, 5)
    canvas = np.where(spots[..., None], white, dark).astype(np.float32)
    count = 12000
    turn, depth = rng.uniform(-np.pi, np.pi, count), np.sort(np.sqrt(rng.uniform(0.6, 1, count)))
    roots = np.stack([np.cos(turn) * 0.36 * depth, np.sin(turn) * 0.30 * depth], 1) * d.height
    roots += (d.width / 2, 0.55 * d.height)
    lean = turn + 0.9 * np.sin(3 * turn) + rng.normal(0, 0.3, count)
    length = d.height * 0.05 * np.exp(rng.normal(0, 0.4, count))
    path, widths = strands(
        roots, np.stack([np.cos(lean), np.sin(lean)], 1), length, rng.uniform(0.6, 2.0, count) * d.unit, 0.4, rng
    )
    at = np.clip(roots.astype(int), 0, (d.width - 1, d.height - 1))
    pale = spots[at[:, 1], at[:, 0]]
    for part in np.array_split(np.arange(count), 24):
        for chosen, tone in ((pale[part], WHITE), (~pale[part], look)):
            if chosen.any():
                lay(d, tone, path[part[chosen]], widths[part[chosen]], canvas, rng)
    return canvas


def drape(d: Drawing, rng: np.random.Generator, _look: StrandLook) -> np.ndarray:
    """Draw gauze that hangs from a body in folds, single and double, with a hem, in a colour of its own."""
    body = solid(ellipse(d, (0, 0.40), (0.12, 0.30)), (0.10, 0.05, 0.04), (0.45, 0.30, 0.22), d, 8)
    hue = rng.uniform(0.75, 1.1, 3) * rng.uniform(0.25, 0.6)
    canvas = np.zeros((d.height, d.width, 4), np.float32)
    for layer in range(2):
        middle = (rng.uniform(-0.08, 0.08), 0.58)
        sheet = ellipse(d, middle, (0.42 - 0.1 * layer, 0.30 - 0.05 * layer), rng.uniform(-0.3, 0.3))
        rim = np.clip(sheet - cv2.erode(sheet, np.ones((3, 3)), iterations=max(1, round(3 * d.unit))), 0, 1)
        wave = cloud(d.width, d.height, 3, 2, int(rng.integers(1000))) * rng.uniform(25, 60)
        fold = (0.5 + 0.5 * np.sin(wave)) ** rng.uniform(1, 4)
        cover = np.clip(sheet * (0.14 + 0.34 * fold) + 0.3 * rim, 0, 0.92)
        light = 0.65 + 0.35 * (0.5 + 0.5 * np.sin(wave + 0.8))
        own = (hue * light[..., None]).astype(np.float32)
        canvas = over(np.dstack([own * cover[..., None], cover]).astype(np.float32), canvas)
    return over(canvas, body)


def object_alike(d: Drawing, _rng: np.random.Generator, look: StrandLook) -> np.ndarray:
    """Draw a made thing: curves, a hole, a box with corners and a thin bar."""
    cover = ellipse(d, (-0.22, 0.52), (0.20, 0.27), 0.35)
    cover *= 1 - ellipse(d, (-0.22, 0.48), (0.06, 0.09))
    polygons = np.zeros((d.height, d.width), np.uint8)
    for corners in (
        [(0.05, 0.30), (0.42, 0.22), (0.50, 0.62), (0.12, 0.70)],
        [(-0.5, 0.78), (0.5, 0.72), (0.5, 0.78), (-0.5, 0.84)],
    ):
        at = np.array(corners) * d.height + (d.width / 2, 0)
        cv2.fillPoly(polygons, [(at * 16).round().astype(np.int32)], 255, cv2.LINE_AA, 4)
    return solid(np.maximum(cover, polygons / np.float32(255)), look.dark, look.light, d, 9)


def deep(d: Drawing, rng: np.random.Generator, look: StrandLook) -> np.ndarray:
    """Draw the same thing with blur that grows from sharp on the left to 14 px on the right."""
    sharp = object_alike(d, rng, look)
    depth = np.linspace(0, 1, d.width, dtype=np.float32)[None, :, None] ** 1.5
    sigmas = np.array([0.01, 1.5, 3.5, 7.0, 14.0], np.float32)
    places = np.linspace(0, 1, len(sigmas))
    blurred = [cv2.GaussianBlur(sharp, (0, 0), max(float(sigma) * d.unit, 0.05)) for sigma in sigmas]
    shares = [np.clip(1 - np.abs(depth - place) * (len(sigmas) - 1), 0, 1) for place in places]
    return np.sum([picture * share for picture, share in zip(blurred, shares, strict=True)], axis=0).astype(np.float32)


def glass(d: Drawing, rng: np.random.Generator, _look: StrandLook) -> np.ndarray:
    """Draw a bottle of clear glass with a solid foot: faint walls that thicken to the rim, reflections, a label."""
    outline = np.maximum(ellipse(d, (0, 0.58), (0.17, 0.30)), ellipse(d, (0, 0.25), (0.06, 0.16)))
    depth = cv2.distanceTransform((outline > 0.5).astype(np.uint8), cv2.DIST_L2, 5) / (d.height * 0.17)
    wall = outline * (0.10 + 0.45 * np.exp(-depth * 9) + 0.08 * cloud(d.width, d.height, 3, 3, int(rng.integers(99))))
    shine = np.zeros_like(outline)
    for side, wide in ((-0.09, 0.016), (0.11, 0.008)):
        shine = np.maximum(shine, ellipse(d, (side, 0.55), (wide, 0.18)))
    shine = cv2.GaussianBlur(shine * outline, (0, 0), 2 * d.unit)
    cover = np.clip(wall + 0.75 * shine, 0, 0.97)
    own = np.array([0.06, 0.09, 0.08], np.float32) + shine[..., None] * np.float32(0.75)
    body = np.dstack([own * cover[..., None], cover]).astype(np.float32)
    label = ellipse(d, (0, 0.62), (0.09, 0.07)) * outline
    foot = ellipse(d, (0, 0.86), (0.15, 0.04))
    return over(solid(np.maximum(label, foot), (0.25, 0.05, 0.04), (0.55, 0.20, 0.12), d, 8), body)
