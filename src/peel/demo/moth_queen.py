"""The moth queen: a dancer puppet with gauze wings and feather antennae before dark cloth."""

from itertools import product

import cv2
import numpy as np

from peel.demo.camera import Shot, cloud, defocus, photograph
from peel.demo.marking import rough_zones, true_kinds
from peel.demo.solid_kernels import BALL, CLOTH, CONE, PAINT, PLAIN, RING, TUBE
from peel.demo.solids import Light, Material, Scene, trace
from peel.demo.strands import StrandLook, draw_strands, over
from peel.matte.arrays import FloatArray
from peel.matte.edge.kind import Kind

__all__ = ["ASPECT", "moth_queen", "moth_queen_again"]

ASPECT = 1.2
_KEY = (0.5, 0.66, 0.56)
# One wing of each pair, as points around which a smooth closed curve runs; the other is its mirror image.
_UPPER = (
    (0.07, 0.10),
    (0.34, 0.50),
    (0.72, 0.74),
    (1.03, 0.70),
    (1.06, 0.44),
    (0.88, 0.14),
    (0.56, -0.02),
    (0.24, -0.02),
)
_LOWER = (
    (0.06, -0.02), (0.36, -0.02), (0.70, -0.12), (0.86, -0.40), (0.72, -0.68), (0.46, -0.62), (0.24, -0.38),
    (0.10, -0.16),
)  # fmt: skip
_BARBS = StrandLook((0.34, 0.28, 0.20), (0.80, 0.74, 0.62), key=_KEY, strength=1.2, shine=0.3)
_KNOTS = 60
_GAUZE = (0.86, 0.74, 0.58)
_Outline = tuple[tuple[float, float], ...]
_SPOTS: dict[_Outline, tuple[float, float, float]] = {_UPPER: (0.80, 0.46, 0.125), _LOWER: (0.60, -0.40, 0.085)}


def _puppet() -> Scene:
    scene = Scene(light=Light(key=_KEY, softness=8.0, sky=(0.30, 0.31, 0.36), ground=(0.14, 0.12, 0.11)), wall_z=-0.9)
    scene.materials = [
        Material((0.70, 0.56, 0.45), (0.60, 0.45, 0.34), PAINT, 8.0, 0.5, 40.0),  # 0 porcelain
        Material((0.33, 0.30, 0.36), (0.24, 0.215, 0.27), CLOTH, 5.0, 0.10, 10.0, bump=0.0012),  # 1 gown
        Material((0.012, 0.011, 0.013), (0.02, 0.02, 0.02), PLAIN, 3.0, 2.0, 160.0),  # 2 eyes
        Material((0.55, 0.42, 0.15), (0.40, 0.27, 0.08), PAINT, 12.0, 1.2, 80.0, 0.4),  # 3 gilt
        Material((0.42, 0.10, 0.10), (0.34, 0.07, 0.07), PAINT, 9.0, 0.5, 40.0),  # 4 lips
        Material((0.30, 0.21, 0.15), (0.21, 0.14, 0.09), CLOTH, 7.0, 0.06, 8.0, bump=0.002),  # 5 hood
    ]
    add, limb = scene.add, scene.limb
    # head in a close hood, with a gilt circlet
    add(BALL, (0.0, 0.40, 0.0), (0.150, 0.172, 0.150), 5)
    add(BALL, (0.0, 0.375, 0.045), (0.122, 0.150, 0.125), 0)
    add(BALL, (0.0, 0.365, 0.172), (0.020, 0.028, 0.022), 0, blend=0.02)
    add(RING, (0.0, 0.485, 0.02), (0.142, 0.014), 3, turn=(-14, 0, 0))
    for side in (-1, 1):
        add(BALL, (side * 0.052, 0.395, 0.155), (0.024, 0.014, 0.014), 2, turn=(0, side * 18, side * 10))
        add(BALL, (side * 0.056, 0.432, 0.150), (0.034, 0.006, 0.010), 5, turn=(0, side * 18, side * -10))
        add(BALL, (side * 0.052, 0.517, 0.115), (0.014, 0.014, 0.014), 3)
    add(BALL, (0.0, 0.305, 0.160), (0.028, 0.011, 0.012), 4)
    # neck, ruff, bodice and gown
    add(TUBE, (0.0, 0.215, 0.0), (0.046, 0.08, 0.01), 0)
    for k in range(14):
        a = np.radians(360 / 14 * k)
        add(BALL, (0.115 * np.sin(a), 0.165, 0.105 * np.cos(a)), (0.040, 0.026, 0.034), 5)
    add(CONE, (0.0, -0.03, 0.0), (0.095, 0.150, 0.17), 1)
    add(BALL, (0.0, 0.09, 0.0), (0.150, 0.075, 0.115), 1, blend=0.04)
    add(RING, (0.0, -0.19, 0.0), (0.104, 0.020), 3)
    add(CONE, (0.0, -0.58, 0.0), (0.370, 0.105, 0.38), 1)
    for k in range(12):
        a = np.radians(30 * k)
        limb(
            (0.10 * np.sin(a), -0.22, 0.10 * np.cos(a)),
            (0.375 * np.sin(a), -0.955, 0.375 * np.cos(a)),
            0.026,
            1,
            blend=0.05,
        )
    # arms: one raised, one held out
    limb((-0.145, 0.09, 0.02), (-0.345, -0.10, 0.16), 0.045, 1, blend=0.03)
    limb((-0.345, -0.10, 0.16), (-0.47, 0.10, 0.28), 0.034, 0, blend=0.01)
    limb((0.145, 0.09, 0.02), (0.33, -0.12, 0.14), 0.045, 1, blend=0.03)
    limb((0.33, -0.12, 0.14), (0.53, -0.20, 0.28), 0.034, 0, blend=0.01)
    for x, y, z, lean in ((-0.487, 0.135, 0.29, 18), (0.570, -0.212, 0.29, -78)):
        add(BALL, (x, y, z), (0.036, 0.048, 0.022), 0, turn=(0, 0, lean))
        for k in (-1, 0, 1):
            a = np.radians(lean + 16 * k)
            tip = (x - 0.105 * np.sin(a), y + 0.105 * np.cos(a), z)
            limb((x - 0.03 * np.sin(a), y + 0.03 * np.cos(a), z), tip, 0.0105, 0, blend=0.008)
    return scene


def _curve(points: tuple[tuple[float, float], ...], count: int = 240) -> FloatArray:
    """Run a smooth closed curve through points: a periodic Catmull-Rom spline."""
    knots = np.array(points, np.float32)
    at = np.linspace(0, len(knots), count, endpoint=False, dtype=np.float32)
    k, t = at.astype(int), (at % 1)[:, None]
    a, b, c, d = (knots[(k + shift) % len(knots)] for shift in (-1, 0, 1, 2))
    curve = 0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3)
    return np.asarray(curve, np.float32)


def _to_pixels(points: FloatArray, width: int, height: int, mirrored: bool) -> FloatArray:
    half = height / 2
    x = -points[..., 0] if mirrored else points[..., 0]
    return np.asarray(np.stack([x * half + width / 2, half - points[..., 1] * half], axis=-1), np.float32)


def _filled(outline: FloatArray, width: int, height: int) -> FloatArray:
    """Cover the inside of an outline, antialiased with 16 samples a pixel."""
    big = np.zeros((height * 4, width * 4), np.uint8)
    cv2.fillPoly(big, [np.round(outline * 4 * 16).astype(np.int32)], 255, shift=4)
    small = cv2.resize(big, (width, height), interpolation=cv2.INTER_AREA)
    return np.asarray(small.astype(np.float32) / np.float32(255))


def _wing(points: tuple[tuple[float, float], ...], width: int, height: int, mirrored: bool, seed: int) -> FloatArray:
    """Draw one wing: gauze in folds that fan out from its root, a hem, and thin ribs."""
    unit = height / 2240
    outline = _to_pixels(_curve(points), width, height, mirrored)
    shape = _filled(outline, width, height)
    root = _to_pixels(np.array([points[0]], np.float32), width, height, mirrored)[0]
    ys, xs = np.mgrid[:height, :width].astype(np.float32)
    angle = np.arctan2(ys - root[1], np.abs(xs - root[0]) + 1)
    reach = np.hypot(xs - root[0], ys - root[1]) / height
    wave = cloud(width, height, 5, 5, seed, 3)
    fold = 0.5 + 0.5 * np.sin(angle * 21 + 5.0 * wave + seed) * np.clip(reach * 4, 0, 1)
    weave = 0.5 + 0.25 * np.sin(xs / unit * 1.05 + 2 * wave) + 0.25 * np.sin(ys / unit * 1.1 + 2 * wave)
    worn = cloud(width, height, 14, 14, seed + 3, 4)
    membrane = 0.24 + 0.36 * fold**3 + 0.07 * (weave - 0.5) + 0.16 * (worn - 0.45)
    inner = cv2.distanceTransform((shape > 0.5).astype(np.uint8), cv2.DIST_L2, 5) / unit
    hem = np.clip(1 - inner / 9, 0, 1) ** 0.7
    cover = shape * np.clip(membrane + 0.42 * hem, 0.05, 0.92)
    light = (0.66 + 0.45 * (1 - fold) + 0.35 * worn) * (0.85 + 0.35 * (xs / width - 0.5))
    gauze = np.dstack([*(np.float32(c) * light * cover for c in _GAUZE), cover]).astype(np.float32)
    embroidery = _spot(_SPOTS[points], width, height, mirrored, worn)
    return over(_ribs(outline, root, width, height), over(embroidery, gauze))


def _spot(spot: tuple[float, float, float], width: int, height: int, mirrored: bool, worn: FloatArray) -> FloatArray:
    """Embroider an eye spot: rings of dense thread on the gauze."""
    x, y, radius = spot
    middle = _to_pixels(np.array([[x, y]], np.float32), width, height, mirrored)[0]
    ys, xs = np.mgrid[:height, :width].astype(np.float32)
    away = np.hypot(xs - middle[0], (ys - middle[1]) * 1.12) / (radius * height / 2) + 0.10 * (worn - 0.5)
    canvas = np.zeros((height, width, 4), np.float32)
    sharp = 0.35 * radius * height / 2
    for reach, colour in (
        (1.0, (0.30, 0.16, 0.06)),
        (0.78, (0.40, 0.055, 0.045)),
        (0.45, (0.035, 0.025, 0.035)),
        (0.16, (0.7, 0.62, 0.45)),
    ):
        cover = np.clip((reach - away) * sharp + 0.5, 0, 1) * (0.80 + 0.20 * worn)
        canvas = over(np.dstack([*(np.float32(c) * (0.6 + 0.8 * worn) * cover for c in colour), cover]), canvas)
    return canvas.astype(np.float32)


def _ribs(outline: FloatArray, root: FloatArray, width: int, height: int) -> FloatArray:
    """Draw the ribs of a wing, thin wires from its root to its hem."""
    unit = height / 2240
    canvas = np.zeros((height, width, 4), np.float32)
    ends = outline[(np.linspace(0.14, 0.86, 7) * len(outline)).astype(int)]
    steps = np.linspace(0, 1, 24, dtype=np.float32)[None, :, None]
    bow = np.stack([ends[:, 1] - root[1], root[0] - ends[:, 0]], axis=-1)[:, None] * 0.06
    paths = root + (ends[:, None] - root) * steps + bow * (steps * (1 - steps) * 4)
    points = np.dstack([paths, np.zeros(paths.shape[:2])]).astype(np.float32)
    widths = np.repeat((3.4 - 2.2 * steps[..., 0]) * unit, len(ends), axis=0).astype(np.float32)
    tone = np.full(points.shape[:2], 0.5, np.float32)
    draw_strands(points, widths, tone, tone * 1.6, StrandLook((0.10, 0.07, 0.04), (0.30, 0.22, 0.13), key=_KEY), canvas)
    return canvas


def _antennae(width: int, height: int, seed: int) -> FloatArray:
    """Draw two feather antennae: a shaft each, with fine light barbs that leave gaps."""
    rng = np.random.default_rng(seed)
    unit = height / 2240
    canvas = np.zeros((height, width, 4), np.float32)
    steps = np.linspace(0, 1, _KNOTS)
    for side in (-1, 1):
        x = side * (0.052 + 0.30 * steps + 0.10 * np.sin(steps * 2.6))
        shaft = np.stack([x, 0.52 + 0.42 * steps - 0.16 * steps**3], axis=-1)
        barbs = _barbs(shaft.astype(np.float32), rng)
        tapering = 1 - 0.7 * np.linspace(0, 1, barbs.shape[1])[None]
        tone = np.clip(rng.normal(0.6, 0.2, (len(barbs), 1)), 0, 1).astype(np.float32)
        widths = rng.uniform(1.3, 2.3, (len(barbs), 1)) * unit * tapering
        _draw_flat(canvas, barbs, widths.astype(np.float32), tone)
        thick = ((5.0 - 3.6 * steps[None]) * unit).astype(np.float32)
        _draw_flat(canvas, shaft[None].astype(np.float32), thick, np.full((1, 1), 0.3, np.float32))
    return canvas


def _barbs(shaft: FloatArray, rng: np.random.Generator) -> FloatArray:
    """Grow barbs to both sides of a shaft, (N, 14, 2): longest in its middle, bent towards its tip."""
    along = np.gradient(shaft, axis=0)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    t = np.linspace(0, 1, 14)[:, None]
    paths = []
    for k, across, _ in product(range(4, _KNOTS), (-1, 1), range(2)):
        root = shaft[k] + along[k] * rng.uniform(-0.004, 0.004)
        length = 0.115 * np.sin(np.pi * (0.12 + 0.86 * k / _KNOTS)) * rng.uniform(0.75, 1.12)
        lean = rng.normal(0.75, 0.10) * along[k] + across * np.array([-along[k, 1], along[k, 0]])
        paths.append(root + lean * length * t + along[k] * length * (0.35 + rng.normal(0, 0.12)) * t**2)
    return np.asarray(paths, np.float32)


def _draw_flat(canvas: FloatArray, paths: FloatArray, widths: FloatArray, tone: FloatArray) -> None:
    """Draw strands given in world units (S, P, 2), all equally lit."""
    height, width = canvas.shape[:2]
    points = _to_pixels(paths.astype(np.float32), width, height, mirrored=False)
    flat = np.dstack([points, np.zeros(points.shape[:2], np.float32)]).astype(np.float32)
    shape = flat.shape[:2]
    tones = np.broadcast_to(tone, shape).astype(np.float32)
    draw_strands(
        flat, np.broadcast_to(widths, shape).astype(np.float32), tones, np.full(shape, 0.8, np.float32), _BARBS, canvas
    )


def _cloth(room: FloatArray, seed: int) -> FloatArray:
    """Hang the dark cloth: deep plum velvet in slow folds, a paler seam, dust."""
    height, width = room.shape[:2]
    xs = (np.arange(width, dtype=np.float32) - width / 2) / (height / 2)
    sway = 0.10 * cloud(width, height, 1.4, 0.7, seed, 3)
    fold = 0.5 + 0.5 * np.sin((xs[None, :] + sway) * 13.0) * np.sin((xs[None, :] - 2 * sway) * 5.0 + 0.7)
    nap = cloud(width, height, 150, 150, seed + 1, 3)
    dust = np.clip(cloud(width, height, 70, 70, seed + 2, 4) - 0.60, 0, 1) * 0.025
    level = (0.35 + 1.0 * fold**2) * (0.8 + 0.4 * nap) * (0.5 + 0.5 * room[..., 4]) * (0.65 + 0.35 * room[..., 5])
    seam = np.exp(-(((xs[None, :] + 0.62 + 0.4 * sway) / 0.012) ** 2))
    level = level * (1 - 0.5 * seam)
    cloth = np.array([0.032, 0.020, 0.038], np.float32) * level[..., None] + dust[..., None] + 0.004
    return cloth.astype(np.float32)


def _drawn(height: int, seed: int) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray, FloatArray]:
    """Draw the puppet: all of it, then its solid coverage, wings and antennae, and what its light does to the room."""
    width = round(height * ASPECT)
    rgb, cover, room = trace(_puppet(), width, height)
    solid = np.dstack([rgb * cover[..., None], cover])
    wings = np.zeros((height, width, 4), np.float32)
    for number, points in enumerate((_LOWER, _UPPER)):
        for mirrored in (False, True):
            wings = over(_wing(points, width, height, mirrored, seed + 10 * number + 3 * mirrored), wings)
    antennae = _antennae(width, height, seed)
    return over(antennae, over(solid, wings)), cover, wings, antennae, room


def moth_queen_again(height: int, seed: int = 71) -> FloatArray:
    """Photograph the moth queen once more, before unbleached linen: (H, W, 3) encoded."""
    unit = height / 2240
    subject, _, _, _, room = _drawn(height, seed)
    width = subject.shape[1]
    weave = cloud(width, height, 90, 90, seed + 5, 3) - 0.5
    fold = cloud(width, height, 1.2, 0.8, seed + 6, 3)
    level = (0.8 + 0.3 * fold + 0.05 * weave) * (0.6 + 0.4 * room[..., 4]) * (0.7 + 0.3 * room[..., 5])
    linen = np.array([0.52, 0.48, 0.40], np.float32) * level[..., None]
    lens = {"lens_px": max(0.45, 0.62 * unit), "noise": 0.010, "exposure": 1.1}
    return photograph(subject, defocus(linen.astype(np.float32), 6 * unit), seed=seed + 9, **lens)[0]


def moth_queen(height: int, seed: int = 71) -> Shot:
    """Photograph the moth queen at the given picture height in pixels."""
    unit = height / 2240
    subject, cover, wings, antennae, room = _drawn(height, seed)
    photo, alpha, foreground = photograph(
        subject,
        defocus(_cloth(room, seed), 6 * unit),
        lens_px=max(0.45, 0.62 * unit),
        noise=0.010,
        seed=seed,
        exposure=1.1,
    )
    zones = rough_zones(alpha, inside_px=10 * unit, outside_px=13 * unit, seed=seed)
    layers = {
        Kind.HARD: cover * (1 - antennae[..., 3]),
        Kind.STRAND: 2.0 * antennae[..., 3],
        Kind.SHEER: wings[..., 3] * (1 - cover),
    }
    return Shot(photo, alpha, foreground, zones, true_kinds(alpha, layers, unit))
