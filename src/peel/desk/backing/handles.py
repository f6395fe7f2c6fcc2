"""Handles around a figure of four corners, and what dragging one does to it."""

from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from peel.desk.tools.host import Press
from peel.job.placing.cutouts import moving, turning
from peel.matte.composite.homography import homography

__all__ = ["Grip", "grip_at", "grip_places", "snapped_move", "taken"]

_GRIP_PX: Final = 10.0
_KNOB_PX: Final = 26.0
_TURN_DEG: Final = 15.0


@dataclass(frozen=True)
class Grip:
    """What is held: "move", "turn", or a "corner" or "side" by its number from the top left, clockwise."""

    kind: str
    number: int = 0


def grip_places(quad: NDArray[Any], scale: float) -> dict[str, NDArray[Any]]:
    """Return where the handles of a figure (4, 2) lie, by name; `scale` is widget pixels for one of its own."""
    places = {f"corner {k}": quad[k] for k in range(4)}
    places |= {f"side {k}": (quad[k] + quad[(k + 1) % 4]) / 2 for k in range(4)}
    top, middle = places["side 0"], quad.mean(axis=0)
    away = top - middle
    length = max(float(np.hypot(*away)), 1e-6)
    places["turn"] = top + away / length * (_KNOB_PX / scale)
    return places


def grip_at(quad: NDArray[Any], at: tuple[float, float], scale: float) -> Grip | None:
    """Return the handle near a point, or None.

    `corners` are four (x, y) in widget pixels.
    """
    near = {name: float(np.hypot(*(place - at))) * scale for name, place in grip_places(quad, scale).items()}
    name = min(near, key=lambda name: near[name])
    if near[name] > _GRIP_PX:
        return None
    kind, _, number = name.partition(" ")
    return Grip(kind, int(number or 0))


def taken(quad: NDArray[Any], grip: Grip, start: tuple[float, float], press: Press) -> NDArray[Any]:
    """Return the homography by which a handle, dragged from a point, changes its figure.

    A (3, 3) float64 ndarray.

    A corner scales in proportion, with Shift freely, and with Ctrl is pulled alone; a side stretches, with Ctrl it
    leans; the knob turns, with Shift in steps.
    """
    at, by = np.array(press.xy), np.array(press.xy) - start
    if grip.kind == "turn":
        middle = quad.mean(axis=0)
        before, after = (np.arctan2(*(point - middle)[::-1]) for point in (np.array(start), at))
        turn = float(np.rad2deg(after - before))
        turn = round(turn / _TURN_DEG) * _TURN_DEG if press.straight else turn
        return turning((float(middle[0]), float(middle[1])), turn)
    if grip.kind == "side":
        return _stretched(quad, grip.number, by, leans=press.alternate)
    if press.alternate:
        pulled = quad.copy()
        pulled[grip.number] += by
        return _between(quad, pulled)
    return _scaled(quad, grip.number, by, freely=press.straight)


def _between(quad: NDArray[Any], other: NDArray[Any]) -> NDArray[Any]:
    """Return the homography that takes one figure to another; the identity where there is none."""
    try:
        first, second = (homography([(float(x), float(y)) for x, y in points], 1.0, 1.0) for points in (quad, other))
        return np.asarray(second @ np.linalg.inv(first))
    except np.linalg.LinAlgError:
        return np.eye(3)


def _scaled(quad: NDArray[Any], number: int, by: NDArray[Any], *, freely: bool) -> NDArray[Any]:
    """Scale about the opposite corner, along the sides that meet there."""
    still = quad[(number + 2) % 4]
    sides = np.column_stack([quad[(number + 1) % 4] - still, quad[(number + 3) % 4] - still])
    held = quad[number] - still
    if freely:
        before, after = (np.linalg.solve(sides, point) for point in (held, held + by))
        factors = after / np.where(np.abs(before) < 1e-9, 1.0, before)
    else:
        factor = float((held + by) @ held / max(float(held @ held), 1e-9))
        factors = np.array([factor, factor])
    linear = sides @ np.diag(np.maximum(factors, 0.01)) @ np.linalg.inv(sides)
    return _about(still, linear)


def _stretched(quad: NDArray[Any], number: int, by: NDArray[Any], *, leans: bool) -> NDArray[Any]:
    """Move one side, the opposite one staying where it is."""
    ends, others = (quad[number], quad[(number + 1) % 4]), (quad[(number + 2) % 4], quad[(number + 3) % 4])
    still, along = (others[0] + others[1]) / 2, ends[1] - ends[0]
    across = (ends[0] + ends[1]) / 2 - still
    basis = np.column_stack([along, across])
    moved = np.linalg.solve(basis, across + by)
    target = across + moved[0] * along if leans else max(float(moved[1]), 0.01) * across
    return _about(still, np.column_stack([along, target]) @ np.linalg.inv(basis))


def _about(still: NDArray[Any], linear: NDArray[Any]) -> NDArray[Any]:
    out = np.eye(3)
    out[:2, :2] = linear
    return moving(*still) @ out @ moving(*-still)


def snapped_move(
    quad: NDArray[Any], by: NDArray[Any], lines: tuple[list[float], list[float]], reach: float
) -> tuple[NDArray[Any], tuple[float | None, float | None]]:
    """Move a figure so that its sides or middle lie on lines that are near; return the move, and the lines.

    Corners are (4, 2) float64, in pixels of the sheet.
    """
    low, high = quad.min(axis=0), quad.max(axis=0)
    out, guides = by.copy(), [None, None]
    for axis in range(2):
        own = np.array([low[axis], (low[axis] + high[axis]) / 2, high[axis]]) + by[axis]
        off = np.array(lines[axis])[:, None] - own[None, :]
        nearest = np.unravel_index(np.argmin(np.abs(off)), off.shape)
        if abs(off[nearest]) <= reach:
            out[axis] += off[nearest]
            guides[axis] = lines[axis][int(nearest[0])]  # type: ignore[call-overload]
    return out, (guides[0], guides[1])
