"""Bramble: a marionette with long, wild wool hair before a painted workshop wall."""

import cv2
import numpy as np

from peel.demo.camera import Shot, cloud, defocus, empty_set, photograph
from peel.demo.hair import Growth, grow, to_pixels
from peel.demo.marking import rough_zones, true_kinds
from peel.demo.solid_kernels import BALL, BOX, CLOTH, PAINT, PLAIN, TUBE, WOOD
from peel.demo.solids import Light, Material, Scene, trace
from peel.demo.strands import StrandLook, draw_strands, over
from peel.matte.arrays import FloatArray
from peel.matte.edge.kind import Kind

__all__ = ["ASPECT", "bramble", "bramble_set"]

ASPECT = 1.5
_HEAD = np.array([0.0, 0.17, 0.0])
_RADII = np.array([0.30, 0.37, 0.30])


def _scene() -> Scene:
    scene = Scene(light=Light(key=(-0.6, 0.6, 0.62), softness=8.0), wall_z=-0.9)
    scene.materials = [
        Material((0.60, 0.36, 0.19), (0.42, 0.22, 0.10), WOOD, 11.0, 0.32, 34.0, bump=0.0006),  # 0 skin
        Material((0.012, 0.010, 0.009), (0.02, 0.02, 0.02), PLAIN, 3.0, 3.0, 220.0),  # 1 eyes
        Material((0.52, 0.09, 0.035), (0.40, 0.06, 0.03), PAINT, 14.0, 0.5, 40.0),  # 2 nose
        Material((0.075, 0.030, 0.042), (0.15, 0.065, 0.075), CLOTH, 5.0, 0.03, 6.0, bump=0.0015),  # 3 coat
        Material((0.65, 0.50, 0.14), (0.42, 0.28, 0.07), PAINT, 20.0, 0.8, 60.0, 0.3),  # 4 buttons
        Material((0.20, 0.035, 0.025), (0.12, 0.02, 0.015), PAINT, 10.0, 0.25, 20.0),  # 5 mouth
        Material((0.55, 0.50, 0.40), (0.36, 0.31, 0.23), CLOTH, 7.0, 0.03, 6.0, bump=0.001),  # 6 scarf
        Material((0.80, 0.78, 0.72), (0.7, 0.66, 0.6), PLAIN, 6.0, 1.2, 90.0),  # 7 eye white
    ]
    add = scene.add
    add(BALL, tuple(_HEAD), tuple(_RADII), 0)
    add(BALL, (0.0, -0.02, 0.13), (0.20, 0.17, 0.17), 0, blend=0.12)
    add(BALL, (-0.13, 0.05, 0.19), (0.085, 0.075, 0.07), 0, blend=0.08)
    add(BALL, (0.13, 0.05, 0.19), (0.085, 0.075, 0.07), 0, blend=0.08)
    for side in (-1, 1):
        add(BALL, (side * 0.115, 0.215, 0.245), (0.062, 0.066, 0.045), 7)
        add(BALL, (side * 0.108, 0.212, 0.272), (0.034, 0.038, 0.026), 1)
        add(BALL, (side * 0.115, 0.300, 0.262), (0.085, 0.020, 0.035), 0, turn=(0, 0, side * -9), blend=0.03)
        add(BALL, (side * 0.305, 0.14, 0.0), (0.035, 0.085, 0.06), 0, blend=0.03)
    add(BALL, (0.0, 0.115, 0.33), (0.062, 0.058, 0.075), 2)
    add(BALL, (0.0, -0.045, 0.292), (0.105, 0.014, 0.02), 5, turn=(12, 0, 0))
    add(BALL, (-0.100, -0.030, 0.276), (0.036, 0.012, 0.02), 5, turn=(10, 0, -42))
    add(BALL, (0.100, -0.030, 0.276), (0.036, 0.012, 0.02), 5, turn=(10, 0, 42))
    add(TUBE, (0.0, -0.29, 0.0), (0.095, 0.16, 0.02), 0)
    for k, angle in enumerate((4, -7, 5)):
        add(
            BALL,
            (0.0, -0.345 - 0.035 * k, 0.01),
            (0.17 + 0.022 * k, 0.042, 0.155),
            6,
            turn=(0, 0, angle),
            blend=0.02,
        )
    add(BALL, (0.0, -0.86, 0.0), (0.31, 0.46, 0.21), 3)
    add(BALL, (-0.20, -0.52, 0.0), (0.17, 0.115, 0.14), 3, blend=0.12)
    add(BALL, (0.20, -0.52, 0.0), (0.17, 0.115, 0.14), 3, blend=0.12)
    # one hand on the hip leaves a gap between arm and body; the other waves
    scene.limb((-0.31, -0.53, 0.0), (-0.66, -0.74, 0.02), 0.088, 3, blend=0.07)
    scene.limb((-0.66, -0.74, 0.02), (-0.42, -0.965, 0.12), 0.078, 3, blend=0.05)
    scene.limb((0.31, -0.53, 0.0), (0.68, -0.70, 0.02), 0.088, 3, blend=0.07)
    scene.limb((0.68, -0.70, 0.02), (0.90, -0.36, 0.10), 0.076, 3, blend=0.05)
    add(BALL, (0.935, -0.285, 0.115), (0.062, 0.072, 0.04), 0)
    for k, (dx, dy) in enumerate(((-0.052, 0.085), (-0.012, 0.105), (0.030, 0.100), (0.066, 0.075))):
        scene.limb(
            (0.935 + dx * 0.6, -0.235, 0.115),
            (0.94 + dx * 1.35, -0.215 + dy, 0.12 - 0.004 * k),
            0.0165,
            0,
            blend=0.01,
        )
    scene.limb((0.895, -0.285, 0.12), (0.835, -0.235, 0.14), 0.0175, 0, blend=0.01)
    add(BALL, (-0.395, -0.98, 0.13), (0.062, 0.055, 0.045), 0)
    for k in range(3):
        add(BALL, (0.0, -0.565 - 0.15 * k, 0.198 + 0.016 * k), (0.03, 0.03, 0.014), 4)
    add(BOX, (0.0, -0.86, 0.193), (0.022, 0.40, 0.012, 0.008), 3, blend=0.02)
    return scene


def _scalp(count: int, seed: int) -> tuple[FloatArray, FloatArray]:
    """Scatter roots over the scalp, leaving the face free."""
    rng = np.random.default_rng(seed)
    normals = rng.normal(size=(count * 4, 3))
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    brow = 0.60 + 0.10 * np.sin(normals[:, 0] * 9)
    face = (normals[:, 2] > 0.12) & (normals[:, 1] < brow)
    nape = normals[:, 1] < -0.35
    normals = normals[~face & ~nape][:count]
    return (_HEAD + normals * _RADII * 1.0).astype(np.float32), normals.astype(np.float32)


def _hair(width: int, height: int, seed: int) -> tuple[FloatArray, FloatArray]:
    """Draw the hair behind and in front of the head."""
    roots, normals = _scalp(5200, seed)
    growth = Growth(
        length=0.46,
        spread=0.34,
        gravity=1.35,
        curl=0.013,
        turns=6.0,
        clump=0.82,
        guides=170,
        stray=0.07,
        lift=0.35,
        points=90,
    )
    paths = grow(roots, normals * np.array([1.25, 1.0, 0.8]), growth, seed + 1)
    rng = np.random.default_rng(seed + 2)
    pixels = to_pixels(paths, width, height)
    steps = np.linspace(0, 1, growth.points, dtype=np.float32)
    unit = height / 2000
    thick = rng.uniform(1.5, 3.4, (len(roots), 1)) * unit
    widths = thick * (1 - 0.72 * steps[None] ** 1.6)
    tone = np.clip(rng.normal(0.45, 0.22, (len(roots), 1)) + 0.25 * steps[None], 0, 1)
    away = np.linalg.norm((paths - _HEAD) / _RADII, axis=-1)
    depth = np.clip((away - 0.95) * 0.9, 0.16, 1.0) * np.clip(0.75 + 0.5 * (paths[..., 2] + 0.1), 0.35, 1.0)
    look = StrandLook((0.10, 0.033, 0.010), (0.46, 0.20, 0.055), key=(-0.6, 0.6, 0.62), shine=0.22)
    behind, front = np.zeros((height, width, 4), np.float32), np.zeros((height, width, 4), np.float32)
    order = np.argsort(paths[:, :12, 2].mean(axis=1))
    back = order[normals[order, 2] < 0.02]
    fore = order[normals[order, 2] >= 0.02]
    for layer, chosen in ((behind, back), (front, fore)):
        draw_strands(pixels[chosen], widths[chosen], tone[chosen], depth[chosen].astype(np.float32), look, layer)
    return behind, front


def _strings(width: int, height: int) -> FloatArray:
    """Draw the marionette's two strings, up and out of the frame."""
    half = height / 2
    canvas = np.zeros((height, width, 4), np.float32)
    lines = [((0.955, -0.20), (0.99, 1.05)), ((-0.60, -0.66), (-0.86, 1.05))]
    points = np.array([np.linspace(a, b, 12) for a, b in lines], np.float32)
    pixels = np.stack([points[..., 0] * half + width / 2, half - points[..., 1] * half, points[..., 0] * 0], axis=-1)
    widths = np.full(points.shape[:2], 3.0 * height / 2000, np.float32)
    tone = np.full(points.shape[:2], 0.5, np.float32)
    draw_strands(
        pixels.astype(np.float32),
        widths,
        tone,
        tone * 2,
        StrandLook((0.03, 0.03, 0.03), (0.08, 0.07, 0.06)),
        canvas,
    )
    return canvas


def _wall(room: FloatArray, seed: int) -> FloatArray:
    """Paint the workshop wall: old sage paint, worn through in places, a shelf far out of focus."""
    height, width = room.shape[:2]
    blotch = cloud(width, height, 2.2, 2.2, seed)[..., None]
    scrub = cloud(width, height, 9, 3.5, seed + 1)[..., None]
    fine = cloud(width, height, 60, 60, seed + 2, 3)[..., None]
    paint = np.array([0.235, 0.30, 0.26], np.float32) * (0.62 + 0.8 * blotch) * (0.85 + 0.3 * scrub)
    plaster = np.array([0.44, 0.38, 0.30], np.float32) * (0.7 + 0.5 * fine)
    worn = np.clip((cloud(width, height, 4, 4, seed + 3)[..., None] - 0.60) * 9, 0, 1)
    wall = paint * (1 - worn) + plaster * worn
    wall *= 0.92 + 0.16 * fine
    xs = (np.arange(width) - width / 2) / (height / 2)
    ys = 1 - (np.arange(height) + 0.5) / (height / 2)
    # boards, a shelf with jars, a rag on a nail: soft shapes only
    groove = np.exp(-((((xs[None, :] + 0.08) % 0.62 - 0.31) / 0.008) ** 2))[..., None]
    wall = wall * (1 - 0.55 * groove)
    wall = _jars(wall, xs, ys)
    light = 0.55 + 0.75 * np.clip(0.75 - 0.35 * xs[None, :] + 0.30 * ys[:, None], 0.1, 1.4)
    lit = 0.35 + 0.65 * room[..., 4]
    return (wall * light[..., None] * lit[..., None] * (0.55 + 0.45 * room[..., 5:6])).astype(np.float32)


def _jars(wall: FloatArray, xs: FloatArray, ys: FloatArray) -> FloatArray:
    """Stand paint jars on a shelf at the right."""
    shelf = ((np.abs(ys - 0.36) < 0.022)[:, None] & (xs > 0.72)[None, :])[..., None]
    wall = np.where(shelf, np.array([0.20, 0.115, 0.06], np.float32), wall)
    jars = (
        (0.86, 0.07, 0.19, (0.50, 0.16, 0.07)),
        (1.05, 0.06, 0.13, (0.10, 0.17, 0.30)),
        (1.22, 0.08, 0.24, (0.55, 0.42, 0.14)),
        (1.41, 0.06, 0.16, (0.62, 0.58, 0.50)),
    )
    for x, half, tall, colour in jars:
        inside = ((np.abs(xs - x) < half)[None, :] & ((ys > 0.382) & (ys < 0.382 + tall))[:, None])[..., None]
        curve = np.clip(1 - ((xs - x + 0.02) / half) ** 2, 0, 1)[None, :, None]
        wall = np.where(inside, np.array(colour, np.float32) * (0.35 + 0.75 * curve), wall)
    return wall.astype(np.float32)


def bramble_set(height: int, seed: int = 11) -> FloatArray:
    """Photograph the set without the puppet; see `empty_set`."""
    return empty_set(
        lambda room: _wall(room, seed), (height, round(height * ASPECT)), 19, noise=0.011, seed=seed, exposure=1.0
    )


def bramble(height: int, seed: int = 11) -> Shot:
    """Photograph Bramble at the given picture height in pixels."""
    width = round(height * ASPECT)
    unit = height / 2000
    rgb, cover, room = trace(_scene(), width, height)
    behind, front = _hair(width, height, seed)
    shade = cv2.GaussianBlur(front[..., 3], (0, 0), 14 * unit)
    shade = np.roll(shade, (round(16 * unit), round(10 * unit)), (0, 1))[..., None]
    solid = np.dstack([rgb * cover[..., None] * (1 - 0.62 * shade), cover])
    thread = over(_strings(width, height), behind)
    subject = over(front, over(solid, thread))
    wall = defocus(_wall(room, seed), 19 * unit)
    photo, alpha, foreground = photograph(
        subject, wall, lens_px=max(0.45, 0.62 * unit), noise=0.011, seed=seed, exposure=1.0
    )
    zones = rough_zones(alpha, inside_px=16 * unit, outside_px=9 * unit, seed=seed, gather_px=22 * unit)
    strands = np.maximum(front[..., 3], thread[..., 3] * (1 - cover))
    kinds = true_kinds(alpha, {Kind.HARD: cover * (1 - front[..., 3]), Kind.STRAND: strands}, unit)
    return Shot(photo, alpha, foreground, zones, kinds)
