"""Draw hair, wool and string: tapered strands with exact, antialiased coverage.

Lit after J. T. Kajiya, T. L. Kay, "Rendering fur with three dimensional textures", SIGGRAPH '89, pp. 271-280.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit

from peel.matte.arrays import FloatArray

__all__ = ["StrandLook", "draw_strands", "over"]


@dataclass(frozen=True)
class StrandLook:
    """How a bundle of strands looks (linear colours)."""

    dark: tuple[float, float, float]
    light: tuple[float, float, float]
    key: tuple[float, float, float] = (-0.5, 0.7, 0.5)
    strength: float = 1.9
    fill: float = 0.45
    shine: float = 0.5
    tint: tuple[float, float, float] = (0.0, 0.0, 0.0)


@njit("void(float32[:,:,::1], float32[:,::1], float32[:,::1], float32[:,:,::1])", cache=True, nogil=True)
def _draw(points: Any, widths: Any, shades: Any, canvas: Any) -> None:  # noqa: C901 - one pass over the pixels
    """Lay strands one over another: points (S, P, 2) px, widths (S, P) px, shades (S, P*3), canvas premultiplied."""
    height, width = canvas.shape[0], canvas.shape[1]
    cover = np.zeros((height, width), np.float32)
    colour = np.zeros((height, width, 3), np.float32)
    touched = np.empty((4_000_000, 2), np.int32)
    for s in range(points.shape[0]):
        count = 0
        for k in range(points.shape[1] - 1):
            x0, y0, x1, y1 = points[s, k, 0], points[s, k, 1], points[s, k + 1, 0], points[s, k + 1, 1]
            w0, w1 = widths[s, k], widths[s, k + 1]
            margin = max(w0, w1) * 0.5 + 1.0
            dx, dy = x1 - x0, y1 - y0
            length = max(dx * dx + dy * dy, 1e-6)
            for y in range(max(0, int(min(y0, y1) - margin)), min(height - 1, int(max(y0, y1) + margin) + 1) + 1):
                for x in range(max(0, int(min(x0, x1) - margin)), min(width - 1, int(max(x0, x1) + margin) + 1) + 1):
                    t = min(max(((x - x0) * dx + (y - y0) * dy) / length, 0.0), 1.0)
                    ex, ey = x - x0 - t * dx, y - y0 - t * dy
                    w = w0 + (w1 - w0) * t
                    # a strip of width w seen through a pixel one wide
                    d = np.sqrt(ex * ex + ey * ey)
                    c = min(d + 0.5, w * 0.5) - max(d - 0.5, -w * 0.5)
                    if c <= 0.002:
                        continue
                    c = min(c, 1.0)
                    if c > cover[y, x]:
                        if cover[y, x] == 0.0 and count < touched.shape[0]:
                            touched[count, 0], touched[count, 1] = y, x
                            count += 1
                        cover[y, x] = c
                        for ch in range(3):
                            a, b = shades[s, k * 3 + ch], shades[s, (k + 1) * 3 + ch]
                            colour[y, x, ch] = a + (b - a) * t
        for i in range(count):
            y, x = touched[i, 0], touched[i, 1]
            c = cover[y, x]
            for ch in range(3):
                canvas[y, x, ch] = colour[y, x, ch] * c + canvas[y, x, ch] * (1 - c)
            canvas[y, x, 3] = c + canvas[y, x, 3] * (1 - c)
            cover[y, x] = 0.0


def draw_strands(
    points: FloatArray,
    widths: FloatArray,
    tone: FloatArray,
    depth: FloatArray,
    look: StrandLook,
    canvas: FloatArray,
) -> None:
    """Shade strands along their length and lay them over a canvas, in order.

    Parameters
    ----------
    points : (S, P, 3) float32 ndarray
        Pixels of the picture, y down; z towards the camera, used for light only.
    widths : (S, P) float32 ndarray
        Thickness in pixels; below 1 a strand covers its pixels in part.
    tone : (S, P) float32 ndarray
        0 for the dark colour, 1 for the light one.
    depth : (S, P) float32 ndarray
        How much light reaches the strand, in [0, 1].
    look : StrandLook
    canvas : (H, W, 4) float32 ndarray
        Premultiplied linear colour and coverage, written in place.
    """
    tangent = np.gradient(points, axis=1)
    tangent[..., 1] *= -1
    tangent /= np.linalg.norm(tangent, axis=-1, keepdims=True) + 1e-6
    key = np.array(look.key, np.float32) / np.float32(np.linalg.norm(look.key))
    along = np.clip(tangent @ key, -1, 1)
    diffuse = np.sqrt(1 - along**2)
    half = key + np.array([0, 0, 1], np.float32)
    half /= np.linalg.norm(half)
    shine = np.sqrt(np.clip(1 - np.clip(tangent @ half, -1, 1) ** 2, 0, 1)) ** 60
    dark, light = np.array(look.dark, np.float32), np.array(look.light, np.float32)
    albedo = dark + (light - dark) * tone[..., None]
    lit = (look.fill + look.strength * diffuse * depth)[..., None] * albedo
    lit += (look.shine * shine * depth)[..., None] * (0.35 + albedo)
    lit += np.array(look.tint, np.float32) * (0.4 + 0.6 * depth[..., None])
    shades = np.ascontiguousarray(lit.reshape(len(points), -1), np.float32)
    _draw(
        np.ascontiguousarray(points[..., :2], np.float32),
        np.ascontiguousarray(widths, np.float32),
        shades,
        canvas,
    )


def over(top: FloatArray, bottom: FloatArray) -> FloatArray:
    """Lay one premultiplied (H, W, 4) picture over another."""
    return top + bottom * (1 - top[..., 3:])
