"""Edits for snags: what mends are made of, what was done about a snag, and which are settled."""

from collections.abc import Callable
from typing import Final

import cv2
import numpy as np

from peel.job.edits.edge_values import COLOUR, FINISH
from peel.job.edits.marking import Zone, mark_region
from peel.job.edits.touching import Touch, touch_region
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import MOST_SETTLED, Inspection, Point, SettledSnag
from peel.matte.arrays import BoolArray
from peel.matte.inspect.snags import Snag
from peel.matte.inspect.sorts import SnagSort

__all__ = [
    "accept",
    "ended",
    "evened",
    "least_sizes",
    "open_again",
    "recoloured",
    "settle",
    "settled_by",
    "touched",
    "unsure",
]

_REACH_PX: Final = 24.0  # by which the place of a snag may shift and it is still the same one
_UNSURE_PX: Final = 14  # around what the band has to be laid over
_EVEN_PX: Final = 14.0
_AREA_PX: Final = 24.0
_HALF: Final = 0.5


def least_sizes(inspection: Inspection) -> dict[SnagSort, float]:
    """Return the size from which each sort that is looked for counts."""
    limits = {sort: inspection.limit(sort) for sort in SnagSort}
    return {sort: limit.least_px for sort, limit in limits.items() if limit.on}


def settled_by(job: Job, snag: Snag) -> SettledSnag | None:
    """Return what was done about a snag, or None; the latest counts."""
    for settled in reversed(job.settings.photo.settled_snags):
        away = np.hypot(settled.at[0] - snag.at[0], settled.at[1] - snag.at[1])
        if settled.sort == snag.sort.id and away <= settled.reach_px:
            return settled
    return None


def accept(job: Job, snag: Snag, reason: str = "") -> Job:
    """Take a snag for right as it is."""
    return settle(job, snag, "accepted", reason)


def open_again(job: Job, snag: Snag) -> Job:
    """Forget what was done about a snag."""
    settled = settled_by(job, snag)
    kept = tuple(other for other in job.settings.photo.settled_snags if other is not settled)
    return set_value(job, "photo.settled_snags", kept)


def settle(job: Job, snag: Snag, how: str, reason: str = "") -> Job:
    """Note what was done about a snag: "mended" or "accepted"."""
    top, left, bottom, right = snag.box
    reach = max(_REACH_PX, float(np.hypot(bottom - top, right - left)) / 2)
    done = SettledSnag.model_validate(
        {"sort": snag.sort.id, "at": snag.at, "reach_px": min(reach, 1e5), "how": how, "reason": reason[:500]}
    )
    return set_value(job, "photo.settled_snags", (*job.settings.photo.settled_snags, done)[-MOST_SETTLED:])


def _spread(job: Job, snag: Snag, by_px: int) -> tuple[BoolArray, Rect]:
    """Return a snag's pixels and those around them, within a window."""
    window = Rect(*snag.box).grown(by_px).intersection(job.photo.bounds)
    mask = np.zeros((window.height, window.width), np.uint8)
    top, left, bottom, right = snag.box
    mask[top - window.top : bottom - window.top, left - window.left : right - window.left] = snag.mask()
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * by_px + 1, 2 * by_px + 1))
    return cv2.dilate(mask, disc) > 0, window


def touched(sort: Touch, rim_px: int) -> Callable[[Job, Snag], Job]:
    """Return the mend that touches a snag up, with so many pixels around it."""
    return lambda job, snag: touch_region(job, *_spread(job, snag, rim_px), sort)


def unsure(job: Job, snag: Snag) -> Job:
    """Mend a snag by laying the unsure band over it: it is solved again."""
    region, window = _spread(job, snag, _UNSURE_PX)
    return mark_region(job, region, Zone.UNSURE, window)


def evened(job: Job, snag: Snag) -> Job:
    """Mend a snag by an edge profile of its own, evened."""
    drawn = FINISH.add_area(job, _corners(job, snag), even_px=_EVEN_PX)
    return FINISH.fade_area(drawn, len(FINISH.areas_of(drawn)) - 1, _AREA_PX / 2)


def ended(job: Job, snag: Snag) -> Job:
    """Mend what is a little off over whole neighbourhoods, where it was seen: clear outside, and solid inside."""
    region, window = _spread(job, snag, 0)
    inside = job.alpha(window) > _HALF
    cleared = touch_region(job, region & ~inside, window, Touch.CLEAR)
    return touch_region(cleared, region & inside, window, Touch.SOLID)


def recoloured(**amounts: float) -> Callable[[Job, Snag], Job]:
    """Return the mend that gives the place colours of its own."""

    def made(job: Job, snag: Snag) -> Job:
        return COLOUR.add_area(job, _corners(job, snag), **amounts)

    return made


def _corners(job: Job, snag: Snag) -> tuple[Point, ...]:
    """Return an outline around a snag, with some room."""
    top, left, bottom, right = Rect(*snag.box).grown(int(_AREA_PX)).intersection(job.photo.bounds).as_tuple
    corners = ((left, top), (right, top), (right, bottom), (left, bottom))
    return tuple((float(x), float(y)) for x, y in corners)
