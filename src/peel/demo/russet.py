"""Russet: a fox hand puppet in short dense fur, its tail running out of focus into a wall of nearly its own colour."""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from peel.demo.camera import Shot, cloud, defocus, empty_set, photograph
from peel.demo.hair import Growth, grow, to_pixels
from peel.demo.marking import rough_zones, true_kinds
from peel.demo.solid_kernels import BALL, CLOTH, CONE, PAINT, PLAIN, RING, TUBE
from peel.demo.solids import Light, Material, Scene, surface_samples, trace
from peel.demo.strands import StrandLook, draw_strands, over
from peel.matte.arrays import FloatArray
from peel.matte.edge.kind import Kind

__all__ = ["ASPECT", "russet", "russet_set"]

ASPECT = 1.5
_LIGHT = Light(key=(-0.55, 0.62, 0.6), softness=7.0, sky=(0.40, 0.38, 0.36), ground=(0.26, 0.19, 0.13))
_KEY = (-0.55, 0.62, 0.6)
_ORANGE, _WHITE, _DARK = 0, 1, 2
_PELT = (
    Material((0.40, 0.145, 0.035), (0.30, 0.10, 0.025)),
    Material((0.62, 0.55, 0.44), (0.50, 0.43, 0.33)),
    Material((0.050, 0.030, 0.022), (0.03, 0.02, 0.016)),
)
_LOOKS = {
    _ORANGE: StrandLook((0.16, 0.042, 0.009), (0.60, 0.235, 0.062), key=_KEY, shine=0.18),
    _WHITE: StrandLook((0.34, 0.28, 0.20), (0.74, 0.68, 0.58), key=_KEY, strength=1.5, shine=0.2),
    _DARK: StrandLook((0.016, 0.010, 0.008), (0.10, 0.060, 0.040), key=_KEY, shine=0.14),
}
_NOSE = np.array([-0.28, 0.16, 0.52])
_SPINE = (
    (0.02, -0.86, -0.30),
    (0.34, -0.80, -0.34),
    (0.64, -0.62, -0.38),
    (0.86, -0.34, -0.42),
    (0.98, -0.02, -0.46),
    (1.02, 0.26, -0.50),
    (0.98, 0.48, -0.53),
)
_GIRTH = (0.10, 0.15, 0.20, 0.23, 0.215, 0.15, 0.06)


_Lay = Callable[[FloatArray, FloatArray], FloatArray]


@dataclass(frozen=True)
class _Coat:
    """How a pelt is grown: strands for a photo 2000 pixels high, their length, and where they lie."""

    count: int
    length: float
    gravity: float
    width_px: float


def _puppet() -> Scene:
    scene = Scene(light=_LIGHT, wall_z=-0.9)
    scene.materials = [
        *_PELT,
        Material((0.045, 0.080, 0.088), (0.075, 0.12, 0.125), CLOTH, 7.0, 0.05, 8.0, bump=0.0014),  # 3 waistcoat
        Material((0.46, 0.36, 0.20), (0.34, 0.25, 0.12), PAINT, 18.0, 0.7, 60.0, 0.2),  # 4 buttons
    ]
    add, limb = scene.add, scene.limb
    # body, arms and neck
    add(CONE, (-0.25, -0.55, 0.0), (0.40, 0.25, 0.55), _ORANGE)
    add(BALL, (-0.25, -0.06, 0.0), (0.27, 0.16, 0.22), _ORANGE, blend=0.10)
    limb((-0.48, -0.22, 0.05), (-0.86, -0.04, 0.16), 0.098, _ORANGE, blend=0.06)
    limb((-0.02, -0.22, 0.05), (0.28, -0.40, 0.20), 0.098, _ORANGE, blend=0.06)
    add(BALL, (-0.91, -0.01, 0.18), (0.105, 0.10, 0.09), _DARK, blend=0.03)
    add(BALL, (0.33, -0.43, 0.22), (0.105, 0.10, 0.09), _DARK, blend=0.03)
    # head with muzzle, cheeks and ears
    add(BALL, (-0.28, 0.30, 0.0), (0.37, 0.31, 0.29), _ORANGE, blend=0.08)
    for side in (-1, 1):
        add(
            CONE,
            (-0.28 + side * 0.245, 0.66, -0.03),
            (0.135, 0.018, 0.20),
            _ORANGE,
            turn=(0, 0, side * -16),
            blend=0.05,
        )
        add(BALL, (-0.28 + side * 0.232, 0.63, 0.062), (0.055, 0.135, 0.03), _DARK, turn=(-14, 0, side * -16))
        add(BALL, (-0.28 + side * 0.24, 0.17, 0.08), (0.16, 0.125, 0.17), _WHITE, turn=(0, 0, side * 22), blend=0.05)
    add(BALL, (-0.28, 0.17, 0.27), (0.135, 0.105, 0.21), _ORANGE, blend=0.06)
    add(BALL, (-0.28, 0.115, 0.28), (0.125, 0.075, 0.19), _WHITE, blend=0.03)
    # waistcoat
    add(CONE, (-0.25, -0.62, 0.0), (0.435, 0.318, 0.44), 3)
    add(RING, (-0.25, -0.19, 0.0), (0.295, 0.035), 3, blend=0.02)
    for k in range(4):
        add(TUBE, (-0.25, -0.30 - 0.17 * k, 0.355 + 0.030 * k), (0.030, 0.010, 0.006), 4, turn=(84, 0, 0))
    return scene


def _eyes_and_nose() -> Scene:
    scene = Scene(light=_LIGHT, wall_z=-0.9)
    scene.materials = [
        Material((0.010, 0.009, 0.009), (0.02, 0.02, 0.02), PLAIN, 3.0, 2.2, 120.0),  # 0 nose and pupils
        Material((0.52, 0.25, 0.035), (0.36, 0.15, 0.02), PLAIN, 9.0, 1.6, 160.0, 0.1),  # 1 amber eyes
    ]
    add = scene.add
    add(BALL, (float(_NOSE[0]), float(_NOSE[1]) + 0.025, float(_NOSE[2])), (0.054, 0.043, 0.04), 0)
    for side in (-1, 1):
        add(BALL, (-0.28 + side * 0.128, 0.335, 0.245), (0.060, 0.058, 0.04), 0)
        add(BALL, (-0.28 + side * 0.126, 0.338, 0.262), (0.047, 0.047, 0.04), 1)
        add(BALL, (-0.28 + side * 0.122, 0.336, 0.286), (0.022, 0.034, 0.022), 0)
    return scene


def _tail() -> Scene:
    scene = Scene(light=_LIGHT, wall_z=-0.9)
    scene.materials = [*_PELT]
    for k in range(len(_SPINE) - 1):
        for share in np.linspace(0, 1, 5)[:-1]:
            at = tuple((1 - share) * np.array(_SPINE[k]) + share * np.array(_SPINE[k + 1]))
            girth = (1 - share) * _GIRTH[k] + share * _GIRTH[k + 1]
            scene.add(BALL, at, (girth, girth, girth * 0.9), _WHITE if k >= 5 else _ORANGE, blend=0.05)
    return scene


def _brushed(points: FloatArray, normals: FloatArray) -> FloatArray:
    """Lay the fur of the puppet: away from the nose on the head, down everywhere else."""
    away = points - _NOSE
    away[:, 2] *= 0.4
    away /= np.linalg.norm(away, axis=1, keepdims=True)
    on_head = np.clip((points[:, 1:2] + 0.02) / 0.1, 0, 1)
    flow = on_head * away + (1 - on_head) * np.array([0, -1.0, 0])
    return np.asarray(0.62 * normals + 0.75 * flow, np.float32)


def _along_tail(points: FloatArray, normals: FloatArray) -> FloatArray:
    """Lay the fur of the tail towards its tip."""
    spine = np.array(_SPINE)
    nearest = np.argmin(np.linalg.norm(points[:, None, :2] - spine[None, :-1, :2], axis=-1), axis=1)
    flow = spine[nearest + 1] - spine[nearest]
    flow /= np.linalg.norm(flow, axis=1, keepdims=True)
    return np.asarray(0.7 * normals + 0.7 * flow, np.float32)


def _fur(scene: Scene, rgb: FloatArray, lay: _Lay, coat: _Coat, seed: int) -> FloatArray:
    """Grow fur on what a scene shows, lit as the skin below it is."""
    height, width = rgb.shape[:2]
    unit = height / 2000
    points, normals, material = surface_samples(scene, width / height, coat.count, seed)
    columns = np.clip((points[:, 0] * height / 2 + width / 2).astype(int), 0, width - 1)
    rows = np.clip((height / 2 - points[:, 1] * height / 2).astype(int), 0, height - 1)
    light = rgb[rows, columns].mean(axis=1)
    rng = np.random.default_rng(seed + 5)
    canvas = np.zeros((height, width, 4), np.float32)
    for pelt, look in _LOOKS.items():
        chosen = np.flatnonzero(material == pelt)
        if len(chosen) == 0:
            continue
        growth = Growth(coat.length, 0.22, 10, coat.gravity, 0.0022, 1.2, 0.55, max(8, len(chosen) // 22), 0.05)
        paths = grow(points[chosen], lay(points[chosen], normals[chosen]), growth, seed + pelt)
        steps = np.linspace(0, 1, growth.points, dtype=np.float32)[None]
        widths = rng.uniform(0.7, 1.25, (len(chosen), 1)) * coat.width_px * unit * (1 - 0.75 * steps**1.4)
        tone = np.clip(rng.normal(0.38, 0.2, (len(chosen), 1)) + 0.35 * steps, 0, 1)
        lit = np.clip(light[chosen] / np.percentile(light[chosen], 88), 0.06, 1.2)[:, None] * (0.45 + 0.55 * steps)
        order = np.argsort(points[chosen][:, 2])
        draw_strands(
            to_pixels(paths, width, height)[order],
            widths[order].astype(np.float32),
            tone[order].astype(np.float32),
            lit[order].astype(np.float32),
            look,
            canvas,
        )
    return canvas


def _tail_out_of_focus(width: int, height: int, seed: int) -> FloatArray:
    """Draw the tail, nearly sharp where it leaves the body and far out of focus at its tip."""
    unit = height / 2000
    scene = _tail()
    rgb, cover, _ = trace(scene, width, height)
    fur = _fur(scene, rgb, _along_tail, _Coat(34000, 0.115, 0.6, 2.4), seed)
    sharp = over(fur, np.dstack([rgb * cover[..., None], cover]))
    xs = (np.arange(width, dtype=np.float32) - width / 2) / (height / 2)
    ys = 1 - (np.arange(height, dtype=np.float32) + 0.5) / (height / 2)
    level = np.clip(1.1 * (xs[None, :] - 0.25) + 0.9 * (ys[:, None] + 0.75), 0, 3)[..., None]
    blurred = [defocus(sharp, radius * unit) for radius in (3, 9, 19, 30)]
    return np.asarray(sum(np.clip(1 - np.abs(level - k), 0, 1) * blurred[k] for k in range(4)), np.float32)


def _wall(room: FloatArray, seed: int) -> FloatArray:
    """Paint the wall: terracotta plaster and a plank, hardly darker than the fox."""
    height, width = room.shape[:2]
    blotch = cloud(width, height, 2.6, 2.6, seed)[..., None]
    fine = cloud(width, height, 46, 46, seed + 1, 4)[..., None]
    trowel = cloud(width, height, 5, 18, seed + 2, 4)[..., None]
    wall = np.array([0.335, 0.150, 0.062], np.float32) * (0.68 + 0.62 * blotch) * (0.86 + 0.28 * fine)
    wall *= 0.82 + 0.36 * trowel
    xs = (np.arange(width) - width / 2) / (height / 2)
    ys = 1 - (np.arange(height) + 0.5) / (height / 2)
    plank = np.clip((0.10 - np.abs(ys - 0.02)) / 0.012, 0, 1)[:, None, None]
    wood = np.array([0.24, 0.115, 0.050], np.float32) * (0.75 + 0.6 * cloud(width, height, 3, 60, seed + 3)[..., None])
    wall = wall * (1 - plank) + wood * plank
    light = 0.62 + 0.62 * np.clip(0.8 - 0.30 * xs[None, :] + 0.28 * ys[:, None], 0.1, 1.4)
    return (wall * light[..., None] * (0.45 + 0.55 * room[..., 4:5]) * (0.6 + 0.4 * room[..., 5:6])).astype(np.float32)


def russet_set(height: int, seed: int = 53) -> FloatArray:
    """Photograph the set without the puppet; see `empty_set`."""
    return empty_set(
        lambda room: _wall(room, seed), (height, round(height * ASPECT)), 12, noise=0.010, seed=seed, exposure=1.05
    )


def russet(height: int, seed: int = 53) -> Shot:
    """Photograph Russet at the given picture height in pixels."""
    width = round(height * ASPECT)
    unit = height / 2000
    scene = _puppet()
    rgb, cover, room = trace(scene, width, height)
    fur = _fur(scene, rgb, _brushed, _Coat(84000, 0.058, 0.9, 2.1), seed)
    face_rgb, face_cover, _ = trace(_eyes_and_nose(), width, height)
    face = np.dstack([face_rgb * face_cover[..., None], face_cover])
    body = over(face, over(fur, np.dstack([rgb * cover[..., None], cover])))
    tail = _tail_out_of_focus(width, height, seed + 1)
    wall = defocus(_wall(room, seed), 12 * unit)
    photo, alpha, foreground = photograph(
        over(body, tail), wall, lens_px=max(0.45, 0.62 * unit), noise=0.010, seed=seed, exposure=1.05
    )
    zones = rough_zones(alpha, inside_px=14 * unit, outside_px=12 * unit, seed=seed, gather_px=4 * unit)
    bare = np.clip(cover - cv2.GaussianBlur(fur[..., 3], (0, 0), 3 * unit), 0, 1)
    layers = {Kind.HARD: bare, Kind.STRAND: fur[..., 3], Kind.SOFT: tail[..., 3] * (1 - body[..., 3])}
    return Shot(photo, alpha, foreground, zones, true_kinds(alpha, layers, unit))
