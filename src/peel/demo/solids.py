"""Trace carved, sewn and soldered things: signed-distance solids lit like a small photo studio.

Sphere tracing after J. C. Hart, "Sphere tracing", The Visual Computer 12, 1996, pp. 527-545.
World units: the frame is 2 high, x to the right, y up, z towards the camera; the lens is long (parallel rays).
"""

from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.demo.solid_kernels import CAPSULE, PLAIN, normals_at, trace_room, trace_solids
from peel.matte.arrays import FloatArray

__all__ = ["Light", "Material", "Scene", "surface_samples", "trace"]


@dataclass(frozen=True)
class Material:
    """What a solid is made of: two colours mixed by a texture, and how it shines."""

    colour: tuple[float, float, float]
    second: tuple[float, float, float]
    texture: int = PLAIN
    scale: float = 8.0
    shine: float = 0.15
    gloss: float = 24.0
    mirror: float = 0.0
    bump: float = 0.0

    def row(self) -> list[float]:
        """Return the material as numbers for the tracer."""
        texture = float(self.texture)
        return [
            *self.colour,
            *self.second,
            texture,
            self.scale,
            self.shine,
            self.gloss,
            self.mirror,
            self.bump,
        ]


@dataclass(frozen=True)
class Light:
    """The studio: where the key light stands and what fills the shadows (linear colours)."""

    key: tuple[float, float, float] = (-0.55, 0.65, 0.6)
    key_colour: tuple[float, float, float] = (2.1, 2.0, 1.85)
    sky: tuple[float, float, float] = (0.42, 0.45, 0.52)
    ground: tuple[float, float, float] = (0.22, 0.19, 0.16)
    back: tuple[float, float, float] = (0.25, 0.25, 0.28)
    softness: float = 9.0
    spill: tuple[float, float, float] = (0.0, 0.0, 0.0)


@dataclass
class Scene:
    """Solids, their materials, and the room behind."""

    materials: list[Material] = field(default_factory=list)
    light: Light = field(default_factory=Light)
    pitch: float = 0.0
    wall_z: float = -1.0
    floor_y: float = -50.0
    _solids: list[list[float]] = field(default_factory=list)

    def add(
        self,
        kind: int,
        at: tuple[float, float, float],
        size: tuple[float, ...],
        material: int,
        *,
        turn: tuple[float, float, float] = (0.0, 0.0, 0.0),
        blend: float = 0.0,
        wood_axis: float = 0.0,
    ) -> None:
        """Place a solid; `turn` is in degrees about x, y, z, `blend` melts it into what stands before it."""
        padded = [*size, *([0.0] * (4 - len(size)))]
        rotation = _rotation(turn).ravel().tolist()
        self._solids.append([float(kind), *at, *padded, float(material), blend, wood_axis, *rotation])

    def limb(
        self,
        start: tuple[float, float, float],
        end: tuple[float, float, float],
        radius: float,
        material: int,
        *,
        blend: float = 0.0,
    ) -> None:
        """Place a capsule from one point to another."""
        a, b = np.array(start), np.array(end)
        axis = (b - a) / np.linalg.norm(b - a)
        helper = np.array([0.0, 0.0, 1.0]) if abs(axis[2]) < 0.9 else np.array([1.0, 0.0, 0.0])
        side = np.cross(axis, helper)
        side /= np.linalg.norm(side)
        rows = np.stack([side, axis, np.cross(side, axis)])
        middle = ((a + b) / 2).tolist()
        half = float(np.linalg.norm(b - a) / 2)
        self._solids.append(
            [
                float(CAPSULE),
                *middle,
                half,
                radius,
                0.0,
                0.0,
                float(material),
                blend,
                0.0,
                *rows.ravel().tolist(),
            ]
        )

    def clear(self) -> None:
        """Take every solid out of sight, for a picture of the room alone."""
        self._solids = [[*row[:1], 900.0, *row[2:]] for row in self._solids[:1]]

    def solids(self) -> FloatArray:
        """Return every solid as a row of numbers."""
        return np.array(self._solids, np.float32)

    def surfaces(self) -> FloatArray:
        """Return every material as a row of numbers."""
        return np.array([m.row() for m in self.materials], np.float32)


def _rotation(turn: tuple[float, float, float]) -> FloatArray:
    """Return the matrix taking world offsets to local ones."""
    x, y, z = np.radians(turn)
    rx = np.array([[1, 0, 0], [0, np.cos(x), -np.sin(x)], [0, np.sin(x), np.cos(x)]])
    ry = np.array([[np.cos(y), 0, np.sin(y)], [0, 1, 0], [-np.sin(y), 0, np.cos(y)]])
    rz = np.array([[np.cos(z), -np.sin(z), 0], [np.sin(z), np.cos(z), 0], [0, 0, 1]])
    return np.asarray((rz @ ry @ rx).T, np.float32)


def _basis(pitch: float) -> FloatArray:
    """Return right, up and towards-camera for a camera looking down by `pitch` degrees."""
    a = np.radians(pitch)
    return np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]], np.float32)


def _light_row(light: Light) -> FloatArray:
    key = np.array(light.key) / np.linalg.norm(light.key)
    colours = [*light.key_colour, *light.sky, *light.ground, *light.back, light.softness, *light.spill]
    return np.array([*key, *colours], np.float32)


def _grid(width: int, height: int) -> tuple[FloatArray, float]:
    """Return the frame coordinates of the pixel centres and the size of a pixel."""
    pixel = 2.0 / height
    xs = (np.arange(width, dtype=np.float32) + 0.5 - width / 2) * np.float32(pixel)
    ys = (height / 2 - np.arange(height, dtype=np.float32) - 0.5) * np.float32(pixel)
    return np.stack(np.broadcast_arrays(xs[None, :], ys[:, None]), axis=-1).reshape(-1, 2).copy(), pixel


def trace(scene: Scene, width: int, height: int) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Trace the solids and the room.

    Returns
    -------
    (H, W, 3) float32 ndarray
        Linear colours, straight, meaningful where covered.
    (H, W) float32 ndarray
        Coverage, antialiased with 16 samples along outlines.
    (H, W, 6) float32 ndarray
        The room behind: x, y, z, is floor, key light, sky light.
    """
    solids, surfaces, light, basis = (
        scene.solids(),
        scene.surfaces(),
        _light_row(scene.light),
        _basis(scene.pitch),
    )
    points, pixel = _grid(width, height)
    count = width * height
    rgb, where = np.zeros((count, 3), np.float32), np.zeros((count, 3), np.float32)
    hits = np.full(count, -1, np.int32)
    trace_solids(solids, surfaces, light, points, basis, 1.6, rgb, where, hits)
    numbers = hits.reshape(height, width)
    outline = np.zeros((height, width), bool)
    outline[:, 1:] |= numbers[:, 1:] != numbers[:, :-1]
    outline[:, :-1] |= numbers[:, 1:] != numbers[:, :-1]
    outline[1:] |= numbers[1:] != numbers[:-1]
    outline[:-1] |= numbers[1:] != numbers[:-1]
    chosen = np.flatnonzero(outline)
    offsets = np.array([((i % 4 + 0.5) / 4 - 0.5, (i // 4 + 0.5) / 4 - 0.5) for i in range(16)], np.float32) * pixel
    fine = (points[chosen][:, None, :] + offsets[None]).reshape(-1, 2)
    fine_rgb, fine_where = np.zeros((len(fine), 3), np.float32), np.zeros((len(fine), 3), np.float32)
    fine_hits = np.full(len(fine), -1, np.int32)
    trace_solids(solids, surfaces, light, fine, basis, 1.6, fine_rgb, fine_where, fine_hits)
    covered = (fine_hits >= 0).astype(np.float32).reshape(-1, 16)
    share = covered.mean(axis=1)
    mean = (fine_rgb.reshape(-1, 16, 3) * covered[..., None]).sum(axis=1) / np.maximum(covered.sum(axis=1), 1)[:, None]
    alpha = (hits >= 0).astype(np.float32)
    alpha[chosen] = share
    rgb[chosen] = mean
    return rgb.reshape(height, width, 3), alpha.reshape(height, width), _see_room(scene, width, height)


def surface_samples(
    scene: Scene, aspect: float, count: int, seed: int
) -> tuple[FloatArray, FloatArray, NDArray[np.int32]]:
    """Scatter points evenly over what the camera sees of the solids, with some just beyond the frame.

    Returns
    -------
    points, normals : (N, 3) float32 ndarray
        World points and unit normals; N is at most `count`, less where the solids fill less than a sixth of the frame.
    material : (N,) int32 ndarray
    """
    solids, surfaces, light = scene.solids(), scene.surfaces(), _light_row(scene.light)
    rng = np.random.default_rng(seed)
    rays = (rng.uniform(-1.06, 1.06, (count * 6, 2)) * np.array([aspect, 1.0])).astype(np.float32)
    rgb, where = np.zeros((len(rays), 3), np.float32), np.zeros((len(rays), 3), np.float32)
    hits = np.full(len(rays), -1, np.int32)
    trace_solids(solids, surfaces, light, rays, _basis(scene.pitch), 1.6, rgb, where, hits)
    seen = np.flatnonzero(hits >= 0)[:count]
    normals = np.empty((len(seen), 3), np.float32)
    normals_at(solids, where[seen], normals)
    return where[seen], normals, solids[hits[seen], 8].astype(np.int32)


def _see_room(scene: Scene, width: int, height: int) -> FloatArray:
    """Trace the room at a quarter of the size, where nothing is sharp, and scale it up."""
    small_width, small_height = max(1, width // 4), max(1, height // 4)
    points, _ = _grid(small_width, small_height)
    room = np.zeros((len(points), 6), np.float32)
    basis, light = _basis(scene.pitch), _light_row(scene.light)
    trace_room(scene.solids(), light, points, basis, scene.wall_z, scene.floor_y, room)
    picture = room.reshape(small_height, small_width, 6)
    parts = [cv2.resize(picture[..., c : c + 3], (width, height), interpolation=cv2.INTER_LINEAR) for c in (0, 3)]
    return np.dstack(parts)
