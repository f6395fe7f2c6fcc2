"""Edits for snags: mended by one key, accepted for a reason, and which of them are settled."""

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
from peel.job.settings import MOST_SETTLED, Inspection, Point, SettledSnag, SnagName
from peel.matte.arrays import BoolArray
from peel.matte.inspect.faults import SnagSort
from peel.matte.inspect.snags import Snag

__all__ = ["accept", "is_seen_at_once", "least_sizes", "mend", "mends", "name_of", "open_again", "settled_by"]

_REACH_PX: Final = 24.0  # by which the place of a snag may shift and it is still the same one
_RIM_PX: Final = 2  # around small faults, made solid or clear with them
_UNSURE_PX: Final = 14  # around what the band has to be laid over
_EVEN_PX: Final = 14.0
_AREA_PX: Final = 24.0


def name_of(sort: SnagSort) -> SnagName:
    """Return the name of a sort in settings and reports.

    >>> name_of(SnagSort.SEE_THROUGH)
    'see_through'
    """
    return sort.name.lower()  # type: ignore[return-value]


def least_sizes(inspection: Inspection) -> dict[SnagSort, float]:
    """Return the size from which each sort that is looked for counts."""
    limits = {sort: getattr(inspection, name_of(sort)) for sort in SnagSort}
    return {sort: limit.least_px for sort, limit in limits.items() if limit.on}


def settled_by(job: Job, snag: Snag) -> SettledSnag | None:
    """Return what was done about a snag, or None; the latest counts."""
    for settled in reversed(job.settings.photo.settled_snags):
        away = np.hypot(settled.at[0] - snag.at[0], settled.at[1] - snag.at[1])
        if settled.sort == name_of(snag.sort) and away <= settled.reach_px:
            return settled
    return None


def accept(job: Job, snag: Snag, reason: str = "") -> Job:
    """Take a snag for right as it is."""
    return _settled(job, snag, "accepted", reason)


def open_again(job: Job, snag: Snag) -> Job:
    """Forget what was done about a snag."""
    settled = settled_by(job, snag)
    kept = tuple(other for other in job.settings.photo.settled_snags if other is not settled)
    return set_value(job, "photo.settled_snags", kept)


def _settled(job: Job, snag: Snag, how: str, reason: str = "") -> Job:
    top, left, bottom, right = snag.box
    reach = max(_REACH_PX, float(np.hypot(bottom - top, right - left)) / 2)
    done = SettledSnag.model_validate(
        {"sort": name_of(snag.sort), "at": snag.at, "reach_px": min(reach, 1e5), "how": how, "reason": reason[:500]}
    )
    return set_value(job, "photo.settled_snags", (*job.settings.photo.settled_snags, done)[-MOST_SETTLED:])


def mends(sort: SnagSort) -> str:
    """Say what a mend of one key does to a sort of snag; empty where none is safe."""
    return _MENDS[sort][0] if sort in _MENDS else ""


def is_seen_at_once(sort: SnagSort) -> bool:
    """Return whether what a mend does can be shown before the matte is solved again."""
    return sort in _MENDS and _MENDS[sort][1] is not _unsure


def mend(job: Job, snag: Snag) -> Job:
    """Mend a snag, if there is a safe way; one step of undo."""
    if snag.sort not in _MENDS:
        return job
    return _settled(_MENDS[snag.sort][1](job, snag), snag, "mended")


def _spread(job: Job, snag: Snag, by_px: int) -> tuple[BoolArray, Rect]:
    """Return a snag's pixels and those around them, within a window."""
    window = Rect(*snag.box).grown(by_px).intersection(job.photo.bounds)
    mask = np.zeros((window.height, window.width), np.uint8)
    top, left, bottom, right = snag.box
    mask[top - window.top : bottom - window.top, left - window.left : right - window.left] = snag.mask()
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * by_px + 1, 2 * by_px + 1))
    return cv2.dilate(mask, disc) > 0, window


def _touched(sort: Touch, rim_px: int) -> Callable[[Job, Snag], Job]:
    return lambda job, snag: touch_region(job, *_spread(job, snag, rim_px), sort)


def _unsure(job: Job, snag: Snag) -> Job:
    region, window = _spread(job, snag, _UNSURE_PX)
    return mark_region(job, region, Zone.UNSURE, window)


def _evened(job: Job, snag: Snag) -> Job:
    """Give the stretch an edge profile of its own, evened."""
    drawn = FINISH.add_area(job, _corners(job, snag), even_px=_EVEN_PX)
    return FINISH.fade_area(drawn, len(FINISH.areas_of(drawn)) - 1, _AREA_PX / 2)


def _recoloured(**amounts: float) -> Callable[[Job, Snag], Job]:
    """Give the place colours of its own."""

    def made(job: Job, snag: Snag) -> Job:
        return COLOUR.add_area(job, _corners(job, snag), **amounts)

    return made


def _corners(job: Job, snag: Snag) -> tuple[Point, ...]:
    """Return an outline around a snag, with some room."""
    top, left, bottom, right = Rect(*snag.box).grown(int(_AREA_PX)).intersection(job.photo.bounds).as_tuple
    corners = ((left, top), (right, top), (right, bottom), (left, bottom))
    return tuple((float(x), float(y)) for x, y in corners)


_MENDS: Final[dict[SnagSort, tuple[str, Callable[[Job, Snag], Job]]]] = {
    SnagSort.PINHOLE: ("makes it solid", _touched(Touch.SOLID, _RIM_PX)),
    SnagSort.SPECK: ("clears it", _touched(Touch.CLEAR, _RIM_PX)),
    SnagSort.HAZE: ("clears it", _touched(Touch.CLEAR, 0)),
    SnagSort.SEE_THROUGH: ("makes it solid", _touched(Touch.SOLID, 1)),
    SnagSort.BACKDROP_LEFT: ("lays the unsure band over it and solves it", _unsure),
    SnagSort.STRAND_CUT: ("lays the unsure band over it and solves it", _unsure),
    SnagSort.HARD_CUT: ("lays the unsure band over it and solves it", _unsure),
    SnagSort.STEPPED: ("evens this stretch of edge", _evened),
    SnagSort.FRINGE_LIGHT: ("brings the rim here to the tone further in", _recoloured(rim_light=0.9)),
    SnagSort.FRINGE_DARK: ("brings the rim here to the tone further in", _recoloured(rim_light=0.9)),
    SnagSort.FRINGE_TINTED: ("brings the rim here to the tint further in", _recoloured(rim_tint=0.9)),
    SnagSort.SPILL: ("takes all of the spill out here", _recoloured(spill_edge=1.0, spill_inside=1.0)),
}
