"""On what a job will be looked at, and how far its snags show there."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from peel.errors import UsageError
from peel.job.job import Job
from peel.job.placing.sheet import Sheet, sheet_of
from peel.job.rect import Rect
from peel.job.settings import rgb_from_hex
from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.composite.over import composite_over
from peel.matte.inspect.faults import Find
from peel.matte.inspect.snags import Severity, Snag
from peel.matte.inspect.sorts import SnagSort
from peel.matte.inspect.visible import LEAST_AREA_PX, Shown, difference_made
from peel.matte.pixels import to_bytes
from peel.work.delivering.order import job_for, named_presets, size_of_file
from peel.work.inspecting.reading import level_of
from peel.work.stages import Stages

__all__ = ["ANY", "SnagLook", "looks_at", "looks_of", "ranked", "snag_picture"]

ANY: Final = {"white": "#ffffff", "black": "#000000", "a loud colour": "#ff00c8"}
"""Stand for an order, by their names."""

_MOST_FINDS: Final = 8  # of a snag, that are looked at; the others count as they do
_MOST_PX: Final = 400  # side of the window that is looked at
_MARGIN: Final = 3
_GRAVE: Final = 3000.0  # CIEDE2000 summed over delivered pixels


@dataclass(frozen=True, eq=False)
class SnagLook:
    """A backing on which a job is looked at, and the size at which it is.

    Attributes
    ----------
    name : str
    scale : float
        Delivered pixels for each of the photo, along a side.
    colour : str or None
        ``#rrggbb``; None where the sheet says what lies behind.
    sheet : Sheet or None
    """

    name: str
    scale: float
    colour: str | None = None
    sheet: Sheet | None = None


def looks_of(job: Job) -> list[SnagLook]:
    """Return what is ordered: each backing at its size; white, black and a loud colour as photographed without one."""
    looks: dict[str, SnagLook] = {}
    try:
        ordered = named_presets(job)
    except UsageError:  # said where it is to be delivered
        ordered = []
    for preset in ordered:
        own = job_for(job, preset)
        scale = size_of_file(job, preset)[0] / max(own.photo.height, 1)
        if preset.is_framed:
            scale = size_of_file(job, preset)[0] / max(sheet_of(own).space.height, 1)
        if preset.product == "flat" and own.settings.recipe.backing.kind != "nothing":
            looks[preset.name] = SnagLook(preset.name, scale, sheet=sheet_of(own))
        elif preset.product in {"cutout", "flat"}:
            looks.update({f"{preset.name}, on {name}": SnagLook(f"{preset.name}, on {name}", scale, colour)
                          for name, colour in ANY.items()})  # fmt: skip
    return list(looks.values()) or looks_at()


def looks_at(colours: Mapping[str, str] = ANY, scale: float = 1.0) -> list[SnagLook]:
    """Return looks on plain colours, by their names, with so many delivered pixels for each of the photo, a side."""
    return [SnagLook(name, scale, colour) for name, colour in colours.items()]


def ranked(stages: Stages, job: Job, snags: Sequence[Snag], looks: Sequence[SnagLook] | None = None) -> list[Snag]:
    """Say of each snag where it shows, and order them by how much: what shows nowhere comes last.

    Parameters
    ----------
    stages : Stages
    job : Job
    snags : sequence of Snag
    looks : sequence of SnagLook, optional
        As ordered unless given.
    """
    known = looks or looks_of(job)
    seen = [_with_shown(stages, job, snag, known) for snag in snags]
    return sorted(seen, key=lambda snag: (-snag.severity.rank, -snag.shown.weight))


def snag_picture(
    stages: Stages, job: Job, snag: Snag, side_px: int, looks: Sequence[SnagLook] | None = None
) -> ByteArray:
    """Draw a snag and what is around it on the backing where it shows best.

    Returns
    -------
    (h, w, 3) uint8 ndarray
        A square, but for the photo's border, of at least `side_px` photo pixels, shrunk to no more than twice that.
    """
    known = {look.name: look for look in looks or looks_of(job)}
    look = known.get(snag.shown.on[0]) if snag.shown.on else None
    look = look or next(iter(known.values()))
    box = Rect(*snag.finds[0].box)
    longest = max(box.height, box.width)
    side, level = max(side_px, longest * 3 // 2), 0
    while side >> level > 2 * side_px:
        level += 1
    rows, columns = ((side - part) // 2 for part in (box.height, box.width))
    step = 1 << level
    wide = Rect(box.top - rows, box.left - columns, box.bottom + rows, box.right + columns)
    rect = Rect(*(part // step for part in wide.as_tuple)).intersection(job.photo.space.bounds(level))
    colours, alpha = stages.foreground(job, rect, level), stages.alpha(job, rect, level)
    behind = _behind(stages, look, rect, level)
    return to_bytes(composite_over(colours, behind, alpha, linear=job.settings.photo.is_linear))


def _with_shown(stages: Stages, job: Job, snag: Snag, looks: Sequence[SnagLook]) -> Snag:
    if snag.sort is SnagSort.FRAME:
        return snag
    largest = snag.finds[:_MOST_FINDS]
    more = snag.size / max(sum(find.size for find in largest), 1e-6)
    sums = more * np.sum([_seen(stages, job, find, looks) for find in largest], axis=0)
    told = sorted(zip(sums.tolist(), looks, strict=True), key=lambda each: -each[0][1])
    (area, weight), best = told[0]
    top, left, bottom, right = largest[0].box
    across = float(np.hypot(bottom - top, right - left)) * best.scale
    on = tuple(look.name for (area_px, _), look in told if area_px >= LEAST_AREA_PX)
    severity = Severity.SLIGHT if not on else Severity.GRAVE if weight >= _GRAVE else Severity.PLAIN
    return replace(snag, severity=severity, shown=Shown(on, area, weight, across))


def _seen(stages: Stages, job: Job, find: Find, looks: Sequence[SnagLook]) -> NDArray[np.float64]:
    """Return how many delivered pixels differ visibly by a fault, and by how much in all, on each look: (looks, 2)."""
    level, box = level_of(job.photo.space), Rect(*find.box)
    while max(box.height, box.width) >> level > _MOST_PX:
        level += 1
    step = 1 << level
    small = Rect(box.top // step, box.left // step, -(-box.bottom // step), -(-box.right // step))
    rect = job.photo.space.around(small, level, _MARGIN)
    colours, alpha = stages.foreground(job, rect, level), stages.alpha(job, rect, level)
    change = find.change_in(rect.top, rect.left, rect.height, rect.width, step)
    linear = job.settings.photo.is_linear
    pairs = []
    for look in looks:
        behind = _behind(stages, look, rect, level)
        pairs.append(difference_made(find.sort, colours, alpha, change, behind, look.scale * step, linear=linear))
    return np.array(pairs, np.float64)


def _behind(stages: Stages, look: SnagLook, rect: Rect, level: int) -> FloatArray:
    if look.sheet is None:
        colour = np.array(rgb_from_hex(look.colour or "#ffffff"), np.float32)
        return np.broadcast_to(colour, (rect.height, rect.width, 3)).astype(np.float32)
    under = rect.moved(round(look.sheet.top / (1 << level)), round(look.sheet.left / (1 << level)))
    return stages.sheets.ground(
        look.sheet, under, level, lambda part: np.ones((part.height, part.width, 3), np.float32)
    )
