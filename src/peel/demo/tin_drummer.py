"""The tin drummer: a toy soldier with a horsehair plume on green cloth, green light bouncing onto him."""

import cv2
import numpy as np

from peel.demo.camera import Shot, cloud, defocus, photograph
from peel.demo.hair import Growth, grow, to_pixels
from peel.demo.marking import rough_zones, true_kinds
from peel.demo.solid_kernels import BALL, BOX, CLOTH, CONE, PAINT, PLAIN, RING, TIN, TUBE
from peel.demo.solids import Light, Material, Scene, trace
from peel.demo.strands import StrandLook, draw_strands, over
from peel.matte.arrays import FloatArray
from peel.matte.edge.kind import Kind

__all__ = ["ASPECT", "tin_drummer"]

ASPECT = 2 / 3
_PLUME = np.array([0.0, 0.665, 0.06])


def _scene() -> Scene:
    scene = Scene(
        light=Light(key=(0.55, 0.62, 0.66), softness=8.0, back=(0.16, 0.40, 0.18), spill=(0.012, 0.085, 0.018)),
        wall_z=-0.9,
    )
    scene.materials = [
        Material((0.50, 0.055, 0.035), (0.36, 0.035, 0.025), PAINT, 7.0, 0.7, 46.0, 0.10, 0.0007),  # 0 red coat
        Material((0.62, 0.41, 0.29), (0.55, 0.34, 0.23), PAINT, 9.0, 0.6, 40.0),  # 1 face
        Material((0.025, 0.03, 0.055), (0.05, 0.05, 0.06), PAINT, 9.0, 0.9, 60.0, 0.08),  # 2 navy
        Material((0.55, 0.40, 0.12), (0.38, 0.24, 0.06), TIN, 8.0, 1.4, 80.0, 0.55, 0.0006),  # 3 brass
        Material((0.72, 0.70, 0.64), (0.55, 0.50, 0.42), PAINT, 8.0, 0.5, 40.0),  # 4 white
        Material((0.010, 0.010, 0.010), (0.02, 0.02, 0.02), PLAIN, 3.0, 2.5, 200.0),  # 5 eyes
        Material((0.42, 0.25, 0.11), (0.28, 0.15, 0.06), PAINT, 12.0, 0.5, 40.0),  # 6 stick
        Material((0.66, 0.61, 0.50), (0.55, 0.49, 0.38), CLOTH, 4.0, 0.12, 12.0),  # 7 drum skin
    ]
    add, limb = scene.add, scene.limb
    # hat with its badge, chin and peak
    add(CONE, (0.0, 0.50, 0.0), (0.165, 0.195, 0.15), 2)
    add(TUBE, (0.0, 0.645, 0.0), (0.205, 0.018, 0.008), 3)
    add(TUBE, (0.0, 0.365, 0.0), (0.175, 0.022, 0.008), 3)
    add(BALL, (0.0, 0.355, 0.15), (0.14, 0.016, 0.08), 2, turn=(14, 0, 0))
    add(BALL, (0.0, 0.50, 0.178), (0.055, 0.065, 0.016), 3)
    add(TUBE, (0.0, 0.665, 0.06), (0.026, 0.05, 0.008), 3)
    # head
    add(BALL, (0.0, 0.24, 0.0), (0.165, 0.175, 0.16), 1)
    add(BALL, (0.0, 0.215, 0.168), (0.027, 0.034, 0.032), 1, blend=0.02)
    for side in (-1, 1):
        add(BALL, (side * 0.062, 0.262, 0.143), (0.021, 0.027, 0.015), 5)
        add(BALL, (side * 0.088, 0.185, 0.132), (0.034, 0.026, 0.02), 0, turn=(0, side * 30, 0))
        add(BALL, (side * 0.040, 0.163, 0.158), (0.046, 0.014, 0.012), 2, turn=(0, side * 12, side * -16))
        add(TUBE, (side * 0.172, 0.21, 0.0), (0.009, 0.12, 0.004), 3)
    add(TUBE, (0.0, 0.07, 0.0), (0.11, 0.035, 0.012), 3)
    # coat, belts, epaulettes
    add(CONE, (0.0, -0.20, 0.0), (0.25, 0.19, 0.26), 0)
    add(BALL, (0.0, 0.02, 0.0), (0.205, 0.08, 0.16), 0, blend=0.05)
    for side in (-1, 1):
        add(BALL, (side * 0.235, 0.035, 0.0), (0.088, 0.032, 0.09), 3)
        add(BOX, (side * 0.06, -0.13, 0.185), (0.018, 0.20, 0.03, 0.006), 4, turn=(-1, 0, side * 26))
        limb((side * 0.245, -0.01, 0.0), (side * 0.415, -0.235, 0.07), 0.062, 0, blend=0.03)
        limb((side * 0.415, -0.235, 0.07), (side * 0.29, -0.375, 0.27), 0.056, 0, blend=0.02)
        add(RING, (side * 0.305, -0.36, 0.25), (0.05, 0.014), 3, turn=(50, side * -20, side * 40))
        add(BALL, (side * 0.272, -0.395, 0.30), (0.052, 0.048, 0.05), 4)
        limb((side * 0.40, -0.30, 0.26), (side * 0.06, -0.445, 0.40), 0.0125, 6)
        add(BALL, (side * 0.05, -0.448, 0.404), (0.023, 0.023, 0.023), 6)
        # legs
        limb((side * 0.115, -0.44, 0.0), (side * 0.125, -0.82, 0.0), 0.088, 4)
        limb((side * 0.127, -0.80, 0.01), (side * 0.130, -1.10, 0.01), 0.094, 2)
    for k in range(4):
        add(BALL, (0.0, -0.02 - 0.09 * k, 0.185 + 0.012 * k), (0.017, 0.017, 0.010), 3)
    # drum
    tilt = (24, 0, 0)
    add(TUBE, (0.0, -0.60, 0.30), (0.235, 0.125, 0.006), 0, turn=tilt)
    for y, z in ((-0.485, 0.352), (-0.712, 0.25)):
        add(TUBE, (0.0, y, z), (0.250, 0.022, 0.008), 4, turn=tilt)
    add(TUBE, (0.0, -0.462, 0.363), (0.228, 0.005, 0.003), 7, turn=tilt)
    for k in range(12):
        a, b = np.radians(30 * k), np.radians(30 * k + 15)
        c, s = np.cos(np.radians(24)), np.sin(np.radians(24))
        top = (
            0.243 * np.sin(a),
            -0.60 + 0.105 * c - 0.243 * np.cos(a) * s,
            0.30 + 0.105 * s + 0.243 * np.cos(a) * c,
        )
        for end in (b, a - np.radians(15)):
            low = (
                0.243 * np.sin(end),
                -0.60 - 0.105 * c - 0.243 * np.cos(end) * s,
                0.30 - 0.105 * s + 0.243 * np.cos(end) * c,
            )
            limb(top, low, 0.0065, 4)
    return scene


def _plume(width: int, height: int, seed: int) -> FloatArray:
    """Draw the horsehair plume, dyed cream, with green light in it."""
    rng = np.random.default_rng(seed)
    count = 1500
    angle = rng.uniform(0, 2 * np.pi, count)
    out = rng.uniform(0, 0.75, count)
    normals = np.stack([np.cos(angle) * out, np.full(count, 1.15), np.sin(angle) * out], axis=1)
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    roots = _PLUME + np.stack([np.cos(angle), np.zeros(count), np.sin(angle)], axis=1) * 0.020 + np.array([0, 0.05, 0])
    growth = Growth(
        length=0.36,
        spread=0.16,
        points=48,
        gravity=2.3,
        curl=0.0035,
        turns=2.5,
        clump=0.62,
        guides=70,
        stray=0.12,
    )
    paths = grow(roots.astype(np.float32), normals.astype(np.float32), growth, seed + 1)
    unit = height / 3000
    steps = np.linspace(0, 1, growth.points, dtype=np.float32)
    widths = rng.uniform(1.6, 3.0, (count, 1)) * unit * (1 - 0.6 * steps[None] ** 2)
    tone = np.clip(rng.normal(0.6, 0.25, (count, 1)) + 0 * steps[None], 0, 1)
    depth = np.clip(0.55 + 2.6 * (paths[..., 2] - 0.06) + 0.3 * steps[None], 0.2, 1.0)
    look = StrandLook(
        (0.20, 0.145, 0.085),
        (0.58, 0.50, 0.37),
        key=(0.55, 0.62, 0.66),
        strength=1.5,
        fill=0.35,
        shine=0.5,
        tint=(0.010, 0.075, 0.016),
    )
    canvas = np.zeros((height, width, 4), np.float32)
    order = np.argsort(paths[:, 15, 2])
    draw_strands(
        to_pixels(paths, width, height)[order],
        widths[order].astype(np.float32),
        tone[order].astype(np.float32),
        depth[order].astype(np.float32),
        look,
        canvas,
    )
    return canvas


def tin_drummer(height: int, seed: int = 37) -> Shot:
    """Photograph the drummer at the given picture height in pixels."""
    width = round(height * ASPECT)
    unit = height / 3000
    rgb, cover, room = trace(_scene(), width, height)
    xs = (np.arange(width, dtype=np.float32) - width / 2) / (height / 2)
    sway = 0.12 * cloud(width, height, 1.6, 0.8, seed, 3)
    fold = np.sin((xs[None, :] + sway) * 21) * 0.5 + np.sin((xs[None, :] - sway) * 9 + 1.3) * 0.5
    weave = cloud(width, height, 240, 240, seed + 1, 2)
    level = (0.86 + 0.17 * fold) * (0.94 + 0.12 * weave) * (0.58 + 0.42 * room[..., 4]) * (0.65 + 0.35 * room[..., 5])
    cloth = np.array([0.045, 0.42, 0.10], np.float32) * level[..., None] + 0.012
    plume = _plume(width, height, seed)
    solid = np.dstack([rgb * cover[..., None], cover])
    shade = cv2.GaussianBlur(plume[..., 3], (0, 0), 9 * unit)[..., None]
    solid[..., :3] *= 1 - 0.45 * shade
    subject = over(plume, solid)
    photo, alpha, foreground = photograph(
        subject,
        defocus(cloth.astype(np.float32), 7 * unit),
        lens_px=max(0.45, 0.7 * unit),
        noise=0.009,
        seed=seed,
        exposure=1.05,
    )
    zones = rough_zones(alpha, inside_px=11 * unit, outside_px=16 * unit, seed=seed)
    kinds = true_kinds(alpha, {Kind.HARD: cover * (1 - plume[..., 3]), Kind.STRAND: plume[..., 3]}, unit)
    return Shot(photo, alpha, foreground, zones, kinds)
