"""Shadows under the cutouts of a sheet: kept from the photo, cast, where the subject touches the ground, painted."""

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
from peel.job.placing.standing import direction_of, ground_line, middle_of, wall_of
from peel.job.question import counted_frame
from peel.job.rect import Rect
from peel.job.settings import Shadow
from peel.job.space import Space, level_size
from peel.matte.arrays import FloatArray
from peel.matte.composite.gradient import dither
from peel.matte.composite.homography import mapped
from peel.matte.composite.shadow import Cast, Ground, cast_shadow, contact_shadow, kept_shadow
from peel.work.framing.frames import frame_of
from peel.work.framing.light import frame_colours
from peel.work.stages.brushed_shadows import BrushedShadows
from peel.work.stages.cache import Cache
from peel.work.stages.pictures import Pictures
from peel.work.stages.pyramid import Pyramid, shrunk
from peel.work.stages.shadow_rasters import Raster, placed_raster, working_level

__all__ = ["Layer", "Shadows", "Subjects"]

_ROOM: Final = 1.0  # of a picture's longer side, that a shadow may reach beyond it
_MOST_MOVED: Final = 1024  # pixels of a picture, by which a shadow may be moved beyond that room
_ROOM_STEP: Final = 64  # pixels of the working level
_BEYOND: Final = 0.12  # of the photo's longer side, over which its own shadow fades out beyond its border
_SOME: Final = 0.02


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
        self._brushed = BrushedShadows(cache)

    def stamp(self, sheet: Sheet, level: int) -> Hashable:
        """Return all that the shadows of a sheet depend on, beside where its cutouts lie."""
        shadow = sheet.job.settings.recipe.shadow
        if not shadow.is_any:
            return None
        at = working_level(sheet.job.photo.height, sheet.job.photo.width, level)
        casting = tuple(placement.casts for placement in sheet.cutouts)
        places = sheet.job.settings.photo.wall_px, _anchor(sheet).tobytes()
        return shadow, self._subject_stamp(sheet.job, at), casting, self._brushed.stamp(sheet.job), places

    def _subject_stamp(self, job: Job, level: int) -> Hashable:
        """Return what the shadows of a job's own subject depend on; once for each job and level."""
        known = self._stamps.setdefault(job, {})
        if level not in known:
            known[level] = self._made_subject_stamp(job, level)
        return known[level]

    def _made_subject_stamp(self, job: Job, level: int) -> Hashable:
        whole = job.photo.space.bounds(level)
        kept = job.planes.get("shadow_kept")
        frame = counted_frame(job.settings)
        return (
            self._subjects.matte_stamp(job, whole, level),
            None if kept is None else kept.stamp(job.photo.bounds),
            job.settings.photo.ground,
            job.settings.photo.wall_px,
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
        if shadow.is_cast or shadow.painted.on:
            made = partial(self._made, sheet.space)
            dark = self._darkest(casting if shadow.is_cast else [], made, rect, level)
            painted = self._laid(self._brushed.painted(sheet.job, level), sheet, rect, level)
            dark = dark if painted is None else np.maximum(dark, painted[..., 0])
            out.append(Layer(dark, colour(shadow.colour)))
        shading = self._laid(self._brushed.shading(sheet.job, level), sheet, rect, level)
        return [Layer(_dithered(_shaded(layer.opacity, shading), rect), layer.colour) for layer in out]

    def _laid(self, raster: Raster | None, sheet: Sheet, rect: Rect, level: int) -> NDArray[Any] | None:
        """Lay what was brushed where the subject stands; it goes with it."""
        if raster is None:
            return None
        size = sheet.job.photo.height, sheet.job.photo.width
        return placed_raster(raster, size, _anchor(sheet), rect, level)

    def _darkest(
        self, placements: list[Placement], make: Callable[[Placement, int], Raster | None], rect: Rect, level: int
    ) -> FloatArray:
        """Place shadows; where several meet, the darkest counts."""
        out = np.zeros((rect.height, rect.width), np.float32)
        for placement in placements:
            raster = make(placement, level)
            if raster is not None:
                laid = placed_raster(raster, placement.size, placement.matrix, rect, level)
                np.maximum(out, laid[..., 0], out=out)
        return out

    def _kept(self, placement: Placement, level: int) -> Raster | None:
        job, at = placement.job, working_level(*placement.size, level)
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
            return _beyond(np.asarray(np.clip(dark * np.float32(own.amount), 0, 1), np.float32), room)

        key = ("kept shadow", own, self._subject_stamp(job, at), at)
        room, step = round(_BEYOND * max(level_size(*placement.size, at))), 1 << at
        return Raster(self._kept_once(key, make), -room * step, -room * step, step)

    def _made(self, space: Space, placement: Placement, level: int) -> Raster | None:
        at = working_level(*placement.size, level)
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
        return Raster(made, -around[1][0] * step, -around[0][0] * step, step)

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
        own, wall = shadow.cast, wall_of(job) / pixel if shadow.cast.on_wall else None
        cast = Cast(_lean(shadow), own.soft_px / pixel, own.foot * own.soft_px / pixel, own.fade, wall)
        fallen = np.float32(shadow.cast.strength) * cast_shadow(alpha, ground, cast)
        move = np.array([[1.0, 0.0, shadow.cast.move[0] / pixel], [0.0, 1.0, shadow.cast.move[1] / pixel]])
        if any(shadow.cast.move):
            fallen = cv2.warpAffine(fallen, move, fallen.shape[::-1], flags=cv2.INTER_LINEAR)
        out = np.maximum(out, fallen)
    if shadow.contact.on:
        close = contact_shadow(alpha, ground, max(shadow.contact.size_px / pixel, 0.5))
        out = np.maximum(out, np.float32(shadow.contact.strength) * close)
    return np.asarray(np.clip(out, 0, 1), np.float32)


def _beyond(dark: FloatArray, room: int) -> FloatArray:
    """Let a shadow that reaches the photo's border fade out beyond it."""
    padded = np.pad(dark, room, mode="edge")
    fading = []
    for size in dark.shape:
        place = np.arange(size + 2 * room)
        away = np.maximum(np.maximum(room - place, place - room - size + 1), 0)
        share = 1 - away / max(room, 1)
        fading.append(share * share * (3 - 2 * share))
    return np.asarray(padded * np.minimum(fading[0][:, None], fading[1][None, :]), np.float32)


def _shaded(opacity: FloatArray, shading: NDArray[Any] | None) -> FloatArray:
    """Make shadows up to twice as dark where they were brushed stronger, and weaker down to none."""
    if shading is None:
        return opacity
    return np.asarray(np.clip(opacity * (1 + shading[..., 0] - shading[..., 1]), 0, 1), np.float32)


def _anchor(sheet: Sheet) -> NDArray[Any]:
    """Return the place of what was brushed: that of the lowest cutout of the subject, else the photo's own."""
    for placement in sheet.cutouts:
        if placement.asset is None:
            return placement.matrix
    return np.array([[1.0, 0.0, sheet.left], [0.0, 1.0, sheet.top], [0.0, 0.0, 1.0]])


def _lean(shadow: Shadow) -> tuple[float, float]:
    towards, length = np.deg2rad(shadow.cast.towards_deg), 1 / np.tan(np.deg2rad(shadow.cast.light_deg))
    return float(np.cos(towards) * length), float(np.sin(towards) * length)


def _scale_of(placement: Placement) -> float:
    """Return how many pixels of the sheet one of a cutout's picture takes, about."""
    corners = np.array(placement.corners)
    return max(float(np.hypot(*(corners[2] - corners[0]))) / float(np.hypot(*placement.size)), 1e-3)


def _ground(job: Job, placement: Placement, alpha: FloatArray, step: int) -> Ground | None:
    """Return the line that a cutout stands on, in pixels of its small picture; None where there is nothing of it."""
    if placement.asset is None:
        line = ground_line(job)
        x, y = middle_of(line)
        return Ground((x / step, y / step), direction_of(line))
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
    tips = [np.array(lean) * tallest, ground.up * tallest] if shadow.cast.on_wall else [np.array(lean) * tallest]
    moved_by = np.array(move) / pixel
    reach = np.array([tip + moved_by for tip in tips] if shadow.cast.on else [(0.0, 0.0)])
    (left, least), (right, most_down) = reach.min(axis=0), reach.max(axis=0)
    across = (max(-left, 0) + blur, max(right, 0) + blur)
    # a shadow that falls downward starts at the ground, one that falls upward stays above the picture's bottom
    below = ground.at[1] + max(most_down, 0) + blur - height
    down = (max(-least - ground.at[1], 0) + blur, max(below, blur))
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


def _dithered(opacity: FloatArray, rect: Rect) -> FloatArray:
    """Add less than a step of 8 bits where a shadow is, so that no bands are seen in it."""
    noise = dither(rect.as_tuple)
    return np.asarray(np.where(opacity > 0, np.clip(opacity + noise, 0, 1), 0), np.float32)
