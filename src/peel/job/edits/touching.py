"""Edits that touch the matte up: strokes and areas that force, firm, thin, push or soften it, or release it again.

Touch-ups have planes of their own and survive every new solve.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from enum import Enum
from itertools import chain
from typing import Final

import numpy as np

from peel.errors import MarkError
from peel.job.edits.marking import covered_by
from peel.job.job import MATTE_ONE, Job
from peel.job.plane import Plane
from peel.job.planes import PLANES
from peel.job.rect import Rect
from peel.job.settings import Point
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.marking.strokes import stroke_bounds, stroke_weights
from peel.matte.repair.touching import MOST_PUSH, push_steps, pushed

__all__ = [
    "PER_PIXEL",
    "TOUCH_PLANES",
    "SoftStroke",
    "Touch",
    "borrow",
    "has_touches",
    "lay_over",
    "moved_towards",
    "nudge",
    "release",
    "release_all",
    "release_area",
    "release_region",
    "touch",
    "touch_area",
    "touch_region",
    "touched_in",
]

PER_PIXEL: Final = 8
"""Steps of the planes of pushes for a pixel."""

_SOME: Final = 0.004  # weight from which a stroke touches a pixel
_SMOOTH: Final = 0.6  # least softness of a brush that pushes
_PASS: Final = {"FIRM": 0.5, "THIN": 0.35}  # of what is left that one pass adds


class Touch(Enum):
    """A sort of touch-up: what it does, the planes it lives in, and the value these approach."""

    SOLID = ("force", 255)
    CLEAR = ("force", 0)
    FIRM = ("firmness", 255)
    THIN = ("firmness", 0)
    SOFTEN = ("softness", 255)


TOUCH_PLANES: Final[dict[str, tuple[str, ...]]] = {
    "solid and clear": ("force",),
    "firm and thin": ("firmness",),
    "nudge": ("push_right", "push_down"),
    "soften": ("softness",),
    "other version": ("borrowed_weight",),
}
"""The sorts of touch-ups that can be released one by one, with their planes."""


@dataclass(frozen=True)
class SoftStroke:
    """A soft round brush dragged along a path.

    Attributes
    ----------
    points : x, y in photo pixels.
    radius_px : float
    softness : share of the radius over which it fades, in [0, 1].
    strength : how much of its effect it has, in [0, 1].
    pressures, sizes : what the pen makes of strength and radius at each point, in [0, 1]; empty for all of it.
    """

    points: tuple[Point, ...]
    radius_px: float
    softness: float = 0.5
    strength: float = 1.0
    pressures: tuple[float, ...] = ()
    sizes: tuple[float, ...] = ()

    def window(self, bounds: Rect) -> Rect:
        """Return the pixels it can touch."""
        return Rect(*stroke_bounds(self.points, self.radius_px)).intersection(bounds)

    def weights(self, window: Rect) -> FloatArray:
        """Return its weight at each pixel of a window, in [0, 1].

        Returns (h, w) float32, of the window.
        """
        pen = (self.pressures or None, self.sizes or None)
        drawn = stroke_weights(self.points, self.radius_px, window.as_tuple, self.softness, *pen)
        return np.asarray(drawn * np.float32(min(max(self.strength, 0.0), 1.0)), np.float32)


def touch(job: Job, stroke: SoftStroke, sort: Touch) -> Job:
    """Brush a touch-up on; each pass adds to those before."""
    window = stroke.window(job.photo.bounds)
    return job if window.is_empty else _approach(job, sort, window, stroke.weights(window))


def touch_area(job: Job, area: Sequence[Point], sort: Touch, strength: float = 1.0) -> Job:
    """Put a touch-up on everything within an outline."""
    window, inside = covered_by(job, area)
    return job if window.is_empty else _approach(job, sort, window, inside * np.float32(min(max(strength, 0.0), 1.0)))


def release_area(job: Job, area: Sequence[Point]) -> Job:
    """Take all touch-ups back within an outline."""
    window, inside = covered_by(job, area)
    if window.is_empty:
        return job
    touched = (inside > 0).astype(np.float32)  # all of it, also where the outline only grazes a pixel
    return _changed(job, None, lambda plane, neutral: moved_towards(plane, window, touched, neutral))


def touch_region(job: Job, region: BoolArray, window: Rect, sort: Touch, strength: float = 1.0) -> Job:
    """Put a touch-up on a region (H, W) of a window."""
    return _approach(job, sort, window, region.astype(np.float32) * np.float32(min(max(strength, 0.0), 1.0)))


def _approach(job: Job, sort: Touch, window: Rect, weights: FloatArray) -> Job:
    name, target = sort.value
    share = weights * np.float32(_PASS.get(sort.name, 1.0))
    if sort in (Touch.FIRM, Touch.THIN):
        _check_partly(job, sort, window, weights > _SOME)
    return job.with_planes(**{name: moved_towards(getattr(job, name), window, share, target)})


def _check_partly(job: Job, sort: Touch, window: Rect, touched: BoolArray) -> None:
    """Make sure that anything under a stroke is partly solid, which is what Firm and Thin act on.

    Raises
    ------
    MarkError
    """
    force = (job.force.read(window)[touched].astype(np.float32) - 128) / 127
    alpha = job.alpha(window)[touched]
    alpha += np.abs(force) * ((force > 0) - alpha)
    if not ((alpha > 0.002) & (alpha < 0.998)).any() and touched.any():
        what = "clear" if float(alpha.max()) < 0.5 else "solid" if float(alpha.min()) > 0.5 else "clear or solid"
        message = f"{sort.name.capitalize()} acts on what is partly solid: everything there is {what}."
        raise MarkError(message, "Solid makes it solid, and with the right button clear.")


def moved_towards(plane: Plane, window: Rect, share: FloatArray, target: int) -> Plane:
    """Move values towards a target, by at least one step wherever there is any weight.

    Weights are (h, w) float32 in [0, 1], of the window.
    """
    values = plane.read(window).astype(np.float32)
    by = (np.float32(target) - values) * share
    steps = np.where(by > 0, np.ceil(by - 0.01), np.floor(by + 0.01))
    moved = np.where(share > _SOME, values + steps, values)
    return plane.write(window, np.clip(moved, 0, 255).astype(np.uint8))


def borrow(job: Job, stroke: SoftStroke, other: Callable[[Rect], FloatArray]) -> Job:
    """Brush the matte of another version in; each pass adds to those before, and other touch-ups give way to it.

    Parameters
    ----------
    job : Job
    stroke : SoftStroke
        Drawn at least half soft, so that no seam is left.
    other : callable
        Returns the other version's alpha in a window, (h, w) float32 in [0, 1].
    """
    window = stroke.window(job.photo.bounds)
    if window.is_empty:
        return job
    share = replace(stroke, softness=max(stroke.softness, _SMOOTH)).weights(window)
    return lay_over(job, window, other(window), share)


def lay_over(job: Job, window: Rect, other: FloatArray, share: FloatArray) -> Job:
    """Lay alpha over the solved matte of a window; other touch-ups give way to it.

    Parameters
    ----------
    job : Job
    window : Rect
    other, share : (h, w) float32 ndarrays
        Alpha, and how much of it counts, in [0, 1].
    """
    had = job.borrowed_weight.read(window).astype(np.float32) / 255
    weight = 1 - (1 - had) * (1 - share)
    before = job.borrowed.read(window).astype(np.float32) / MATTE_ONE
    mixed = ((1 - share) * had * before + share * other) / np.maximum(weight, 1e-6)
    taken = share > _SOME
    values = np.where(taken, np.round(np.clip(mixed, 0, 1) * MATTE_ONE), job.borrowed.read(window)).astype(np.uint16)
    weights = np.where(taken, np.round(weight * 255), job.borrowed_weight.read(window)).astype(np.uint8)
    planes = {name: moved_towards(getattr(job, name), window, share, PLANES[name].default)
              for name in _planes(None) if name in job.planes and name != "borrowed_weight"}  # fmt: skip
    brushed = {"borrowed": job.borrowed.write(window, values)}
    return job.with_planes(**planes, **brushed, borrowed_weight=job.borrowed_weight.write(window, weights))


def nudge(job: Job, stroke: SoftStroke) -> Job:
    """Push the matte along a stroke."""
    window = stroke.window(job.photo.bounds)
    if window.is_empty or len(stroke.points) < 2:
        return job
    right, down = (
        np.asarray((plane.read(window).astype(np.float32) - 128) / PER_PIXEL, np.float32)
        for plane in (job.push_right, job.push_down)
    )
    softness = max(stroke.softness, _SMOOTH)
    for k, place, by in push_steps(stroke.points, stroke.radius_px):
        pen = stroke.pressures[k : k + 1], stroke.sizes[k : k + 1]
        here = SoftStroke((place,), stroke.radius_px, softness, stroke.strength, *pen)
        part = here.window(window)
        if part.is_empty:
            continue
        at = part.within(window)
        right[at], down[at] = pushed(right[at], down[at], here.weights(part), by)
    planes = {"push_right": right, "push_down": down}
    most = MOST_PUSH * PER_PIXEL
    return job.with_planes(
        **{
            name: getattr(job, name).write(
                window, (128 + np.clip(np.round(field * PER_PIXEL), -most, most)).astype(np.uint8)
            )
            for name, field in planes.items()
        }
    )


def release(job: Job, stroke: SoftStroke, sort: str | None = None) -> Job:
    """Take touch-ups back under a brush, all or one sort of `TOUCH_PLANES`; exactly so where its weight is 1."""
    window = stroke.window(job.photo.bounds)
    if window.is_empty:
        return job
    weights = stroke.weights(window)
    return _changed(job, sort, lambda plane, neutral: moved_towards(plane, window, weights, neutral))


def release_region(job: Job, region: BoolArray) -> Job:
    """Take all touch-ups back in a region of the photo, (H, W) bool."""
    share = region.astype(np.float32)
    return _changed(job, None, lambda plane, neutral: moved_towards(plane, job.photo.bounds, share, neutral))


def release_all(job: Job, sort: str | None = None) -> Job:
    """Take all touch-ups of a sort back, or all of every sort."""
    return _changed(job, sort, lambda plane, neutral: Plane.filled(plane.height, plane.width, neutral))


def _changed(job: Job, sort: str | None, change: Callable[[Plane, int], Plane]) -> Job:
    touched = [name for name in _planes(sort) if name in job.planes]
    if not touched:
        return job
    return job.with_planes(**{name: change(getattr(job, name), PLANES[name].default) for name in touched})


def has_touches(job: Job, window: Rect | None = None, sort: str | None = None) -> bool:
    """Return whether anything is touched up, in any way or one of `TOUCH_PLANES`; by whole tiles, reads no pixel."""
    window = window or job.photo.bounds
    return any(
        job.planes[name].constant_in(window) != PLANES[name].default for name in _planes(sort) if name in job.planes
    )


def _planes(sort: str | None) -> tuple[str, ...]:
    return TOUCH_PLANES[sort] if sort is not None else tuple(chain.from_iterable(TOUCH_PLANES.values()))


def touched_in(job: Job, window: Rect) -> BoolArray:
    """Return where a window is touched up; (H, W) bool."""
    out = np.zeros((window.height, window.width), bool)
    for name in _planes(None):
        if name in job.planes:
            out |= job.planes[name].read(window) != PLANES[name].default
    return out
