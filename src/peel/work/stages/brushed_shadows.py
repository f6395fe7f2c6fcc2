"""What was brushed on shadows by hand: one that was painted, and how much stronger or weaker all of them are."""

from collections.abc import Hashable
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import PaintedShadow, ShadowStroke
from peel.job.space import level_size
from peel.matte.arrays import FloatArray
from peel.matte.composite.blurring import BLUR_REACH, wide_blur
from peel.matte.marking.strokes import stroke_bounds, stroke_weights
from peel.work.stages.cache import Cache
from peel.work.stages.pyramid import shrunk
from peel.work.stages.shadow_rasters import Raster, working_level

__all__ = ["BrushedShadows"]

_BOX_STEP: Final = 256  # pixels of the working level in which a raster grows, so that it seldom does
_MOST_ROOM: Final = 2.0  # sides of the photo, so far beyond which nothing is drawn
_FOLLOWED: Final = 8  # strokes drawn at once on what was drawn before

_Strokes = tuple[ShadowStroke, ...]


class BrushedShadows:
    """Draws the strokes on shadows. Any thread.

    Parameters
    ----------
    cache : Cache
    """

    def __init__(self, cache: Cache) -> None:
        self._cache = cache

    def stamp(self, job: Job) -> Hashable:
        """Return all that it depends on."""
        photo, plane = job.settings.photo, job.planes.get("shadow_weight")
        old = None if plane is None else plane.stamp(job.photo.bounds)
        return photo.shadow_painted, photo.shadow_shaded, old

    def painted(self, job: Job, level: int) -> Raster | None:
        """Return the opacity of the painted shadow; None if nothing is painted."""
        own, strokes = job.settings.recipe.shadow.painted, job.settings.photo.shadow_painted
        if not own.on or not strokes:
            return None
        at = working_level(job.photo.height, job.photo.width, level)
        reach = int(np.ceil(BLUR_REACH * own.blur_px / (1 << at))) + 2
        box = _box(job, strokes, at, reach)
        if box.is_empty:
            return None

        def make() -> NDArray[Any]:
            return _finished(self._drawn("painted shadow", job, strokes, at, box), own, 1 << at)

        values = self._cache.get(("blurred shadow", strokes, own.blur_px, own.strength, at, box), make)
        step = 1 << at
        return Raster(values, box.left * step + own.move[0], box.top * step + own.move[1], step)

    def shading(self, job: Job, level: int) -> Raster | None:
        """Return by how much shadows are stronger and weaker, (h, w, 2) in [0, 1]; None if nothing was brushed."""
        strokes = job.settings.photo.shadow_shaded
        if not strokes and "shadow_weight" not in job.planes:
            return None
        at = working_level(job.photo.height, job.photo.width, level)
        box = _box(job, strokes, at, 2, with_photo="shadow_weight" in job.planes)
        if box.is_empty:
            return None
        step = 1 << at
        return Raster(self._drawn("shading", job, strokes, at, box), box.left * step, box.top * step, step)

    def _drawn(self, name: str, job: Job, strokes: _Strokes, at: int, box: Rect) -> NDArray[Any]:
        """Draw strokes one after another; those before the last few are kept, so that a new one is drawn alone."""
        plane = job.planes.get("shadow_weight") if name == "shading" else None
        key = (name, strokes, at, box, None if plane is None else plane.stamp(job.photo.bounds))

        def make() -> NDArray[Any]:
            whole = max(len(strokes) - 1, 0) // _FOLLOWED * _FOLLOWED
            if whole:
                out = np.array(self._drawn(name, job, strokes[:whole], at, box), np.float32)
            else:
                out = _blank(name, job, at, box)
            for stroke in strokes[whole:]:
                _draw(out, stroke, at, box)
            return out

        return self._cache.get(key, make)


def _blank(name: str, job: Job, at: int, box: Rect) -> FloatArray:
    """Return what strokes are drawn on: what older jobs hold as a plane of weights, else nothing."""
    if name != "shading":
        return np.zeros((box.height, box.width, 1), np.float32)
    out = np.zeros((box.height, box.width, 2), np.float32)
    if "shadow_weight" in job.planes:
        rows, columns = level_size(job.photo.height, job.photo.width, at)
        weight = (shrunk(job.shadow_weight.read().astype(np.float32), at) - 128) / 127
        part = Rect(0, 0, rows, columns).within(box)
        out[part] = np.stack([np.clip(weight, 0, 1), np.clip(-weight, 0, 1)], axis=2)
    return out


def _draw(out: FloatArray, stroke: ShadowStroke, at: int, box: Rect) -> None:
    """Draw a stroke: on one channel it adds or takes away, on two it goes from weaker to stronger or back."""
    step = 1 << at
    path = np.asarray(stroke.points, np.float64) / step
    radius = max(stroke.radius_px / step, 0.5)
    window = Rect(*stroke_bounds(path, radius)).intersection(box)
    if window.is_empty:
        return
    pen = stroke.pressures or None, stroke.sizes or None
    weight = stroke_weights(path, radius, window.as_tuple, stroke.softness, *pen) * np.float32(stroke.strength)
    part = out[window.within(box)]
    if out.shape[2] == 1:
        part[..., 0] += weight * ((0 if stroke.takes else 1) - part[..., 0])
        return
    shade = part[..., 0] - part[..., 1]
    shade += weight * ((-1 if stroke.takes else 1) - shade)
    part[..., 0], part[..., 1] = np.maximum(shade, 0), np.maximum(-shade, 0)


def _finished(drawn: NDArray[Any], own: PaintedShadow, step: int) -> FloatArray:
    blurred = wide_blur(np.ascontiguousarray(drawn[..., 0]), own.blur_px / step)
    return np.asarray(np.clip(blurred * np.float32(own.strength), 0, 1), np.float32)


def _box(job: Job, strokes: _Strokes, at: int, reach: int, *, with_photo: bool = False) -> Rect:
    """Return the pixels of a level that strokes can touch, and a blur of them; in steps."""
    step = 1 << at
    rows, columns = level_size(job.photo.height, job.photo.width, at)
    boxes = [Rect(*stroke_bounds(stroke.points, stroke.radius_px)) for stroke in strokes]
    if with_photo:
        boxes.append(job.photo.bounds)
    top, left = (min(getattr(box, side) for box in boxes) // step - reach for side in ("top", "left"))
    bottom, right = (-(-max(getattr(box, side) for box in boxes) // step) + reach for side in ("bottom", "right"))
    room = round(_MOST_ROOM * max(rows, columns))
    grid = _BOX_STEP
    rect = Rect(top // grid * grid, left // grid * grid, -(-bottom // grid) * grid, -(-right // grid) * grid)
    return rect.intersection(Rect(-room, -room, rows + room, columns + room))
