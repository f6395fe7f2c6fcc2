"""The ivy king: a carved mask crowned with ivy and dried grasses, before a bright window."""

import cv2
import numpy as np

from peel.demo.camera import Shot, cloud, defocus, photograph
from peel.demo.marking import rough_zones, true_kinds
from peel.demo.solid_kernels import BALL, BOX, PLAIN, RING, WOOD
from peel.demo.solids import Light, Material, Scene, trace
from peel.demo.strands import StrandLook, draw_strands, over
from peel.matte.arrays import FloatArray
from peel.matte.edge.kind import Kind

__all__ = ["ASPECT", "ivy_king"]

ASPECT = 2 / 3
_KEY = (-0.45, 0.35, 0.8)
_WINDOW = np.array([2.3, 2.5, 2.75], np.float32)
_GARDEN = np.array([0.55, 0.85, 0.35], np.float32)
# Half of an ivy leaf, from its stalk to its tip; the other half is its mirror image.
_HALF_LEAF = (
    (0.0, 0.0),
    (0.26, -0.16),
    (0.56, 0.02),
    (0.40, 0.30),
    (0.62, 0.52),
    (0.30, 0.58),
    (0.16, 0.80),
    (0.0, 1.1),
)
_VINES = 13
_LEAVES = 430
_GRASSES = 210
_SEEDS = 26
_VINE = StrandLook((0.045, 0.032, 0.016), (0.12, 0.085, 0.045), key=_KEY, strength=1.0, shine=0.1)
_STRAW = StrandLook((0.20, 0.14, 0.065), (0.50, 0.38, 0.20), key=_KEY, strength=1.1, shine=0.25)


def _mask() -> Scene:
    scene = Scene(light=Light(key=_KEY, key_colour=(1.15, 1.08, 0.98), sky=(0.36, 0.38, 0.42), back=(0.7, 0.75, 0.8)))
    scene.materials = [
        Material((0.33, 0.19, 0.085), (0.23, 0.12, 0.05), WOOD, 9.0, 0.35, 30.0, bump=0.0015),  # 0 lime wood
        Material((0.010, 0.009, 0.008), (0.02, 0.02, 0.02), PLAIN, 3.0, 0.2, 20.0),  # 1 hollows
        Material((0.15, 0.075, 0.035), (0.09, 0.045, 0.02), WOOD, 14.0, 0.3, 24.0, bump=0.002),  # 2 stained
    ]
    add, limb = scene.add, scene.limb
    add(BALL, (0.0, -0.28, 0.0), (0.335, 0.47, 0.20), 0)
    add(BALL, (0.0, -0.62, 0.05), (0.20, 0.16, 0.15), 0, blend=0.10)
    add(BALL, (0.0, -0.30, 0.20), (0.050, 0.15, 0.075), 0, blend=0.05)
    add(BALL, (0.0, -0.41, 0.23), (0.068, 0.05, 0.06), 0, blend=0.04)
    for side in (-1, 1):
        add(BALL, (side * 0.135, -0.205, 0.175), (0.075, 0.034, 0.04), 1, turn=(0, side * 24, side * -8))
        add(BALL, (side * 0.145, -0.12, 0.185), (0.125, 0.030, 0.04), 2, turn=(0, side * 24, side * 14), blend=0.02)
        add(BALL, (side * 0.20, -0.40, 0.135), (0.09, 0.07, 0.06), 0, blend=0.06)
        add(RING, (side * 0.335, -0.28, 0.0), (0.055, 0.020), 2, turn=(90, side * 20, 0))
        for k in range(5):
            limb(
                (side * (0.03 + 0.045 * k), -0.60, 0.17 - 0.012 * k),
                (side * (0.02 + 0.060 * k), -0.92 + 0.03 * k, 0.10),
                0.032,
                2,
                blend=0.02,
            )
    add(BALL, (0.0, -0.515, 0.205), (0.095, 0.022, 0.04), 1)
    add(RING, (0.0, 0.115, 0.0), (0.255, 0.034), 2, turn=(-8, 0, 0))
    add(BOX, (0.0, -1.02, -0.02), (0.06, 0.25, 0.04, 0.01), 2)
    return scene


def _to_pixels(points: FloatArray, width: int, height: int) -> FloatArray:
    half = height / 2
    return np.asarray(np.stack([points[..., 0] * half + width / 2, half - points[..., 1] * half], -1), np.float32)


def _vines(rng: np.random.Generator) -> FloatArray:
    """Grow vines out of the crown, (N, 40, 2) in world units: up and outward, then hanging."""
    t = np.linspace(0, 1, 40)
    lean = np.linspace(-1.15, 1.15, _VINES) + rng.normal(0, 0.07, _VINES)
    length = rng.uniform(0.42, 0.72, _VINES) * (1 - 0.25 * np.abs(lean))
    paths = []
    for angle, reach in zip(lean, length, strict=True):
        bend = angle + (0.9 * np.sign(angle) + rng.normal(0, 0.5)) * t
        step = np.stack([np.sin(bend), np.cos(bend)], axis=1) * reach / len(t)
        root = np.array([0.23 * np.sin(angle * 1.25), 0.10 + 0.04 * np.cos(angle)])
        paths.append(root + np.cumsum(step, axis=0))
    return np.asarray(paths, np.float32)


def _strands(paths: FloatArray, widths: FloatArray, tone: FloatArray, look: StrandLook, canvas: FloatArray) -> None:
    """Draw paths (S, P, 2) in world units, all equally lit; widths and tones may be given once for many."""
    height, width = canvas.shape[:2]
    flat = np.dstack([_to_pixels(paths, width, height), np.zeros(paths.shape[:2], np.float32)]).astype(np.float32)
    shape = paths.shape[:2]
    wide, toned = (np.broadcast_to(part, shape).astype(np.float32) for part in (widths, tone))
    draw_strands(flat, wide, toned, np.full(shape, 0.7, np.float32), look, canvas)


def _grasses(width: int, height: int, rng: np.random.Generator) -> FloatArray:
    """Draw dried grasses, each with a loose head of seeds."""
    unit, canvas = height / 3000, np.zeros((height, width, 4), np.float32)
    t, s = np.linspace(0, 1, 36), np.linspace(0, 1, 5)[None, :, None]
    stalks, heads = [], []
    for _ in range(_GRASSES):
        lean = rng.normal(0, 0.55)
        bend = lean + rng.normal(0, 0.45) * t**2 + 0.35 * np.sign(lean) * t**2
        steps = np.stack([np.sin(bend), np.cos(bend)], axis=1) * rng.uniform(0.45, 0.86) / len(t)
        stalk = np.array([rng.normal(0, 0.13), 0.12]) + np.cumsum(steps, axis=0)
        at = rng.integers(20, 36, _SEEDS)
        away = rng.normal(0, 0.42, _SEEDS) + bend[at]
        seeds = np.stack([np.sin(away), np.cos(away)], axis=1) * rng.uniform(0.015, 0.040, (_SEEDS, 1))
        stalks.append(stalk)
        heads.append(stalk[at][:, None] + seeds[:, None] * s)
    tone = rng.uniform(0.2, 1.0, (_GRASSES, 1)).astype(np.float32)
    thick = (rng.uniform(2.0, 3.6, (_GRASSES, 1)) * unit * (1 - 0.7 * t)).astype(np.float32)
    _strands(np.asarray(stalks, np.float32), thick, tone, _STRAW, canvas)
    thin = (rng.uniform(1.2, 3.4, (_GRASSES * _SEEDS, 1)) * unit).astype(np.float32)
    _strands(np.concatenate(heads).astype(np.float32), thin, np.repeat(tone, _SEEDS, axis=0), _STRAW, canvas)
    return canvas


def _leaf_outline(rng: np.random.Generator) -> FloatArray:
    """Return an ivy leaf about its stalk, foreshortened and turned at random, in units of its length."""
    half = np.array(_HALF_LEAF)
    both = np.concatenate([half, half[-2:0:-1] * (-1, 1)]) * rng.uniform(0.9, 1.1, (2 * len(half) - 2, 1))
    both = both * (rng.uniform(0.45, 1.0), rng.uniform(0.7, 1.0))
    turn = rng.uniform(-np.pi, np.pi)
    c, s = np.cos(turn), np.sin(turn)
    return np.asarray(both @ np.array([[c, s], [-s, c]]), np.float32)


def _lay_leaf(canvas: FloatArray, at: FloatArray, size: float, rng: np.random.Generator) -> None:
    """Lay one leaf over what is there: dark, glossy in part, with pale veins; some let the window's light through."""
    height, width = canvas.shape[:2]
    outline = at + _leaf_outline(rng) * size * np.array([1, -1], np.float32)
    left, top = np.floor(outline.min(axis=0)).astype(int) - 2
    right, bottom = np.ceil(outline.max(axis=0)).astype(int) + 3
    if left < 0 or top < 0 or right > width or bottom > height:
        return
    big = np.zeros(((bottom - top) * 4, (right - left) * 4, 2), np.uint8)
    corners = (outline - (left, top)) * 4
    whole, veins = np.zeros(big.shape[:2], np.uint8), np.zeros(big.shape[:2], np.uint8)
    cv2.fillPoly(whole, [np.round(corners * 16).astype(np.int32)], 255, shift=4)
    for tip in (2, 4, 7, 10, 12):
        (x0, y0), (x1, y1) = (np.round(corners[k] * 16).astype(int).tolist() for k in (0, tip))
        cv2.line(veins, (x0, y0), (x1, y1), 255, max(2, round(size / 18)), cv2.LINE_AA, 4)
    small = [cv2.resize(part, (right - left, bottom - top), interpolation=cv2.INTER_AREA) for part in (whole, veins)]
    cover, vein = (part.astype(np.float32) / 255 for part in small)
    dark = np.array([0.018, 0.060, 0.014]) * rng.uniform(0.5, 1.5) + rng.normal(0, 0.003, 3)
    through = np.array([0.16, 0.30, 0.035]) * rng.uniform(0, 1) ** 3
    ramp = np.linspace(rng.uniform(0.7, 1.1), rng.uniform(0.9, 1.6), cover.shape[1])[None, :, None]
    colour = np.maximum(dark + through, 0.004) * ramp + vein[..., None] * np.array([0.05, 0.08, 0.03])
    own = np.dstack([colour * cover[..., None], cover]).astype(np.float32)
    canvas[top:bottom, left:right] = over(own, canvas[top:bottom, left:right])


def _ivy(width: int, height: int, rng: np.random.Generator) -> FloatArray:
    """Draw the crown: vines, and leaves along them and around the circlet."""
    unit, canvas = height / 3000, np.zeros((height, width, 4), np.float32)
    vines = _vines(rng)
    tapering = ((7.0 - 5.0 * np.linspace(0, 1, 40))[None] * unit).astype(np.float32)
    _strands(vines, tapering, np.full((1, 1), 0.4, np.float32), _VINE, canvas)
    along = vines[rng.integers(0, _VINES, _LEAVES), rng.integers(0, 40, _LEAVES)] + rng.normal(0, 0.035, (_LEAVES, 2))
    angle = rng.uniform(0, 2 * np.pi, _LEAVES)
    ring = np.stack([0.27 * np.sin(angle), 0.13 + 0.055 * np.cos(angle)], axis=1) + rng.normal(0, 0.02, (_LEAVES, 2))
    places = np.where(rng.uniform(size=(_LEAVES, 1)) < 0.68, along, ring)
    for place in _to_pixels(places.astype(np.float32), width, height):
        _lay_leaf(canvas, place, float(rng.uniform(34, 92)) * unit, rng)
    return canvas


def _window(width: int, height: int, seed: int) -> FloatArray:
    """Light the window: sky above, a garden below, dark bars across, the wall beside it."""
    ys, xs = np.mgrid[1 : -1 : height * 1j, -1 : 1 : width * 1j].astype(np.float32)
    xs = xs * np.float32(width / height)
    trees = np.clip((cloud(width, height, 3, 3, seed, 4) - 0.35 - 0.55 * ys) * 3, 0, 1)[..., None]
    light = _WINDOW * (0.82 + 0.18 * ys[..., None]) * (1 - trees) + _GARDEN * trees
    bars = np.zeros_like(xs)
    for x in (-0.31, 0.31):
        bars = np.maximum(bars, np.clip(1.5 - np.abs(xs - x) / 0.016, 0, 1))
    for y in (0.30, -0.42):
        bars = np.maximum(bars, np.clip(1.5 - np.abs(ys - y) / 0.018, 0, 1))
    room = light * (1 - bars[..., None]) + np.array([0.16, 0.13, 0.11], np.float32) * bars[..., None]
    beside = np.clip((np.abs(xs) - 0.60) / 0.02, 0, 1)[..., None]
    wall = (
        np.array([0.20, 0.175, 0.155], np.float32) * (0.9 + 0.2 * cloud(width, height, 30, 30, seed + 1, 3))[..., None]
    )
    return np.asarray(room * (1 - beside) + wall * beside, np.float32)


def ivy_king(height: int, seed: int = 53) -> Shot:
    """Photograph the ivy king at the given picture height in pixels."""
    width, unit = round(height * ASPECT), height / 3000
    rng = np.random.default_rng(seed)
    rgb, cover, _ = trace(_mask(), width, height)
    solid = np.dstack([rgb * cover[..., None], cover])
    grasses, ivy = _grasses(width, height, rng), _ivy(width, height, rng)
    subject = over(ivy, over(solid, grasses))
    room = defocus(_window(width, height, seed), 26 * unit)
    # the window's light scatters in the lens, over whatever is dark beside it
    glow = cv2.GaussianBlur(room * (1 - subject[..., 3:]), (0, 0), 34 * unit) * np.float32(0.045)
    subject[..., :3] += glow * subject[..., 3:]
    photo, alpha, foreground = photograph(
        subject.astype(np.float32), room, lens_px=max(0.45, 0.66 * unit), noise=0.009, seed=seed, exposure=0.95
    )
    zones = rough_zones(alpha, inside_px=12 * unit, outside_px=16 * unit, seed=seed, gather_px=2.5)
    leaves, straw = ivy[..., 3], grasses[..., 3] * (1 - ivy[..., 3])
    layers = {Kind.HARD: cover * (1 - leaves), Kind.STRAND: straw, Kind.LACY: leaves * (1 - cover)}
    return Shot(photo, alpha, foreground, zones, true_kinds(alpha, layers, unit))
