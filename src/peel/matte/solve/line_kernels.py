"""The loops behind `peel.matte.solve.line_evidence`: carry the backdrop in, follow lines, write their alpha.

A zone is 0 in the certain backdrop, 1 in the band and 2 in the certain subject.
"""

from typing import Any, Final

import numpy as np
from numba import njit

__all__ = ["ACROSS_PX", "LEAST", "add_response", "fill_in", "find_crests", "lengthen", "trace_lines", "write_lines"]

LEAST: Final = 3.0
"""Deviations of the backdrop by which a line has to stand out."""

_PLAIN: Final = 3.0  # deviations within which a pixel is plain backdrop
_FAINTLY: Final = 0.15  # weight of a pixel that is not plain where colours are carried on
_BESIDE_PX: Final = 4.0  # how far beside a line the backdrop should show
_TRACE_PX: Final = 150  # how far a line is followed each way
_GAP_PX: Final = 6  # how far a line may fade before it counts as ended
_BEYOND_PX: Final = 14  # pixels of certain backdrop over which a line that goes on is no strand
_SHORTEST_PX: Final = 10  # from which a line counts
_LONG_PX: Final = 50  # from which it counts fully, and before a quiet backdrop need not be seen to reach the subject
_TOP: Final = 0.75  # share of a line's places that are less opaque than those that give its colour
_BELOW_PEAK: Final = 0.92  # alpha of those places
ACROSS_PX: Final = 2
"""Pixels to either side of a line that share its colour."""

_STANDS_OUT: Final = (4.0, 8.0)  # deviations between colours at which the evidence begins, and is full
_FAST: Final = {"cache": True, "nogil": True, "fastmath": True}


@njit("void(float32[:,::1], float32[:,::1], uint8[:,::1], float32[:,::1])", **_FAST)
def lengthen(ridge: Any, angle: Any, asked: Any, out: Any) -> None:
    """Average a response along its own direction, over 7 pixels: what is no line averages out."""
    height, width = ridge.shape
    for y in range(height):
        for x in range(width):
            if not asked[y, x]:
                continue
            uy, ux = np.cos(angle[y, x]), -np.sin(angle[y, x])
            total = 0.0
            for k in range(-3, 4):
                v = min(max(int(np.round(y + k * uy)), 0), height - 1)
                u = min(max(int(np.round(x + k * ux)), 0), width - 1)
                total += ridge[v, u]
            out[y, x] = total / 7


@njit("void(float32[:,::1], uint8[:,::1], float64, float32[:,::1], float32[:,::1])", **_FAST)
def add_response(smooth: Any, asked: Any, scale: float, ridge: Any, angle: Any) -> None:
    """Keep the response to lines of a smoothed picture where it is stronger than the one before.

    ridge (H, W) is below 0 for dark lines, and angle (H, W) that of the line's normal.
    """
    height, width = smooth.shape
    for y in range(height):
        up, down = max(y - 1, 0) if y else min(1, height - 1), y + 1 if y + 1 < height else max(height - 2, 0)
        for x in range(width):
            if not asked[y, x]:
                continue
            left, right = x - 1 if x else min(1, width - 1), x + 1 if x + 1 < width else max(width - 2, 0)
            here = smooth[y, x]
            xx = smooth[y, left] - np.float32(2) * here + smooth[y, right]
            yy = smooth[up, x] - np.float32(2) * here + smooth[down, x]
            xy = np.float32(0.25) * (smooth[up, left] - smooth[up, right] - smooth[down, left] + smooth[down, right])
            root = np.sqrt((xx - yy) * (xx - yy) + np.float32(4) * xy * xy)
            high, low = np.float32(0.5) * (xx + yy + root), np.float32(0.5) * (xx + yy - root)
            is_light = -low > high
            across = -low - abs(high) if is_light else high - abs(low)
            response = max(across, np.float32(0)) * np.float32(scale)
            if response > abs(ridge[y, x]):
                ridge[y, x] = response if is_light else -response
                # the eigenvector of the strong curvature points across the line
                angle[y, x] = np.float32(0.5) * np.arctan2(np.float32(2) * xy, xx - yy) + np.float32(
                    np.pi / 2 if is_light else 0.0
                )


@njit(**_FAST)
def _enqueue(zone: Any, state: Any, y: int, x: int, queue: Any, last: int) -> int:
    """Queue the neighbours of a pixel that lie in the band and wait for nothing yet; returns the new end."""
    height, width = zone.shape
    for k in range(4):
        v = y + (k == 0) - (k == 1)
        u = x + (k == 2) - (k == 3)
        if 0 <= v < height and 0 <= u < width and zone[v, u] == 1 and state[v, u] == 0:
            state[v, u] = 1
            queue[last, 0], queue[last, 1] = v, u
            last += 1
    return last


@njit(**_FAST)
def _sum_around(known: Any, y: int, x: int) -> Any:
    """Add up what is known within two pixels: weighted colours, and weights."""
    first, last = max(0, x - 2), min(known.shape[1], x + 3)
    red = green = blue = weight = np.float32(0)
    for v in range(max(0, y - 2), min(known.shape[0], y + 3)):
        for u in range(first, last):
            red += known[v, u, 0]
            green += known[v, u, 1]
            blue += known[v, u, 2]
            weight += known[v, u, 3]
    return red, green, blue, weight


@njit(**_FAST)
def _plain_around(plain: Any, y: int, x: int) -> bool:
    """Return whether one of the eight neighbours is plain."""
    for v in range(max(0, y - 1), min(plain.shape[0], y + 2)):
        for u in range(max(0, x - 1), min(plain.shape[1], x + 2)):
            if plain[v, u]:
                return True
    return False


@njit("void(float32[:,:,::1], uint8[:,::1], float32[:,::1], float32[:,::1], float32[:,:,::1], uint8[:,::1])", **_FAST)
def fill_in(  # noqa: C901 - one pass over the pixels
    image: Any, zone: Any, ridge: Any, deviation: Any, behind: Any, plain: Any
) -> None:
    """Carry the backdrop's colours into the band, ring by ring; plain pixels that follow from it are backdrop.

    ridge (H, W) is the strength of lines and deviation (H, W) the backdrop's, both unsigned; behind (H, W, 3) and plain
    (H, W) are written: plain is 1 where a pixel is backdrop, reached over backdrop only.
    """
    height, width = zone.shape
    band = 0
    for y in range(height):
        for x in range(width):
            band += zone[y, x] == 1
    queue = np.empty((band, 2), np.int32)
    state = np.zeros((height, width), np.uint8)  # 1 known or queued
    known = np.zeros((height, width, 4), np.float32)  # weighted colours, and the weight
    first, last = 0, 0
    for y in range(height):
        for x in range(width):
            if zone[y, x] == 0:
                state[y, x] = plain[y, x] = 1
                for c in range(3):
                    behind[y, x, c] = known[y, x, c] = image[y, x, c]
                known[y, x, 3] = 1.0
    for y in range(height):
        for x in range(width):
            if zone[y, x] == 0:
                last = _enqueue(zone, state, y, x, queue, last)
    while first < last:
        y, x = queue[first, 0], queue[first, 1]
        first += 1
        red, green, blue, total = _sum_around(known, y, x)
        away = np.float32(0)
        if total > 0:
            behind[y, x, 0], behind[y, x, 1], behind[y, x, 2] = red / total, green / total, blue / total
        for c in range(3):
            away += (image[y, x, c] - behind[y, x, c]) ** 2
        weight = np.float32(_FAINTLY)
        is_near = np.sqrt(away / 3) < _PLAIN * deviation[y, x]
        if is_near and ridge[y, x] < LEAST and _plain_around(plain, y, x):
            plain[y, x], weight = 1, np.float32(1)
            for c in range(3):
                behind[y, x, c] = np.float32(0.6) * behind[y, x, c] + np.float32(0.4) * image[y, x, c]
        for c in range(3):
            known[y, x, c] = weight * behind[y, x, c]
        known[y, x, 3] = weight
        last = _enqueue(zone, state, y, x, queue, last)


@njit(**_FAST)
def _at(picture: Any, y: float, x: float) -> float:
    """Sample a (H, W) picture between four pixels."""
    height, width = picture.shape
    y, x = max(min(y, height - 1.001), 0.0), max(min(x, width - 1.001), 0.0)
    v, u = int(y), int(x)
    down, right = min(v + 1, height - 1), min(u + 1, width - 1)  # the same pixel where there is but one
    b, a = y - v, x - u
    top = (1 - a) * picture[v, u] + a * picture[v, right]
    return (1 - b) * top + b * ((1 - a) * picture[down, u] + a * picture[down, right])


@njit(**_FAST)
def _lift(image: Any, behind: Any, y: float, x: float) -> float:
    """Return how much brighter the nearest pixel is than the backdrop behind it."""
    v = min(max(int(np.round(y)), 0), image.shape[0] - 1)
    u = min(max(int(np.round(x)), 0), image.shape[1] - 1)
    total = 0.0
    for c in range(3):
        total += image[v, u, c] - behind[v, u, c]
    return total


@njit(**_FAST)
def _is_crest(ridge: Any, angle: Any, image: Any, behind: Any, y: int, x: int) -> bool:
    """Return whether a response is the largest across its line, and differs more than what lies beside it."""
    c, s = np.cos(angle[y, x]), np.sin(angle[y, x])
    sign = 1.0 if ridge[y, x] > 0 else -1.0
    lift = sign * _lift(image, behind, y, x)
    if lift <= 0:
        return False
    for way in (-1.0, 1.0):
        if abs(_at(ridge, y + way * s, x + way * c)) > abs(ridge[y, x]) + 1e-6:
            return False
        if abs(_lift(image, behind, y + way * _BESIDE_PX * s, x + way * _BESIDE_PX * c)) >= 0.5 * lift:
            return False
    return True


@njit("int32[:,::1](float32[:,::1], float32[:,::1], float32[:,:,::1], float32[:,:,::1], boolean[:,::1])", **_FAST)
def find_crests(ridge: Any, angle: Any, image: Any, behind: Any, asked: Any) -> Any:
    """List the (row, column) of places in the middle of lines that stand out and stand alone.

    Every third diagonal is looked at: what is found serves its neighbours too.
    """
    height, width = ridge.shape
    found = np.empty((height * width // 2, 2), np.int32)
    count = 0
    for y in range(height):
        for x in range(width):
            if (y + x) % 3 != 0 or not asked[y, x] or abs(ridge[y, x]) <= LEAST or count == len(found):
                continue
            if _is_crest(ridge, angle, image, behind, y, x):
                found[count, 0], found[count, 1] = y, x
                count += 1
    return found[:count].copy()


@njit(**_FAST)
def _ahead(ridge: Any, sign: float, y: float, x: float, uy: float, ux: float) -> Any:
    """Choose the strongest of three places one pixel ahead; returns its strength, below 0 outside, and it."""
    height, width = ridge.shape
    best, wy, wx = -1.0, y + uy, x + ux
    for k in range(-1, 2):
        ty, tx = y + uy + 0.6 * k * ux, x + ux - 0.6 * k * uy
        v, u = int(np.round(ty)), int(np.round(tx))
        if 0 <= v < height and 0 <= u < width and sign * ridge[v, u] > best:
            best, wy, wx = sign * ridge[v, u], ty, tx
    return best, wy, wx


@njit(**_FAST)
def _turned(angle: float, uy: float, ux: float) -> Any:
    """Turn a direction towards that of a line whose normal has the given angle."""
    vy, vx = np.cos(angle), -np.sin(angle)
    if vx * ux + vy * uy < 0:
        vy, vx = -vy, -vx
    uy, ux = 0.7 * uy + 0.3 * vy, 0.7 * ux + 0.3 * vx
    n = np.sqrt(ux * ux + uy * uy) + 1e-6
    return uy / n, ux / n


@njit(**_FAST)
def _follow(ridge: Any, angle: Any, zone: Any, y0: int, x0: int, way: float, places: Any, seen: int) -> Any:
    """Follow a line one way from a seed.

    Returns how many places of the band have been written, the summed strength, the steps, whether the line reaches the
    subject, and whether it goes on in the certain backdrop.
    """
    height, width = ridge.shape
    sign = 1.0 if ridge[y0, x0] > 0 else -1.0
    y, x = float(y0), float(x0)
    uy, ux = way * np.cos(angle[y0, x0]), -way * np.sin(angle[y0, x0])
    strength, steps, faded, outside = 0.0, 0, 0, 0
    for _ in range(_TRACE_PX):
        best, y, x = _ahead(ridge, sign, y, x, uy, ux)
        v, u = int(np.round(y)), int(np.round(x))
        if v < 0 or v >= height or u < 0 or u >= width:
            break
        if zone[v, u] == 2:
            return seen, strength, steps, True, False
        if best < LEAST * 0.6:
            faded += 1
            if faded > _GAP_PX:
                break
            continue
        faded = 0
        outside += zone[v, u] == 0
        if outside > _BEYOND_PX:
            return seen, strength, steps, False, True
        uy, ux = _turned(angle[v, u], uy, ux)
        strength += min(best, 20.0)
        steps += 1
        if zone[v, u] == 1:
            places[seen, 0], places[seen, 1] = v, u
            seen += 1
    return seen, strength, steps, False, False


@njit(**_FAST)
def _line_colour(image: Any, behind: Any, places: Any, sign: float, out: Any) -> None:
    """Average the colours of a line's most opaque places; `out` stays as it is where none differs as the sign says."""
    lifts = np.empty(places.shape[0], np.float32)
    for k in range(places.shape[0]):
        v, u = places[k, 0], places[k, 1]
        lifts[k] = 0.0
        for c in range(3):
            lifts[k] += sign * (image[v, u, c] - behind[v, u, c])
    rank = int(len(lifts) * _TOP)
    top = max(np.partition(lifts, rank)[rank], np.float32(1e-6))
    count, r, g, b = 0, 0.0, 0.0, 0.0
    for k in range(places.shape[0]):
        if lifts[k] >= top:
            v, u = places[k, 0], places[k, 1]
            r += image[v, u, 0]
            g += image[v, u, 1]
            b += image[v, u, 2]
            count += 1
    if count > 0:
        out[0], out[1], out[2] = r / count, g / count, b / count


@njit("void(float32[:,::1], float32[:,::1], uint8[:,::1], float32[:,:,::1], float32[:,:,::1], int32[:,::1], "
      "float32[:,::1], float32[:,::1])", cache=True, nogil=True)  # fmt: skip
def trace_lines(
    ridge: Any, angle: Any, zone: Any, image: Any, behind: Any, seeds: Any, colours: Any, kept: Any
) -> None:
    """Follow lines both ways from each seed.

    colours (N, 3) gets their own colour; kept (N, 3) the mean strength, and how surely it is a strand of the subject:
    1 for a long one, 0 for what leads nowhere or goes on in the certain backdrop, first before a quiet backdrop and
    then before a busy one, where a line has to be seen to reach the subject.
    """
    places = np.empty((2 * _TRACE_PX, 2), np.int32)
    for i in range(seeds.shape[0]):
        y, x = seeds[i, 0], seeds[i, 1]
        seen, one, steps, touches, beyond = _follow(ridge, angle, zone, y, x, 1.0, places, 0)
        seen, other, more, touches_too, beyond_too = _follow(ridge, angle, zone, y, x, -1.0, places, seen)
        colours[i] = behind[y, x]
        if seen > 0:
            _line_colour(image, behind, places[:seen], 1.0 if ridge[y, x] > 0 else -1.0, colours[i])
        steps += more
        kept[i, 0] = (one + other) / max(steps, 1)
        long_enough = min(max((steps - _SHORTEST_PX) / (_LONG_PX - _SHORTEST_PX), 0.0), 1.0)
        ends = not (beyond or beyond_too)
        kept[i, 1] = long_enough if ends and (touches or touches_too or steps >= _LONG_PX) else 0.0
        kept[i, 2] = long_enough if ends and (touches or touches_too) else 0.0


@njit("void(float32[:,:,::1], float32[:,:,::1], float32[:,::1], uint8[:,::1], int32[:,::1], float32[:,::1], "
      "float32[::1], float32[:,::1], float32[:,::1])", **_FAST)  # fmt: skip
def write_lines(
    image: Any, behind: Any, deviation: Any, zone: Any, seeds: Any, colours: Any, sure: Any, weight: Any, alpha: Any
) -> None:
    """Write alpha along the line from the backdrop's to the strand's colour, on each line and beside it."""
    height, width = zone.shape
    least, most = _STANDS_OUT
    for i in range(seeds.shape[0]):
        y0, x0 = seeds[i, 0], seeds[i, 1]
        for y in range(max(0, y0 - ACROSS_PX), min(height, y0 + ACROSS_PX + 1)):
            for x in range(max(0, x0 - ACROSS_PX), min(width, x0 + ACROSS_PX + 1)):
                if zone[y, x] != 1:
                    continue
                dot, length = 0.0, 0.0
                for c in range(3):
                    f = colours[i, c] - behind[y, x, c]
                    dot += (image[y, x, c] - behind[y, x, c]) * f
                    length += f * f
                out = np.sqrt(length / 3) / deviation[y, x]
                w = sure[i] * min(max((out - least) / (most - least), 0.0), 1.0)
                if w > weight[y, x]:
                    weight[y, x] = w
                    alpha[y, x] = min(max(_BELOW_PEAK * dot / max(length, 1e-9), 0.0), 1.0)
