"""Where corrections count that are not meant for every edge: along kinds of edge, and in drawn areas; both fade."""

from collections.abc import Callable, Sequence
from typing import Final

import cv2
import numpy as np

from peel.job.edits.kinds import kinds_in
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import Finish
from peel.job.settings.edges import EdgeArea, own_of
from peel.matte.arrays import FloatArray
from peel.matte.edge.kind import Kind
from peel.matte.marking.coverage import coverage

__all__ = ["KIND_REACH", "area_share", "every_finish", "kind_shares", "with_finishes"]

_FADE_PX: Final = 12  # photo pixels over which kinds of edge with corrections of their own fade

KIND_REACH: Final = 3 * (_FADE_PX + 1)
"""Pixels around a window in which kinds count for it."""


def kind_shares(job: Job, rect: Rect, level: int, names: Sequence[str]) -> list[FloatArray]:
    """Return how much each of some kinds of edge counts at each pixel of a window of a level; at most 1 in all.

    Each is (h, w) float32.
    """
    step, scale = 1 << level, 1 / (1 << level)
    kinds = np.ascontiguousarray(kinds_in(job, job.photo.space.covered(rect, level))[::step, ::step])
    side = 2 * max(1, round(_FADE_PX * scale)) + 1
    square = np.ones((side, side), np.uint8)
    masks = [cv2.dilate((kinds == Kind.of(name)).astype(np.float32), square) for name in names]
    shares = [cv2.blur(cv2.blur(mask, (side, side)), (side, side)) for mask in masks]
    total = np.maximum(np.sum(shares, axis=0), 1)  # where kinds meet, none counts twice
    return [np.asarray(share / total, np.float32) for share in shares]


def every_finish(job: Job) -> list[Finish]:
    """Return the finish of edges that have none of their own, then those of kinds and of areas that have one."""
    finishes = job.settings.recipe.finish
    areas = (area.finish for area in job.settings.photo.finish_areas)
    return [finishes.overall, *own_of(finishes).values(), *areas]


def with_finishes(job: Job, rect: Rect, level: int, apply: Callable[[Finish], FloatArray]) -> FloatArray:
    """Apply the overall finish to a window of a level, along kinds and in areas with one of their own that; all fade.

    `apply` returns the window, (h, w) float32, as one finish makes it. Within `KIND_REACH` of the window's border
    kinds may count for less than they do.
    """
    finishes = job.settings.recipe.finish
    out = everywhere = apply(finishes.overall)
    own = own_of(finishes)
    if own:
        for share, finish in zip(kind_shares(job, rect, level, list(own)), own.values(), strict=True):
            out = out + share * (apply(finish) - everywhere)
    for area in job.settings.photo.finish_areas:
        share = area_share(area, rect, 1 / (1 << level))
        if share.any():
            out = out + share * (apply(area.finish) - out)
    return np.asarray(np.clip(out, 0, 1), np.float32)


def area_share(area: EdgeArea, rect: Rect, scale: float) -> FloatArray:
    """Return how much a drawn area counts at each pixel of a window of a level.

    Returns (h, w) float32 in [0, 1].
    """
    points = np.asarray(area.outline) * scale
    reach = int(np.ceil(area.fade_px * scale)) + 1
    wide = rect.grown(reach)
    inside = coverage([points], wide.as_tuple).astype(np.float32) / np.float32(255)
    if not inside.any():
        return np.zeros((rect.height, rect.width), np.float32)
    side = 2 * reach - 1
    faded = cv2.blur(inside, (side, side)) if reach > 1 else inside
    return np.asarray(np.clip(2 * faded, 0, 1)[rect.within(wide)], np.float32)
