"""The lamplighter's lantern: cream tin with a handle on pale paper, with its own shadow."""

import numpy as np

from peel.demo.camera import Shot, cloud, defocus, develop, photograph
from peel.demo.marking import rough_zones, true_kinds
from peel.demo.solid_kernels import BALL, BOX, CONE, PAINT, PLAIN, RING, TIN, TUBE
from peel.demo.solids import Light, Material, Scene, trace
from peel.matte.arrays import FloatArray
from peel.matte.edge.kind import Kind

__all__ = ["ASPECT", "lamplighter", "lamplighter_shadow"]

ASPECT = 2 / 3


def _scene() -> Scene:
    scene = Scene(
        light=Light(
            key=(-0.75, 0.72, 0.45),
            key_colour=(1.9, 1.86, 1.78),
            softness=5.0,
            sky=(0.62, 0.64, 0.68),
            ground=(0.48, 0.46, 0.43),
        ),
        pitch=13.0,
        wall_z=-1.5,
        floor_y=-0.69,
    )
    scene.materials = [
        Material((0.70, 0.66, 0.57), (0.60, 0.54, 0.43), PAINT, 5.0, 0.5, 40.0, 0.06, 0.0004),  # 0 cream enamel
        Material((0.34, 0.33, 0.32), (0.20, 0.17, 0.145), TIN, 6.0, 0.9, 60.0, 0.55, 0.0012),  # 1 bare tin
        Material((0.80, 0.44, 0.11), (0.62, 0.28, 0.06), PLAIN, 5.0, 1.6, 120.0, 0.25),  # 2 amber glass
        Material((0.16, 0.085, 0.045), (0.09, 0.045, 0.022), PAINT, 12.0, 0.4, 30.0),  # 3 dark wood
        Material((0.42, 0.26, 0.075), (0.26, 0.14, 0.04), TIN, 9.0, 1.2, 80.0, 0.5, 0.0006),  # 4 brass
    ]
    add = scene.add
    add(TUBE, (0.0, -0.64, 0.0), (0.37, 0.035, 0.012), 0)
    add(TUBE, (0.0, -0.585, 0.0), (0.325, 0.03, 0.01), 1)
    add(TUBE, (0.0, -0.27, 0.0), (0.245, 0.29, 0.02), 2)
    for k in range(8):
        a = np.radians(45 * k + 22.5)
        add(
            BOX,
            (0.27 * np.sin(a), -0.27, 0.27 * np.cos(a)),
            (0.021, 0.295, 0.014, 0.004),
            0,
            turn=(0, 45 * k + 22.5, 0),
        )
    for y in (-0.40, -0.14):
        add(RING, (0.0, y, 0.0), (0.272, 0.011), 4)
    add(TUBE, (0.0, 0.045, 0.0), (0.335, 0.030, 0.012), 0)
    add(CONE, (0.0, 0.19, 0.0), (0.345, 0.125, 0.125), 0)
    for k in range(8):
        a = np.radians(45 * k)
        add(BALL, (0.265 * np.sin(a), 0.165, 0.265 * np.cos(a)), (0.019, 0.019, 0.019), 4)
    add(TUBE, (0.0, 0.345, 0.0), (0.115, 0.04, 0.008), 1)
    add(CONE, (0.0, 0.425, 0.0), (0.165, 0.05, 0.045), 0)
    add(BALL, (0.0, 0.485, 0.0), (0.042, 0.042, 0.042), 4)
    # the handle stands up as a ring, turned a little; one sees the paper through it
    add(RING, (0.0, 0.665, 0.0), (0.165, 0.0165), 1, turn=(90, 20, 0))
    add(TUBE, (0.0, 0.83, 0.0), (0.036, 0.085, 0.02), 3, turn=(0, 20, 90))
    for side in (-1, 1):
        add(BALL, (side * 0.245, -0.555, 0.2), (0.03, 0.03, 0.03), 4)
    # a hinged door with its latch
    add(BOX, (0.30, -0.27, 0.13), (0.012, 0.16, 0.06, 0.006), 4, turn=(0, 62, 0))
    add(BALL, (0.335, -0.25, 0.16), (0.022, 0.022, 0.022), 1)
    return scene


def lamplighter(height: int, seed: int = 23) -> Shot:
    """Photograph the lantern at the given picture height in pixels."""
    width = round(height * ASPECT)
    unit = height / 3000
    rgb, cover, room = trace(_scene(), width, height)
    subject = np.dstack([rgb * cover[..., None], cover])
    photo, alpha, foreground = photograph(
        subject,
        defocus(_paper(room, seed), 5 * unit),
        lens_px=max(0.5, 0.8 * unit),
        noise=0.008,
        seed=seed,
        exposure=1.0,
    )
    zones = rough_zones(alpha, inside_px=9 * unit, outside_px=11 * unit, seed=seed)
    return Shot(photo, alpha, foreground, zones, true_kinds(alpha, {Kind.HARD: cover}, unit))


def _paper(room: FloatArray, seed: int) -> FloatArray:
    """Light a sheet of paper."""
    height, width = room.shape[:2]
    fibres = cloud(width, height, 160, 120, seed, 3)[..., None]
    sheet = cloud(width, height, 2.0, 2.4, seed + 1, 4)[..., None]
    paper = np.array([0.88, 0.865, 0.825], np.float32) * (0.93 + 0.07 * fibres) * (0.93 + 0.13 * sheet)
    # the paper sweep has no corner: light falls off smoothly towards the back
    floor, lit, sky = room[..., 3:4], room[..., 4:5], room[..., 5:6]
    depth = np.clip((room[..., 2:3] + 1.5) / 2.2, 0, 1)
    fall = 0.92 - 0.16 * (1 - depth) * floor - 0.16 * (1 - floor) + 0.05 * (room[..., 0:1] < 9)
    return np.asarray(paper * fall * (0.56 + 0.90 * lit) * (0.72 + 0.28 * sky), np.float32)


def lamplighter_shadow(height: int, seed: int = 23) -> FloatArray:
    """Return the lantern's true shadow: what the paper lacks of its encoded brightness without the lantern, (H, W)."""
    width = round(height * ASPECT)
    bare = _scene()
    bare.clear()
    shaded, lit = (develop(_paper(trace(scene, width, height)[2], seed)).mean(axis=2) for scene in (_scene(), bare))
    return np.asarray(np.clip(1 - shaded / lit, 0, 1), np.float32)
