"""The loops behind `peel.matte.marking.strand_trace`: follow a thin line by many guesses at once, and keep the best.

Pictures are read as they are stored; `unit` is what a value of 1 in them stands for, 1/255 or 1/65535.
"""

from typing import Any, Final

import numpy as np
from numba import njit, types

__all__ = ["centre", "follow", "most_along", "stands_out"]

_ANGLES: Final = 24  # tried at a place
_WIDER: Final = 0.05  # less for each pixel that the backdrop is looked at farther away
_FAST: Final = {"cache": True, "nogil": True, "fastmath": True}
_STEP: Final = 2.5  # pixels
_TURNS: Final = 9  # directions tried at each step
_TURN: Final = 0.11  # radians between two of them
_GUESSES: Final = 40  # carried on at once
_BESIDE: Final = 6  # places beside a line, over which what is usual there is measured
_BESIDE_PX: Final = 2.6  # between two of them, in widths
_COST: Final = 1.1  # of a step, in deviations of what is usual
_MOST: Final = 4.0  # that a step can gain
_LEAST: Final = -1.5
_BENDING: Final = 0.14  # cost of a turn by one direction, squared
_BENT: Final = 0.03  # ... of one that differs from those before
_BLINDLY: Final = 4.0  # how many times that where nothing of the strand is seen
_ACROSS: Final = 13  # places across a strand, half a pixel apart, between which its middle is looked for
_UNLIKE: Final = 0.6  # share of a colour difference that has to lie along the strand's own
_LAG: Final = 14  # steps after which the way that is best so far is the only one
_FULLY: Final = 1.25  # how much farther a strand's own colour lies from the backdrop than what is seen of it
_LEARNT: Final = 0.06  # share of a strand's colour that each place brings
_VISIBLE: Final = 0.03  # difference in colour below which a strand is not to be seen
_STEP_COST: Final = 1.0  # of what both sides differ by more than the middle from them
_FAINT: Final = 0.2  # opacity, relative to the strand so far, from which a place speaks for it
_LIKE: Final = 8.0  # how fast that grows
_GIVEN_UP: Final = 13.0  # below the best, from which on a strand has ended


_F: Final = types.float64
_PICTURES: Final = [types.Array(depth, 3, "A", readonly=True) for depth in (types.uint8, types.uint16)]
_PATH: Final = types.float64[:, ::1]


@njit(**_FAST)
def _colour(image: Any, unit: float, y: float, x: float, c: int) -> float:
    """Sample a picture between four pixels."""
    height, width = image.shape[0], image.shape[1]
    y, x = max(min(y, height - 1.001), 0.0), max(min(x, width - 1.001), 0.0)
    v, u = int(y), int(x)
    down, right = min(v + 1, height - 1), min(u + 1, width - 1)
    b, a = y - v, x - u
    top = (1 - a) * image[v, u, c] + a * image[v, right, c]
    return unit * ((1 - b) * top + b * ((1 - a) * image[down, u, c] + a * image[down, right, c]))


@njit(**_FAST)
def _response(image: Any, unit: float, y: float, x: float, sy: float, sx: float, side: float, out: Any) -> float:
    """Measure how the middle of a short line differs from both sides, and these; returns how much they differ.

    `out` (6,) gets the difference, and what both sides look like on average. (sy, sx) points along the line; `side` is
    how far away its sides are.
    """
    ny, nx = -sx, sy
    unlike = 0.0
    for c in range(3):
        middle, left, right = 0.0, 0.0, 0.0
        for k in range(-1, 2):
            v, u = y + 0.9 * k * sy, x + 0.9 * k * sx
            middle += _colour(image, unit, v, u, c)
            left += _colour(image, unit, v + side * ny, u + side * nx, c)
            right += _colour(image, unit, v - side * ny, u - side * nx, c)
        out[3 + c] = 0.5 * (left + right) / 3
        out[c] = middle / 3 - out[3 + c]
        unlike += ((left - right) / 3) ** 2
    return np.sqrt(unlike)


@njit(**_FAST)
def _stands_out(image: Any, unit: float, y: float, x: float, sy: float, sx: float, side: float, out: Any) -> float:
    """Return how much the middle of a short line differs from both sides; it counts less where these differ, too."""
    unlike = _response(image, unit, y, x, sy, sx, side, out)
    seen = np.sqrt(out[0] * out[0] + out[1] * out[1] + out[2] * out[2])
    return (seen - 0.5 * unlike) * (1 - _WIDER * side)


@njit([types.void(picture, _F, _F, _F, _F[::1], _F[::1]) for picture in _PICTURES], **_FAST)
def stands_out(image: Any, unit: float, y: float, x: float, sides: Any, best: Any) -> None:
    """Find the direction and the width that stand out most at a place.

    `best` (10,) gets how much, the direction (sy, sx), the side, and the six of `_response`; zeros if nothing does.
    """
    out = np.zeros(6)
    best[:] = 0.0
    for k in range(_ANGLES):
        angle = np.pi * k / _ANGLES
        sy, sx = np.sin(angle), np.cos(angle)
        for side in sides:
            found = _stands_out(image, unit, y, x, sy, sx, side, out)
            if found > best[0]:
                best[0], best[1], best[2], best[3] = found, sy, sx, side
                best[4:] = out


@njit([_F(picture, _F, _PATH, _PATH, _F) for picture in _PICTURES], **_FAST)
def most_along(image: Any, unit: float, path: Any, tangent: Any, side: float) -> float:
    """Return how much a path (N, 2) with its directions (N, 2) stands out in all."""
    out = np.zeros(6)
    total = 0.0
    for i in range(path.shape[0]):
        total += _stands_out(image, unit, path[i, 0], path[i, 1], tangent[i, 0], tangent[i, 1], side, out)
    return total


@njit(**_FAST)
def _gain(
    image: Any, unit: float, y: float, x: float, sy: float, sx: float, side: float, own: Any, floor: float, out: Any
) -> float:
    """Return by how many deviations of what lies beside it a place looks like the strand.

    The strand's colour, `own` (3,), and what both sides look like here tell how it should differ: a dark strand is
    darker than a wall and may be lighter than a shadow. What is much fainter than that counts less.
    """
    unlike = _response(image, unit, y, x, sy, sx, side, out)
    r, g, b = own[0] - out[3], own[1] - out[4], own[2] - out[5]
    expected = np.sqrt(r * r + g * g + b * b) + 1e-9
    r, g, b = r / expected, g / expected, b / expected
    expected = max(expected / _FULLY, _VISIBLE)
    here = out[0] * r + out[1] * g + out[2] * b
    size = np.sqrt(out[0] * out[0] + out[1] * out[1] + out[2] * out[2])
    if here < _UNLIKE * size:
        here = min(here, 0.0)
    here -= _STEP_COST * max(unlike - size, 0.0)  # a step, no line
    seen0, seen1, seen2, seen3, seen4, seen5 = out[0], out[1], out[2], out[3], out[4], out[5]
    total = 0.0
    for k in range(_BESIDE):
        away = side * _BESIDE_PX * (k // 2 + 1) * (1 if k % 2 else -1)
        _response(image, unit, y - away * sx, x + away * sy, sy, sx, side, out)
        other = out[0] * r + out[1] * g + out[2] * b
        total += other * other
    out[0], out[1], out[2], out[3], out[4], out[5] = seen0, seen1, seen2, seen3, seen4, seen5
    return min(here / (np.sqrt(total / _BESIDE) + floor), _LIKE * (here / expected - _FAINT))


@njit(**_FAST)
def _before(parents: Any, step: int, guess: int) -> int:
    """Return from which guess one came, some steps before."""
    for back in range(_LAG):
        guess = parents[step - back, guess]
    return guess


@njit([
    types.int64(picture, _F, types.uint8[:, ::1], _F, _F, _F, _F, _F, _F[::1], _F, types.int64, _PATH)
    for picture in _PICTURES
], **_FAST)  # fmt: skip
def follow(  # noqa: C901 - one search
    image: Any, unit: float, zone: Any, y0: float, x0: float, sy: float, sx: float, side: float, colour: Any,
    floor: float, most_steps: int, path: Any,
) -> int:  # fmt: skip
    """Follow a strand from a place in a direction.

    zone (H, W) is 2 where the subject is certain, where a strand ends in its root, 1 where it may not go, 0 elsewhere.
    path (N, 3) gets row, column and gain of each place; returns how many there are.
    """
    height, width = zone.shape
    count = 1
    ys, xs = np.empty(_GUESSES), np.empty(_GUESSES)
    uy, ux = np.empty(_GUESSES), np.empty(_GUESSES)
    score = np.empty(_GUESSES)
    own = np.empty((_GUESSES, 3))
    bend = np.zeros(_GUESSES)
    ys[0], xs[0], uy[0], ux[0], score[0] = y0, x0, sy, sx, 0.0
    for c in range(3):
        own[0, c] = colour[3 + c] + _FULLY * colour[c]
    parents = np.empty((most_steps, _GUESSES), np.int32)
    places = np.empty((most_steps, _GUESSES, 3))
    best, best_step, best_guess = 0.0, -1, 0
    many = _GUESSES * _TURNS
    ty, tx, vy, vx = np.empty(many), np.empty(many), np.empty(many), np.empty(many)
    scores, gains, froms = np.empty(many), np.empty(many), np.empty(many, np.int32)
    turns = np.empty(many)
    seen = np.empty((many, 6))
    out = np.empty(6)
    steps = 0
    for step in range(most_steps):
        tried = 0
        for g in range(count):
            for k in range(_TURNS):
                turn = k - _TURNS // 2
                angle = turn * _TURN
                ca, sa = np.cos(angle), np.sin(angle)
                wy, wx = uy[g] * ca + ux[g] * sa, ux[g] * ca - uy[g] * sa
                y, x = ys[g] + _STEP * wy, xs[g] + _STEP * wx
                if y < 1 or x < 1 or y > height - 2 or x > width - 2:
                    continue
                here = zone[int(y), int(x)]
                gain = _gain(image, unit, y, x, wy, wx, side, own[g], floor, out)
                blindly = _BLINDLY if gain < _COST else 1.0
                gain = min(max(gain, _LEAST), _MOST) - _COST
                if here == 1:
                    gain -= 2.0
                gain -= blindly * (_BENDING * turn * turn + _BENT * (turn - bend[g]) ** 2)
                ty[tried], tx[tried], vy[tried], vx[tried] = y, x, wy, wx
                scores[tried], gains[tried], froms[tried], turns[tried] = score[g] + gain, gain, g, turn
                for c in range(6):
                    seen[tried, c] = out[c]
                tried += 1
        if tried == 0:
            break
        order = np.argsort(-scores[:tried])
        kept = 0
        old_own, old_bend = own.copy(), bend.copy()
        for i in range(tried):
            t = order[i]
            is_new = True
            for g in range(kept):
                near = (ty[t] - ys[g]) ** 2 + (tx[t] - xs[g]) ** 2
                if near < 1.2 and vy[t] * uy[g] + vx[t] * ux[g] > 0.95:
                    is_new = False
                    break
            if not is_new:
                continue
            g0 = froms[t]
            parents[step, kept] = g0
            places[step, kept, 0], places[step, kept, 1], places[step, kept, 2] = ty[t], tx[t], gains[t]
            ys[kept], xs[kept], uy[kept], ux[kept], score[kept] = ty[t], tx[t], vy[t], vx[t], scores[t]
            bend[kept] = 0.7 * old_bend[g0] + 0.3 * turns[t]
            share = _LEARNT if gains[t] > 0.5 else 0.0
            for c in range(3):
                own[kept, c] = (1 - share) * old_own[g0, c] + share * (seen[t, 3 + c] + _FULLY * seen[t, c])
            kept += 1
            if kept == _GUESSES:
                break
        count, steps = kept, step + 1
        if step >= _LAG:  # where strands part, that on which most is seen soon is the one: not the longest
            first = _before(parents, step, 0)
            kept = 0
            for g in range(count):
                if _before(parents, step, g) == first:
                    ys[kept], xs[kept], uy[kept], ux[kept], score[kept] = ys[g], xs[g], uy[g], ux[g], score[g]
                    bend[kept], parents[step, kept] = bend[g], parents[step, g]
                    for c in range(3):
                        own[kept, c], places[step, kept, c] = own[g, c], places[step, g, c]
                    kept += 1
            count = kept
        if score[0] > best:
            best, best_step, best_guess = score[0], step, 0
            if zone[int(ys[0]), int(xs[0])] == 2:
                break
        if score[0] < best - _GIVEN_UP:
            break
    if best_step < 0:
        return 0
    g = best_guess
    for step in range(best_step, -1, -1):
        path[step, 0], path[step, 1], path[step, 2] = places[step, g, 0], places[step, g, 1], places[step, g, 2]
        g = parents[step, g]
    return min(best_step + 1, steps)


@njit([types.void(picture, _F, _PATH, _F, _PATH) for picture in _PICTURES], **_FAST)
def centre(image: Any, unit: float, path: Any, side: float, out: Any) -> None:  # noqa: C901 - one search
    """Move each place of a path (N, 2) across it to where the strand stands out most, evenly along it, into `out`."""
    count = path.shape[0]
    colours = np.zeros((count, 3))
    response = np.zeros(6)
    normal = np.empty((count, 2))
    for i in range(count):
        a, b = max(i - 2, 0), min(i + 2, count - 1)
        sy, sx = path[b, 0] - path[a, 0], path[b, 1] - path[a, 1]
        n = np.sqrt(sy * sy + sx * sx) + 1e-9
        normal[i, 0], normal[i, 1] = -sx / n, sy / n
        _response(image, unit, path[i, 0], path[i, 1], sy / n, sx / n, side, response)
        for c in range(3):
            colours[i, c] = response[c]
    half = _ACROSS // 2
    cost = np.empty((count, _ACROSS))
    back = np.zeros((count, _ACROSS), np.int32)
    for i in range(count):
        own = np.zeros(3)
        for j in range(max(i - 6, 0), min(i + 7, count)):
            for c in range(3):
                own[c] += colours[j, c]
        n = np.sqrt(own[0] ** 2 + own[1] ** 2 + own[2] ** 2) + 1e-9
        for k in range(_ACROSS):
            by = 0.5 * (k - half)
            y, x = path[i, 0] + by * normal[i, 0], path[i, 1] + by * normal[i, 1]
            _response(image, unit, y, x, normal[i, 1], -normal[i, 0], side, response)
            seen = (response[0] * own[0] + response[1] * own[1] + response[2] * own[2]) / (n * n) * 13
            here = -min(max(seen, -1.0), 3.0) + 0.02 * by * by
            if i == 0:
                cost[i, k] = here
                continue
            best, at = 1e18, k
            for j in range(max(k - 2, 0), min(k + 3, _ACROSS)):
                through = cost[i - 1, j] + 0.25 * (j - k) ** 2
                if through < best:
                    best, at = through, j
            cost[i, k], back[i, k] = best + here, at
    k = 0
    for j in range(_ACROSS):
        if cost[count - 1, j] < cost[count - 1, k]:
            k = j
    for i in range(count - 1, -1, -1):
        by = 0.5 * (k - half)
        out[i, 0], out[i, 1] = path[i, 0] + by * normal[i, 0], path[i, 1] + by * normal[i, 1]
        k = back[i, k]
