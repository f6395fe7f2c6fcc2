"""Grow wool and horsehair from a scalp: roots, guides, curls."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.spatial import cKDTree

from peel.matte.arrays import FloatArray

__all__ = ["Growth", "grow", "to_pixels"]


@dataclass(frozen=True)
class Growth:
    """How strands grow; lengths in world units."""

    length: float = 0.6
    spread: float = 0.35
    points: int = 34
    gravity: float = 0.9
    curl: float = 0.018
    turns: float = 7.0
    clump: float = 0.75
    guides: int = 150
    stray: float = 0.08
    lift: float = 0.0


def grow(roots: FloatArray, normals: FloatArray, growth: Growth, seed: int) -> FloatArray:
    """Grow one strand from each root.

    Parameters
    ----------
    roots, normals : (S, 3) float32 ndarray
    growth : Growth
    seed : int

    Returns
    -------
    (S, P, 3) float32 ndarray
        World points, root first. Strands gather around guides, so that tufts and gaps appear.
    """
    rng = np.random.default_rng(seed)
    count = len(roots)
    chosen = rng.choice(count, min(growth.guides, count), replace=False)
    guide = cKDTree(roots[chosen]).query(roots)[1]
    length = growth.length * np.exp(rng.normal(0, growth.spread, len(chosen)))
    steps = np.linspace(0, 1, growth.points, dtype=np.float32)
    guides = _paths(roots[chosen], normals[chosen], length, growth, rng)
    stray = rng.random(count) < growth.stray
    own_length = length[guide] * np.exp(rng.normal(0, 0.18, count)) * np.where(stray, 1.25, 1.0)
    own = _paths(roots, normals, own_length, growth, rng)
    pull = growth.clump * steps**0.7
    pull = pull[None, :, None] * np.where(stray, 0.12, rng.uniform(0.55, 1.0, count))[:, None, None]
    follow = guides[guide] - guides[guide][:, :1] + roots[:, None]
    follow = follow + (roots[chosen][guide] - roots)[:, None] * (pull * 0.9)
    paths = own * (1 - pull) + follow * pull
    phase = rng.uniform(0, 2 * np.pi, (count, 2, 1))
    turns = growth.turns * rng.uniform(0.5, 1.4, (count, 1, 1))
    amount = growth.curl * rng.uniform(0.2, 1.5, (count, 1)) * steps[None] ** 0.6
    angle = turns[:, 0] * 2 * np.pi * steps[None]
    paths[..., 0] += amount * np.sin(angle + phase[:, 0])
    paths[..., 1] += amount * np.cos(angle * 0.93 + phase[:, 1])
    paths[..., 2] += amount * np.sin(angle * 0.8 + phase[:, 1])
    return paths.astype(np.float32)


def _paths(roots: FloatArray, normals: FloatArray, length: Any, growth: Growth, rng: np.random.Generator) -> FloatArray:
    """Bend smooth paths from the normals towards the ground."""
    count = len(roots)
    direction = normals + rng.normal(0, 0.28, (count, 3)) + np.array([0, growth.lift, 0])
    bend = rng.normal(0, 0.55, (count, 3))
    points = np.empty((count, growth.points, 3))
    points[:, 0] = roots
    step = (length / (growth.points - 1))[:, None]
    for k in range(1, growth.points):
        direction = direction + (np.array([0, -growth.gravity, 0]) + bend) * 1.6 / growth.points
        unit = direction / np.linalg.norm(direction, axis=1, keepdims=True)
        points[:, k] = points[:, k - 1] + unit * step
    return np.asarray(points, np.float32)


def to_pixels(points: FloatArray, width: int, height: int, pitch: float = 0.0) -> FloatArray:
    """Project world points to picture pixels (y down), keeping depth in pixels."""
    a = np.radians(pitch)
    y = points[..., 1] * np.cos(a) - points[..., 2] * np.sin(a)
    z = points[..., 1] * np.sin(a) + points[..., 2] * np.cos(a)
    half = height / 2
    return np.stack([points[..., 0] * half + width / 2, half - y * half, z * half], axis=-1).astype(np.float32)
