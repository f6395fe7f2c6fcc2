"""The loops behind `peel.matte.repair.hair`: the middles of strands, linked into whole ones, and what belongs to each.

Heights are uint16, 65535 for 1.
"""

from typing import Any, Final

import numpy as np
from numba import njit

__all__ = ["find_middles", "link", "spread", "total_of"]

_FAST: Final = {"cache": True, "nogil": True, "fastmath": True}
_ANGLES: Final = 128  # steps of half a turn in which directions are kept
_LEAST: Final = 1300.0  # height from which a middle counts, one fiftieth
_BENT: Final = 0.03  # least curvature across, relative to the height
_GAP_PX: Final = 4  # over which a strand is linked
_UNDER_PX: Final = 24  # ... where others lie over it
_ALIGNED: Final = 0.88  # least cosine between a strand and what goes on with it
_STRAIGHT: Final = 0.93  # ... some pixels farther on
_CHORD: Final = 8  # steps back from which the direction of a strand is taken
_MOST_STEPS: Final = 20_000  # of one strand, each way


@njit(**_FAST)
def _at(picture: Any, y: float, x: float) -> float:
    """Sample a picture between four pixels, away from its border."""
    v, u = int(y), int(x)
    b, a = y - v, x - u
    top = (1 - a) * picture[v, u] + a * picture[v, u + 1]
    return (1 - b) * top + b * ((1 - a) * picture[v + 1, u] + a * picture[v + 1, u + 1])


@njit("int32[:,::1](uint16[:,::1], uint8[:,::1])", **_FAST)
def find_middles(smooth: Any, direction: Any) -> Any:
    """List the (row, column) of pixels in the middle of strands; their directions are written, 255 for all others."""
    height, width = smooth.shape
    found = np.empty((1024, 2), np.int32)
    count = 0
    for y in range(2, height - 2):
        for x in range(2, width - 2):
            here = np.float64(smooth[y, x])
            if here < _LEAST:
                continue
            left, right = np.float64(smooth[y, x - 1]), np.float64(smooth[y, x + 1])
            up, down = np.float64(smooth[y - 1, x]), np.float64(smooth[y + 1, x])
            corners = np.float64(smooth[y - 1, x - 1]) + np.float64(smooth[y + 1, x + 1])
            corners -= np.float64(smooth[y - 1, x + 1]) + np.float64(smooth[y + 1, x - 1])
            xx, yy, xy = left - 2 * here + right, up - 2 * here + down, 0.25 * corners
            low = 0.5 * (xx + yy - np.sqrt((xx - yy) * (xx - yy) + 4 * xy * xy))
            if -low < _BENT * here:
                continue
            angle = 0.5 * np.arctan2(2 * xy, xx - yy) + np.pi / 2  # of the normal
            s, c = np.sin(angle), np.cos(angle)
            if _at(smooth, y + s, x + c) > here or _at(smooth, y - s, x - c) >= here:
                continue
            along = (angle + np.pi / 2) % np.pi
            direction[y, x] = min(int(along / np.pi * _ANGLES), _ANGLES - 1)
            if count == len(found):
                more = np.empty((2 * count, 2), np.int32)
                more[:count] = found
                found = more
            found[count, 0], found[count, 1] = y, x
            count += 1
    return found[:count].copy()


@njit(**_FAST)
def _next(direction: Any, height: Any, labels: Any, y: float, x: float, uy: float, ux: float, opacity: float) -> Any:
    """Find the middle that goes on with a strand; returns it and its direction, or a row below 0.

    Where others lie over it, it is looked for farther ahead than over a gap.
    """
    rows, columns = labels.shape
    best, by, bx, vy, vx, bare = 1e9, -1, -1, uy, ux, 0
    for far in range(1, _UNDER_PX + 1):
        if best < far or bare > _GAP_PX:
            break
        side = 1 if far < 4 else (2 if far < 12 else 3)
        v, u = int(np.round(y + far * uy)), int(np.round(x + far * ux))
        if v < 0 or v >= rows or u < 0 or u >= columns:
            break
        bare += height[v, u] < _LEAST
        for k in range(-side, side + 1):
            v = int(np.round(y + far * uy + k * ux))
            u = int(np.round(x + far * ux - k * uy))
            if v < 0 or v >= rows or u < 0 or u >= columns or direction[v, u] == 255 or labels[v, u] != 0:
                continue
            angle = (direction[v, u] + 0.5) / _ANGLES * np.pi
            ty, tx = np.sin(angle), np.cos(angle)
            cosine = ty * uy + tx * ux
            if cosine < 0:
                ty, tx, cosine = -ty, -tx, -cosine
            if cosine < (_ALIGNED if far < 4 else _STRAIGHT):
                continue
            unlike = abs(height[v, u] - opacity) / max(height[v, u], opacity, 1.0)
            cost = far + 0.7 * abs(k) + 8 * (1 - cosine) + 3 * unlike
            if cost < best:
                best, by, bx, vy, vx = cost, v, u, ty, tx
    return by, bx, vy, vx


@njit(**_FAST)
def _take(direction: Any, labels: Any, y: int, x: int, uy: float, ux: float, label: int) -> None:
    """Give a middle and those beside it that run the same way to a strand."""
    for v in range(y - 1, y + 2):
        for u in range(x - 1, x + 2):
            if direction[v, u] == 255 or labels[v, u] != 0:
                continue
            angle = (direction[v, u] + 0.5) / _ANGLES * np.pi
            if abs(np.sin(angle) * uy + np.cos(angle) * ux) > 0.8:
                labels[v, u] = label
    labels[y, x] = label


@njit(**_FAST)
def _bridge(labels: Any, under: Any, y: int, x: int, v: int, u: int, label: int) -> None:
    """Give what lies between two places to a strand; where another one has it, both do."""
    far = max(abs(v - y), abs(u - x))
    for k in range(1, far):
        row, column = y + int(np.round((v - y) * k / far)), x + int(np.round((u - x) * k / far))
        is_free = True
        for r in range(row - 1, row + 2):
            for c in range(column - 1, column + 2):
                if labels[r, c] != 0 and labels[r, c] != label:
                    is_free = False
                    if under[r, c] == 0:
                        under[r, c] = label
        if is_free:
            labels[row, column] = label


@njit("int32(int32[:,::1], uint8[:,::1], uint16[:,::1], int32[:,::1], int32[:,::1], float32[:,::1])", **_FAST)
def link(middles: Any, direction: Any, height: Any, labels: Any, under: Any, strands: Any) -> int:
    """Link middles into strands, beginning with the first of them; returns how many there are.

    labels (H, W) is written: the number of a strand from 1; and under (H, W), that of one which goes on there beneath
    another or over a gap. strands (N, 7) gets for each its length, the mean height
    of its middle, and row and column of both ends; the last column is left as it is.
    """
    count = 0
    back = np.empty((_CHORD, 2), np.float64)
    for i in range(middles.shape[0]):
        y0, x0 = middles[i, 0], middles[i, 1]
        if labels[y0, x0] != 0 or count == strands.shape[0]:
            continue
        count += 1
        angle = (direction[y0, x0] + 0.5) / _ANGLES * np.pi
        _take(direction, labels, y0, x0, np.sin(angle), np.cos(angle), count)
        length, total, steps = 1.0, np.float64(height[y0, x0]), 1
        for way in range(2):
            sign = 1.0 - 2.0 * way
            uy, ux = sign * np.sin(angle), sign * np.cos(angle)
            y, x, opacity = y0, x0, np.float64(height[y0, x0])
            for step in range(_MOST_STEPS):
                v, u, vy, vx = _next(direction, height, labels, y, x, uy, ux, opacity)
                if v < 0:
                    break
                length += np.sqrt((v - y) ** 2 + (u - x) ** 2)
                total += height[v, u]
                steps += 1
                _bridge(labels, under, y, x, v, u, count)
                _take(direction, labels, v, u, vy, vx, count)
                opacity += 0.1 * (height[v, u] - opacity)
                back[step % _CHORD, 0], back[step % _CHORD, 1] = y, x
                if step >= _CHORD - 1:
                    uy = v - back[(step + 1) % _CHORD, 0]
                    ux = u - back[(step + 1) % _CHORD, 1]
                else:
                    uy, ux = 0.6 * uy + 0.4 * vy, 0.6 * ux + 0.4 * vx
                n = np.sqrt(uy * uy + ux * ux) + 1e-9
                uy, ux, y, x = uy / n, ux / n, v, u
            strands[count - 1, 2 + 2 * way], strands[count - 1, 3 + 2 * way] = y, x
        strands[count - 1, 0], strands[count - 1, 1] = length, total / steps / 65535.0
    return count


@njit("void(uint16[:,::1], int32[:,::1], int64)", **_FAST)
def spread(height: Any, labels: Any, reach: int) -> None:  # noqa: C901 - one pass after another
    """Give every pixel that stands out, at most so far from a middle, to the strand that is nearest."""
    rows, columns = labels.shape
    count = 0
    for y in range(rows):
        for x in range(columns):
            count += labels[y, x] != 0
    first = np.empty((count, 2), np.int32)
    count = 0
    for y in range(rows):
        for x in range(columns):
            if labels[y, x] != 0:
                first[count, 0], first[count, 1] = y, x
                count += 1
    for _ in range(reach):
        taken = 0
        then = np.empty((8 * count, 2), np.int32)
        for i in range(count):
            y, x = first[i, 0], first[i, 1]
            for v in range(max(y - 1, 0), min(y + 2, rows)):
                for u in range(max(x - 1, 0), min(x + 2, columns)):
                    if labels[v, u] == 0 and height[v, u] > 0:
                        labels[v, u] = labels[y, x]
                        then[taken, 0], then[taken, 1] = v, u
                        taken += 1
        first, count = then[:taken].copy(), taken


@njit("void(uint16[:,::1], int32[:,::1], float32[:,::1])", **_FAST)
def total_of(height: Any, labels: Any, strands: Any) -> None:
    """Add up what stands out of each strand, into the last column of `strands`."""
    for y in range(labels.shape[0]):
        for x in range(labels.shape[1]):
            k = labels[y, x]
            if k > 0:
                strands[k - 1, 6] += np.float32(height[y, x] / 65535.0)
