"""Shadows under the cutouts of a sheet: kept from the photo, cast, and where the subject touches the ground."""

import threading
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from functools import partial
from typing import Any, Final, Protocol
from weakref import WeakKeyDictionary

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.job.job import Job
from peel.job.placing.sheet import Placement, Sheet, subject_box
from peel.job.question import counted_frame
from peel.job.rect import Rect
from peel.job.settings import Shadow
from peel.job.space import Space, level_size
from peel.matte.arrays import FloatArray
from peel.matte.composite.gradient import dither
from peel.matte.composite.homography import mapped, scaled
from peel.matte.composite.shadow import Cast, Ground, cast_shadow, contact_shadow, kept_shadow
from peel.matte.composite.warping import warped
from peel.work.framing.frames import frame_of
from peel.work.framing.light import frame_colours
from peel.work.stages.cache import Cache
from peel.work.stages.pictures import Pictures
from peel.work.stages.pyramid import Pyramid, shrunk

__all__ = ["Layer", "Shadows", "Subjects"]

_LONGEST: Final = 2048  # pixels of the longest side of a picture that shadows are made in
_PREVIEWED: Final = 1024  # the same while a coarser level is looked at
_ROOM: Final = 1.0  # of a picture's longer side, that a shadow may reach beyond it
_MOST_MOVED: Final = 1024  # pixels of a picture, by which a shadow may be moved beyond that room
_ROOM_STEP: Final = 64  # pixels of the working level
_SOME: Final = 0.02
_HORIZON: Final = 0.05  # of the depth at a picture's middle, short of which nothing is placed


class Subjects(Protocol):
    """Where the subject's matte and the photo come from."""

    pyramid: Pyramid

    def alpha(self, job: Job, rect: Rect, level: int) -> FloatArray:
        """Return the finished matte.

        Returns (h, w) float32 in [0, 1].
        """

    def matte_stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return what the finished matte depends on."""


@dataclass(frozen=True)
class Layer:
    """A plain colour and how opaque it is, (h, w) float32."""

    opacity: FloatArray
    colour: tuple[float, float, float]


@dataclass(frozen=True)
class _Raster:
    """A shadow in pixels of a step, of which the first lies at a place of its picture."""

    values: NDArray[Any]
    left: float
    top: float
    step: int


class Shadows:
    """Makes shadows. Any thread.

    Parameters
    ----------
    subjects : Subjects
    pictures : Pictures
    cache : Cache
    """

    def __init__(self, subjects: Subjects, pictures: Pictures, cache: Cache) -> None:
        self._subjects, self._pictures, self._cache = subjects, pictures, cache
        self._stamps: WeakKeyDictionary[Job, dict[int, Hashable]] = WeakKeyDictionary()
        self._turn = threading.RLock()

    def stamp(self, sheet: Sheet, level: int) -> Hashable:
        """Return all that the shadows of a sheet depend on, beside where its cutouts lie."""
        shadow = sheet.job.settings.recipe.shadow
        if not _is_any(shadow):
            return None
        at = _working_level(sheet.job.photo.height, sheet.job.photo.width, level)
        casting = tuple(placement.casts for placement in sheet.cutouts)
        return shadow, self._subject_stamp(sheet.job, at), casting

    def _subject_stamp(self, job: Job, level: int) -> Hashable:
        """Return what the shadows of a job's own subject depend on; once for each job and level."""
        kept = self._stamps.setdefault(job, {})
        if level not in kept:
            kept[level] = self._made_subject_stamp(job, level)
        return kept[level]

    def _made_subject_stamp(self, job: Job, level: int) -> Hashable:
        whole = job.photo.space.bounds(level)
        brushed = tuple(
            job.planes[name].stamp(job.photo.bounds) if name in job.planes else None
            for name in ("shadow_kept", "shadow_weight")
        )
        frame = counted_frame(job.settings)
        return (
            self._subjects.matte_stamp(job, whole, level),
            brushed,
            job.settings.photo.ground,
            subject_box(job),
            frame,
        )

    def layers(
        self, sheet: Sheet, rect: Rect, level: int, colour: Callable[[str], tuple[float, float, float]]
    ) -> list[Layer]:
        """Return the shadows in a window of a sheet, the lowest first."""
        shadow, out = sheet.job.settings.recipe.shadow, []
        casting = [placement for placement in sheet.cutouts if placement.casts]
        if shadow.kept.on:
            own = [placement for placement in casting if placement.asset is None]
            out.append(Layer(self._darkest(own, self._kept, rect, level), (0.0, 0.0, 0.0)))
        if shadow.cast.on or shadow.contact.on:
            made = partial(self._made, sheet.space)
            out.append(Layer(self._darkest(casting, made, rect, level), colour(shadow.colour)))
        return [Layer(_dithered(layer.opacity, rect), layer.colour) for layer in out]

    def _darkest(
        self, placements: list[Placement], make: Callable[[Placement, int], _Raster | None], rect: Rect, level: int
    ) -> FloatArray:
        """Place shadows; where several meet, the darkest counts."""
        out = np.zeros((rect.height, rect.width), np.float32)
        for placement in placements:
            raster = make(placement, level)
            if raster is not None:
                np.maximum(out, _placed(raster, placement, rect, level), out=out)
        return out

    def _kept(self, placement: Placement, level: int) -> _Raster | None:
        job, at = placement.job, _working_level(*placement.size, level)
        own = job.settings.recipe.shadow.kept

        def make() -> FloatArray:
            whole = job.photo.space.bounds(at)
            photo, alpha = self._subjects.pyramid.colours(whole, at), self._subjects.alpha(job, whole, at)
            frame = frame_of(job)
            is_set = frame is not None and frame.kind == "empty"
            unlit = frame_colours(frame, job, whole, at, beyond=photo) if frame is not None and is_set else None
            dark = kept_shadow(photo, alpha, lift=own.lift, backdrop=unlit)
            if own.within == "brushed":
                dark = dark * shrunk(job.shadow_kept.read().astype(np.float32), at) / np.float32(255)
            return np.asarray(np.clip(dark * np.float32(own.amount) * _brushed(job, at), 0, 1), np.float32)

        key = ("kept shadow", own, self._subject_stamp(job, at), at)
        return _Raster(self._kept_once(key, make), 0, 0, 1 << at)

    def _made(self, space: Space, placement: Placement, level: int) -> _Raster | None:
        at = _working_level(*placement.size, level)
        shadow, job, step = placement.job.settings.recipe.shadow, placement.job, 1 << at
        source = self._subject_stamp(job, at) if placement.asset is None else placement.asset.digest
        scale = 1.0 if placement.asset is None else _scale_of(placement)
        key = (shadow, source, at, scale)
        room = self._cache.get(("shadow's room", key), lambda: self._room(placement, at, scale))
        if not room.size:
            return None
        around = _within(room, placement, space, at, scale * step)

        def make() -> FloatArray:
            alpha = self._shape(placement, at)
            ground = _ground(job, placement, alpha, step)
            assert ground is not None
            return _make(shadow, job, placement, np.pad(alpha, around), ground, (around, scale, at))

        made = self._kept_once(("made shadow", key, around), make)
        return _Raster(made, -around[1][0] * step, -around[0][0] * step, step)

    def _shape(self, placement: Placement, at: int) -> FloatArray:
        """Return the alpha of all of a cutout's picture at a level."""
        whole = Rect(0, 0, *level_size(*placement.size, at))
        if placement.asset is None:
            return self._subjects.alpha(placement.job, whole, at)
        return self._pictures.premultiplied(placement.asset, whole.as_tuple, at)[..., 3]

    def _room(self, placement: Placement, at: int, scale: float) -> NDArray[Any]:
        """Return how many pixels a shadow needs around its picture, as (2, 2) integers; nothing if there is none."""
        alpha = self._shape(placement, at)
        ground = _ground(placement.job, placement, alpha, 1 << at)
        if ground is None:
            return np.zeros((0, 0), np.int64)
        return np.array(_room(alpha, ground, placement.job.settings.recipe.shadow, scale * (1 << at)), np.int64)

    def _kept_once(self, key: Hashable, make: Callable[[], FloatArray]) -> NDArray[Any]:
        """Make a shadow in one thread while others that want it wait: it takes longer than a piece of a sheet."""
        with self._turn:
            return self._cache.get(key, make)


_Room = tuple[tuple[int, int], tuple[int, int]]


def _make(
    shadow: Shadow, job: Job, placement: Placement, alpha: FloatArray, ground: Ground, how: tuple[_Room, float, int]
) -> FloatArray:
    """Make the cast and the contact shadow of a cutout, with room around it."""
    room, scale, at = how
    pixel = scale * (1 << at)
    ground = Ground((ground.at[0] + room[1][0], ground.at[1] + room[0][0]), ground.along)
    out = np.zeros(alpha.shape, np.float32)
    if shadow.cast.on:
        cast = Cast(_lean(shadow), shadow.cast.soft_px / pixel, shadow.cast.fade)
        fallen = np.float32(shadow.cast.strength) * cast_shadow(alpha, ground, cast)
        move = np.array([[1.0, 0.0, shadow.cast.move[0] / pixel], [0.0, 1.0, shadow.cast.move[1] / pixel]])
        if any(shadow.cast.move):
            fallen = cv2.warpAffine(fallen, move, fallen.shape[::-1], flags=cv2.INTER_LINEAR)
        out = np.maximum(out, fallen)
    if shadow.contact.on:
        close = contact_shadow(alpha, ground, max(shadow.contact.size_px / pixel, 0.5))
        out = np.maximum(out, np.float32(shadow.contact.strength) * close)
    if placement.asset is None:
        out *= np.pad(_brushed(job, at), room, constant_values=1.0)
    return np.asarray(np.clip(out, 0, 1), np.float32)


def _lean(shadow: Shadow) -> tuple[float, float]:
    towards, length = np.deg2rad(shadow.cast.towards_deg), 1 / np.tan(np.deg2rad(shadow.cast.light_deg))
    return float(np.cos(towards) * length), float(np.sin(towards) * length)


def _is_any(shadow: Shadow) -> bool:
    return shadow.kept.on or shadow.cast.on or shadow.contact.on


def _working_level(height: int, width: int, level: int) -> int:
    """Return the level that shadows are made at, to be seen at another one."""
    longest = _LONGEST if level == 0 else _PREVIEWED
    while max(level_size(height, width, level)) > longest:
        level += 1
    return level


def _scale_of(placement: Placement) -> float:
    """Return how many pixels of the sheet one of a cutout's picture takes, about."""
    corners = np.array(placement.corners)
    return max(float(np.hypot(*(corners[2] - corners[0]))) / float(np.hypot(*placement.size)), 1e-3)


def _brushed(job: Job, level: int) -> FloatArray:
    """Return how much stronger or weaker shadows were brushed, from 0 to 2."""
    if "shadow_weight" not in job.planes:
        return np.ones(level_size(job.photo.height, job.photo.width, level), np.float32)
    weight = shrunk(job.shadow_weight.read().astype(np.float32), level)
    return np.asarray(np.where(weight < 128, weight / 128, 1 + (weight - 128) / 127), np.float32)


def _ground(job: Job, placement: Placement, alpha: FloatArray, step: int) -> Ground | None:
    """Return the line that a cutout stands on, in pixels of its small picture; None where there is nothing of it."""
    line = job.settings.photo.ground
    if placement.asset is None and line is not None:
        (x0, y0), (x1, y1) = line
        along = (x1 - x0, y1 - y0) if (x0, y0) != (x1, y1) else (1.0, 0.0)
        return Ground((x0 / step, y0 / step), along)
    if placement.asset is None:
        top, left, bottom, right = (side / step for side in subject_box(job))
    else:
        rows, columns = np.nonzero(alpha > _SOME)
        if not len(rows):
            return None
        top, left, bottom, right = rows[0], columns.min(), rows[-1] + 1, columns.max() + 1
    return Ground(((left + right) / 2, bottom - 0.01 * (bottom - top)))


def _room(alpha: FloatArray, ground: Ground, shadow: Shadow, pixel: float) -> _Room:
    """Return how many pixels a picture needs around it for its shadow: before and after, down and across."""
    height, width = alpha.shape
    moved = min(max(map(abs, shadow.cast.move)) / pixel, _MOST_MOVED)
    most = round(_ROOM * max(height, width) + moved)
    blur = _blur_px(shadow, pixel)
    tallest = float(np.max(ground.heights(alpha.shape)))
    lean, move = _lean(shadow), shadow.cast.move
    reach = [lean[k] * tallest + move[k] / pixel for k in range(2)] if shadow.cast.on else [0.0, 0.0]
    across = (max(-reach[0], 0) + blur, max(reach[0], 0) + blur)
    # a shadow that falls downward starts at the ground, one that falls upward stays above the picture's bottom
    below = ground.at[1] + max(reach[1], 0) + blur - height
    down = (max(-reach[1] - ground.at[1], 0) + blur, max(below, blur))
    rows, columns = ((min(int(np.ceil(part)), most) for part in parts) for parts in (down, across))
    first_row, last_row = rows
    first_column, last_column = columns
    return (first_row, last_row), (first_column, last_column)


def _blur_px(shadow: Shadow, pixel: float) -> float:
    """Return how far a shadow's blurs reach."""
    return 4 * (shadow.cast.soft_px if shadow.cast.on else 0) / pixel + 4 * shadow.contact.size_px / pixel + 4


def _within(room: NDArray[Any], placement: Placement, space: Space, at: int, pixel: float) -> _Room:
    """Take off the room that lies beyond the sheet; in steps, so that it seldom changes while a cutout is dragged."""
    kept = room
    if not np.any(np.abs(placement.matrix[2, :2]) > 1e-9):  # in perspective the sheet has no such place
        sheet = [(0, 0), (space.width, 0), (space.width, space.height), (0, space.height)]
        seen = mapped(np.linalg.inv(placement.matrix), sheet)[:, ::-1] / (1 << at)
        beyond = np.stack([-seen.min(axis=0), seen.max(axis=0) - level_size(*placement.size, at)], axis=1)
        shadow = placement.job.settings.recipe.shadow
        more = _blur_px(shadow, pixel) + max(map(abs, shadow.cast.move)) / pixel
        limit = np.ceil((np.maximum(beyond, 0) + more) / _ROOM_STEP) * _ROOM_STEP
        kept = np.minimum(room, limit.astype(np.int64))
    (top, bottom), (left, right) = kept.tolist()
    return (top, bottom), (left, right)


def _placed(raster: _Raster, placement: Placement, rect: Rect, level: int) -> FloatArray:
    """Place a shadow on the sheet by the place of what casts it."""
    step, values = raster.step, raster.values
    to_picture = np.array([[step, 0.0, raster.left], [0.0, step, raster.top], [0.0, 0.0, 1.0]])
    matrix = scaled(placement.matrix, 1 / (1 << level)) @ to_picture
    height, width = values.shape
    depths = [matrix[2] @ (x, y, 1.0) for x in (0, width) for y in (0, height)]
    middle = placement.matrix[2] @ (placement.size[1] / 2, placement.size[0] / 2, 1.0)
    if min(depths) < _HORIZON * middle:  # in perspective its room reaches beyond the horizon
        top, left = round(-raster.top / step), round(-raster.left / step)
        rows, columns = level_size(*placement.size, int(step).bit_length() - 1)
        values = values[top : top + rows, left : left + columns]
        matrix = scaled(placement.matrix, 1 / (1 << level)) @ np.diag([step, step, 1.0])

    def read(window: tuple[int, int, int, int], at: int) -> FloatArray:
        first, before, last, after = window
        return np.asarray(shrunk(values, at)[first:last, before:after, None], np.float32)

    return warped(read, values.shape, matrix, rect.as_tuple)[..., 0]


def _dithered(opacity: FloatArray, rect: Rect) -> FloatArray:
    """Add less than a step of 8 bits where a shadow is, so that no bands are seen in it."""
    noise = dither(rect.as_tuple)
    return np.asarray(np.where(opacity > 0, np.clip(opacity + noise, 0, 1), 0), np.float32)
