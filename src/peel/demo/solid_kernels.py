"""The loops behind `peel.demo.solids`: distances, light and textures, ray by ray."""

from typing import Any, Final

import numpy as np
from numba import njit, prange

__all__ = [
    "BALL",
    "BOX",
    "CAPSULE",
    "CLOTH",
    "CONE",
    "PAINT",
    "PLAIN",
    "RING",
    "TIN",
    "TUBE",
    "WOOD",
    "fractal",
    "noise",
    "normals_at",
    "trace_room",
    "trace_solids",
]

BALL: Final = 0  # an ellipsoid: three radii
CAPSULE: Final = 1  # along local y: half length, radius
BOX: Final = 2  # three half sides, rounding
RING: Final = 3  # in the local xz plane: radius, thickness
TUBE: Final = 4  # a solid drum along local y: radius, half height, rounding
CONE: Final = 5  # along local y: lower radius, upper radius, half height

PLAIN: Final = 0
WOOD: Final = 1
CLOTH: Final = 2
TIN: Final = 3
PAINT: Final = 4

_FAST: Final = {"cache": True, "nogil": True, "fastmath": True}


@njit(**_FAST)
def _hash(x: int, y: int, z: int) -> float:
    h = (x * 374761393 + y * 668265263 + z * 2147483647) & 0xFFFFFFFF
    h = ((h ^ (h >> 13)) * 1274126177) & 0xFFFFFFFF
    return float((h ^ (h >> 16)) & 0xFFFF) / 65535.0


@njit(**_FAST)
def noise(x: float, y: float, z: float) -> float:
    """Return smooth value noise in [0, 1]."""
    xi, yi, zi = int(np.floor(x)), int(np.floor(y)), int(np.floor(z))
    fx, fy, fz = x - xi, y - yi, z - zi
    fx, fy, fz = fx * fx * (3 - 2 * fx), fy * fy * (3 - 2 * fy), fz * fz * (3 - 2 * fz)
    total = 0.0
    for dz in range(2):
        for dy in range(2):
            for dx in range(2):
                weight = (fx if dx else 1 - fx) * (fy if dy else 1 - fy) * (fz if dz else 1 - fz)
                total += weight * _hash(xi + dx, yi + dy, zi + dz)
    return total


@njit(**_FAST)
def fractal(x: float, y: float, z: float, octaves: int) -> float:
    """Sum octaves of value noise; about [0, 1]."""
    total = 0.0
    weight = 0.5
    for _ in range(octaves):
        total += weight * noise(x, y, z)
        x, y, z = x * 2.03 + 7.1, y * 2.03 + 3.3, z * 2.03 + 1.7
        weight *= 0.5
    return total


@njit(**_FAST)
def _local(s: Any, x: float, y: float, z: float) -> Any:
    dx, dy, dz = x - s[1], y - s[2], z - s[3]
    return (
        s[11] * dx + s[12] * dy + s[13] * dz,
        s[14] * dx + s[15] * dy + s[16] * dz,
        s[17] * dx + s[18] * dy + s[19] * dz,
    )


@njit(**_FAST)
def _one_distance(s: Any, x: float, y: float, z: float) -> float:
    x, y, z = _local(s, x, y, z)
    kind = int(s[0])
    if kind == 0:
        k0 = np.sqrt((x / s[4]) ** 2 + (y / s[5]) ** 2 + (z / s[6]) ** 2)
        k1 = np.sqrt((x / s[4] ** 2) ** 2 + (y / s[5] ** 2) ** 2 + (z / s[6] ** 2) ** 2)
        return k0 * (k0 - 1.0) / max(k1, 1e-6)
    if kind == 1:
        y = y - min(max(y, -s[4]), s[4])
        return np.sqrt(x * x + y * y + z * z) - s[5]
    if kind == 2:
        qx, qy, qz = abs(x) - s[4] + s[7], abs(y) - s[5] + s[7], abs(z) - s[6] + s[7]
        out = np.sqrt(max(qx, 0.0) ** 2 + max(qy, 0.0) ** 2 + max(qz, 0.0) ** 2)
        return out + min(max(qx, max(qy, qz)), 0.0) - s[7]
    if kind == 3:
        q = np.sqrt(x * x + z * z) - s[4]
        return np.sqrt(q * q + y * y) - s[5]
    if kind == 4:
        qx, qy = np.sqrt(x * x + z * z) - s[4] + s[6], abs(y) - s[5] + s[6]
        return np.sqrt(max(qx, 0.0) ** 2 + max(qy, 0.0) ** 2) + min(max(qx, qy), 0.0) - s[6]
    t = min(max((y + s[6]) / (2 * s[6]), 0.0), 1.0)
    radius = s[4] + (s[5] - s[4]) * t
    q = np.sqrt(x * x + z * z) - radius
    slope = (s[4] - s[5]) / (2 * s[6])
    return max(q / np.sqrt(1.0 + slope * slope), abs(y) - s[6])


@njit(**_FAST)
def _distance(solids: Any, x: float, y: float, z: float) -> Any:
    """Return the distance to the nearest solid and its number."""
    best = 1e9
    which = -1
    for i in range(solids.shape[0]):
        d = _one_distance(solids[i], x, y, z)
        blend = solids[i, 9]
        if blend > 0.0 and abs(d - best) < blend:
            h = max(blend - abs(d - best), 0.0) / blend
            if d < best:
                which = i
            best = min(d, best) - h * h * blend * 0.25
        elif d < best:
            best = d
            which = i
    return best, which


@njit(**_FAST)
def _shadow(solids: Any, x: float, y: float, z: float, l: Any, softness: float) -> float:  # noqa: E741
    """Return the share of the key light that reaches a point, softly."""
    light = 1.0
    t = 0.02
    for _ in range(40):
        d, _which = _distance(solids, x + l[0] * t, y + l[1] * t, z + l[2] * t)
        light = min(light, 0.5 + 0.5 * softness * d / t)
        if light <= 0.0:
            return 0.0
        t += min(max(abs(d), 0.012), 0.12)
        if t > 2.6:
            break
    light = max(light, 0.0)
    return light * light * (3.0 - 2.0 * light)


@njit(**_FAST)
def _texture(m: Any, s: Any, x: float, y: float, z: float) -> Any:
    """Return the mix of the two colours and the height of the bump at a point."""
    lx, ly, lz = _local(s, x, y, z)
    kind = int(m[6])
    k = m[7]
    if kind == 1:
        warp = fractal(lx * 3, ly * 0.8, lz * 3, 3)
        ring = np.sqrt(lx * lx + lz * lz * 0.6) * k + warp * 3.0
        grain = 0.5 + 0.5 * np.sin(ring * 6.283)
        fine = fractal(lx * 110, ly * 7, lz * 110, 3)
        return 0.35 * grain + 0.75 * fine, fine
    if kind == 2:
        weave = (
            0.5
            + 0.25 * np.sin(lx * k * 95 + 2 * fractal(lx * 30, ly * 30, lz, 2))
            + 0.25 * np.sin(ly * k * 95 + np.sin(lx * k * 95))
        )
        worn = fractal(lx * 5, ly * 5, lz * 5, 4)
        return 0.4 * weave + 0.8 * worn - 0.1, weave * 0.6 + worn
    if kind == 3:
        dent = fractal(lx * 5, ly * 5, lz * 5, 3)
        brush = fractal(lx * 40, ly * 260, lz * 40, 2)
        return 0.6 * dent + 0.5 * brush, dent * 3.0 + brush * 0.15
    if kind == 4:
        worn = fractal(lx * k, ly * k, lz * k, 5)
        speck = fractal(lx * 90, ly * 90, lz * 90, 2)
        return min(max((worn - 0.47) * 6.0, 0.0), 1.0) * 0.8 + 0.25 * speck, worn + 0.4 * speck
    return fractal(lx * k, ly * k, lz * k, 3), 0.0


@njit(**_FAST)
def _normal(solids: Any, x: float, y: float, z: float) -> Any:
    e = 0.0012
    a, _ = _distance(solids, x + e, y - e, z - e)
    b, _ = _distance(solids, x - e, y - e, z + e)
    c, _ = _distance(solids, x - e, y + e, z - e)
    d, _ = _distance(solids, x + e, y + e, z + e)
    nx, ny, nz = a - b - c + d, -a - b + c + d, -a + b - c + d
    n = np.sqrt(nx * nx + ny * ny + nz * nz) + 1e-9
    return nx / n, ny / n, nz / n


@njit(**_FAST)
def normals_at(solids: Any, points: Any, out: Any) -> None:
    """Write the unit normals of the solids at points on their surface."""
    for i in range(points.shape[0]):
        out[i, 0], out[i, 1], out[i, 2] = _normal(solids, points[i, 0], points[i, 1], points[i, 2])


@njit(**_FAST)
def _shade(solids: Any, surfaces: Any, light: Any, x: float, y: float, z: float, which: int, v: Any, out: Any) -> None:
    s = solids[which]
    m = surfaces[int(s[8])]
    nx, ny, nz = _normal(solids, x, y, z)
    mix, height = _texture(m, s, x, y, z)
    if m[11] > 0.0:
        e = 0.003
        _, hx = _texture(m, s, x + e, y, z)
        _, hy = _texture(m, s, x, y + e, z)
        _, hz = _texture(m, s, x, y, z + e)
        nx -= m[11] * (hx - height) / e
        ny -= m[11] * (hy - height) / e
        nz -= m[11] * (hz - height) / e
        n = np.sqrt(nx * nx + ny * ny + nz * nz)
        nx, ny, nz = nx / n, ny / n, nz / n
    mix = min(max(mix, 0.0), 1.0)
    lx, ly, lz = light[0], light[1], light[2]
    key = max(nx * lx + ny * ly + nz * lz, 0.0)
    if key > 0.0:
        key *= _shadow(solids, x + nx * 0.01, y + ny * 0.01, z + nz * 0.01, light, light[15])
    open_sky = 1.0
    for step in range(1, 6):
        reach = 0.035 * step * step * 0.5
        d, _ = _distance(solids, x + nx * reach, y + ny * reach, z + nz * reach)
        open_sky -= max(reach - d, 0.0) / reach * 0.19
    open_sky = max(open_sky, 0.06)
    hx, hy, hz = lx + v[0], ly + v[1], lz + v[2]
    h = np.sqrt(hx * hx + hy * hy + hz * hz)
    spec = max((nx * hx + ny * hy + nz * hz) / h, 0.0) ** m[9] * m[8] * (1.0 if key > 0.0 else 0.0)
    facing = max(nx * v[0] + ny * v[1] + nz * v[2], 0.0)
    edge = (1.0 - facing) ** 3
    back = max(0.6 * nx - 0.55 * nz + 0.3 * ny, 0.0) * 0.6
    # what a polished surface mirrors: a bright window high on the key side, a dim room elsewhere
    rx, ry = 2 * facing * nx - v[0], 2 * facing * ny - v[1]
    window = 1.0 / (1.0 + np.exp(-14.0 * (ry * 0.7 - rx * 0.5 - 0.25)))
    strip = np.exp(-((rx - 0.55) ** 2) * 40.0)
    room = 0.10 + 0.75 * window + 0.35 * strip + 0.12 * fractal(rx * 3 + 5, ry * 3, 2.0, 3)
    up = 0.5 + 0.5 * ny
    for c in range(3):
        albedo = m[c] * (1.0 - mix) + m[3 + c] * mix
        fill = (light[6 + c] * up + light[9 + c] * (1.0 - up)) * open_sky
        diffuse = albedo * (fill + light[3 + c] * key + light[12 + c] * back * open_sky)
        glossy = (spec + 0.25 * edge * m[8] * open_sky) * light[3 + c] * 0.5
        value = diffuse * (1.0 - m[10]) + glossy + m[10] * albedo * room * (0.35 + 0.65 * open_sky) * 1.5
        out[c] = value + light[16 + c] * ((1.0 - facing) ** 2 + 0.06) * open_sky


@njit(parallel=True, **_FAST)
def trace_solids(
    solids: Any,
    surfaces: Any,
    light: Any,
    samples: Any,
    basis: Any,
    reach: float,
    rgb: Any,
    where: Any,
    hits: Any,
) -> None:
    """Trace one ray a sample; rgb linear, where = world point, hits = solid number or -1."""
    v = np.empty(3, np.float32)
    for c in range(3):
        v[c] = basis[2, c]
    for i in prange(samples.shape[0]):
        u, w = samples[i, 0], samples[i, 1]
        x = basis[0, 0] * u + basis[1, 0] * w + basis[2, 0] * reach
        y = basis[0, 1] * u + basis[1, 1] * w + basis[2, 1] * reach
        z = basis[0, 2] * u + basis[1, 2] * w + basis[2, 2] * reach
        hits[i] = -1
        t = 0.0
        for _ in range(90):
            d, which = _distance(solids, x, y, z)
            if d < 0.0004:
                hits[i] = which
                break
            x -= basis[2, 0] * d
            y -= basis[2, 1] * d
            z -= basis[2, 2] * d
            t += d
            if t > reach + 0.9:
                break
        where[i, 0], where[i, 1], where[i, 2] = x, y, z
        if hits[i] >= 0:
            _shade(solids, surfaces, light, x, y, z, hits[i], v, rgb[i])


@njit(parallel=True, **_FAST)
def trace_room(solids: Any, light: Any, samples: Any, basis: Any, wall_z: float, floor_y: float, out: Any) -> None:
    """Find where each ray meets wall or floor: key light, sky light, and the point itself."""
    for i in prange(samples.shape[0]):
        u, w = samples[i, 0], samples[i, 1]
        x = basis[0, 0] * u + basis[1, 0] * w
        y = basis[0, 1] * u + basis[1, 1] * w
        z = basis[0, 2] * u + basis[1, 2] * w
        to_wall = (z - wall_z) / basis[2, 2]
        to_floor = (y - floor_y) / basis[2, 1] if basis[2, 1] > 1e-6 else 1e9
        t = min(to_wall, to_floor)
        floor = 1.0 if to_floor < to_wall else 0.0
        x -= basis[2, 0] * t
        y -= basis[2, 1] * t
        z -= basis[2, 2] * t
        lit = _shadow(solids, x, y + 0.01 * floor, z + 0.01 * (1 - floor), light, light[15] * 0.6)
        near, _ = _distance(solids, x, y + 0.05 * floor, z + 0.05 * (1 - floor))
        out[i, 0], out[i, 1], out[i, 2] = x, y, z
        out[i, 3] = floor
        out[i, 4] = lit
        out[i, 5] = min(max(near / 0.3, 0.0), 1.0) ** 0.5
