"""How much hair: whole strands of the solved matte left out, the shortest and faintest first, or faint ones raised.

Strands are found in all of the matte at once, since one that is cut by a window's border would count as short.
"""

import threading
from collections.abc import Hashable
from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
import numpy.typing as npt

from peel.job.edits.kinds import kinds_in, kinds_stamp
from peel.job.job import MATTE_ONE, Job
from peel.job.plane import Plane
from peel.job.rect import Rect
from peel.job.settings import Finish
from peel.job.settings.edges import own_of
from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.pixels import to_bytes, unit_floats
from peel.matte.repair.hair import Heights, Numbers, fall_of, hair_of
from peel.matte.solve.line_evidence import line_evidence
from peel.matte.srgb import to_linear
from peel.work.stages.cache import Cache
from peel.work.stages.chain import Before, Stage, assembled, cells_of
from peel.work.stages.pyramid import Pyramid, shrunk
from peel.work.stages.targets import KIND_REACH, every_finish, with_finishes

__all__ = ["FoundHair", "HairFinder", "Haired"]

_CELL: Final = 256
_KEPT: Final = 3  # mattes whose strands are remembered
_EVEN_PX: Final = 2.5
_ABOVE_USUAL: Final = 1.3
_MARGIN: Final = 112  # pixels around a window in which lines are followed
_BOLDEST: Final = 10.0  # by how much a line's own weight is raised where all faint ones are brought out

_Cell = tuple[Heights, Numbers, Numbers | None]


@dataclass(frozen=True, eq=False)
class FoundHair:
    """The strands of one matte.

    Attributes
    ----------
    visible_length, width : (N,) float32 ndarrays
        In pixels; see `peel.matte.repair.hair.Hair`.
    middle : (N, 2) int64 ndarray
        Row and column half way between both ends.
    kind : (N,) uint8 ndarray
        The kind of edge at the end nearer to the subject.
    cells : dict
        Heights, and numbers of strands and of those beneath, of the 256-pixel cells that hold any, by row and column.
    """

    visible_length: FloatArray
    width: FloatArray
    middle: npt.NDArray[np.int64]
    kind: npt.NDArray[np.uint8]
    cells: dict[tuple[int, int], _Cell]

    def left_out(self, rect: Rect, level: int, shortest_px: float) -> FloatArray:
        """Return by how much alpha falls in a window where shorter strands are left out, averaged for a level.

        `rect` is in photo pixels; returns (h, w) float32.
        """
        falls = np.zeros((rect.height, rect.width), np.uint16)
        is_out = self.visible_length < shortest_px
        for part in cells_of(rect, _CELL):
            cell = self.cells.get((part.top // _CELL, part.left // _CELL))
            if cell is not None:
                inside, (heights, numbers, under) = part.intersection(rect), cell
                own = inside.within(part)
                beneath = None if under is None else under[own]
                falls[inside.within(rect)] = fall_of(heights[own], numbers[own], beneath, is_out)
        return unit_floats(shrunk(falls, level))


class HairFinder:
    """Finds the strands of mattes, and remembers those of the latest. Any thread."""

    def __init__(self) -> None:
        self._turn = threading.Lock()
        self._found: list[tuple[Plane, FoundHair]] = []

    def found_in(self, job: Job) -> FoundHair:
        """Return the strands of a job's solved matte; takes seconds for a large one that is not remembered.

        While it is still being solved, those of the matte before it do.
        """
        with self._turn:
            known = next((own for own in self._found if own[0] is job.matte), None)
            if known is None and self._found and not job.is_solved:
                return self._found[0][1]
            known = known or (job.matte, _find(job))
            self._found = [known, *(own for own in self._found if own is not known)][:_KEPT]  # the latest first
            return known[1]


def _find(job: Job) -> FoundHair:
    rect = _half_clear(job)
    alpha = job.matte.read(rect)
    hair = hair_of(alpha)
    corner = np.array([rect.top, rect.left])
    cells: dict[tuple[int, int], _Cell] = {}
    for part in cells_of(rect, _CELL):
        inside = part.intersection(rect)
        if hair.numbers[inside.within(rect)].any():
            heights, numbers, under = (
                _whole(own[inside.within(rect)], inside.within(part))
                for own in (hair.heights, hair.numbers, hair.under)
            )
            cells[part.top // _CELL, part.left // _CELL] = heights, numbers, under if under.any() else None
    middle = (hair.ends.mean(axis=1) + corner).astype(np.int64)
    return FoundHair(hair.visible_length, hair.width, middle, _kinds_of(job, rect, alpha, hair.ends), cells)


def _evened(weight: FloatArray, alpha: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Even weight and alpha of lines out along them, so that no line is dotted; what is on no line stays without."""
    around = cv2.GaussianBlur(weight, (0, 0), _EVEN_PX)
    usual = cv2.GaussianBlur(weight * alpha, (0, 0), _EVEN_PX) / np.maximum(around, 1e-6)
    return np.where(weight > 0, around, 0), np.minimum(alpha, usual * np.float32(_ABOVE_USUAL))


def _whole(values: npt.NDArray[Any], within: tuple[slice, slice]) -> npt.NDArray[Any]:
    """Put values into a cell that is empty otherwise."""
    cell = np.zeros((_CELL, _CELL), values.dtype)
    cell[within] = values
    return cell


def _kinds_of(job: Job, rect: Rect, alpha: Heights, ends: FloatArray) -> npt.NDArray[np.uint8]:
    """Return the kind at the more opaque end of each strand; alpha and ends are those of a rectangle."""
    one, other = (ends[:, k].astype(np.int64) for k in range(2))
    rooted = alpha[one[:, 0], one[:, 1]] >= alpha[other[:, 0], other[:, 1]]
    roots = np.where(rooted[:, None], one, other)
    return np.asarray(kinds_in(job, rect)[roots[:, 0], roots[:, 1]], np.uint8)


def _half_clear(job: Job) -> Rect:
    """Return the smallest rectangle of tiles outside of which the matte is the same within each tile."""
    plane = job.matte
    parts = [plane.tile_rect(number) for number in plane.touching(plane.bounds)]
    found = Rect.around(part for part in parts if plane.constant_in(part) not in (0, MATTE_ONE))
    return Rect(0, 0, 1, 1) if found.is_empty else found


class Haired(Stage):
    """Strands left out or brought out: everywhere, along kinds of edge, in drawn areas.

    Without `leaves_out` none are left out, but faint ones are brought out.
    """

    reach = KIND_REACH

    def __init__(self, pyramid: Pyramid, finder: HairFinder, lines: Cache, *, leaves_out: bool) -> None:
        self._pyramid, self._finder, self._cache, self._leaves_out = pyramid, finder, lines, leaves_out

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return all of the matte, what is wanted of its strands, and what lines are looked for in."""
        finishes, own = every_finish(job), tuple(own_of(job.settings.recipe.finish))
        wanted = tuple((finish.shortest_px * self._leaves_out, finish.faint, finish.strength) for finish in finishes)
        outlines = tuple((area.outline, area.fade_px) for area in job.settings.photo.finish_areas)
        zones = job.zones if any(finish.faint > 0 for finish in finishes) else None
        kinds = kinds_stamp(job, job.photo.space.covered(self._around(job, rect, level), level)) if own else None
        return job.matte, job.is_solved, wanted, own, outlines, zones, kinds

    def is_neutral(self, job: Job) -> bool:
        """Return whether all hair is as it was solved."""
        return not any(
            finish.strength > 0 and (finish.faint > 0 or (self._leaves_out and finish.shortest_px > 0))
            for finish in every_finish(job)
        )

    def passes(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether no hair is in a window."""
        return job.matte.constant_in(job.photo.space.covered(rect, level)) in (0, MATTE_ONE)

    def constant(self, job: Job, rect: Rect, level: int, before: float | None) -> float | None:
        """Return the value before where no hair is."""
        return before if self.passes(job, rect, level) else None

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Leave strands of a window out, or bring them out."""
        around = self._around(job, rect, level)
        alpha = before(around)
        out = with_finishes(job, around, level, lambda finish: self._with(job, around, level, alpha, finish))
        return np.ascontiguousarray(out[rect.within(around)])

    def _around(self, job: Job, rect: Rect, level: int) -> Rect:
        """Return a window and, where kinds fade into one another, what they fade over."""
        by_kind = own_of(job.settings.recipe.finish)
        return job.photo.space.around(rect, level, self.reach) if by_kind else rect

    def _with(self, job: Job, rect: Rect, level: int, alpha: FloatArray, finish: Finish) -> FloatArray:
        """Apply one finish to a window."""
        covered, out = job.photo.space.covered(rect, level), alpha
        if self._leaves_out and finish.strength and finish.shortest_px:
            found = self._finder.found_in(job)
            out = out - np.float32(finish.strength) * found.left_out(covered, level, finish.shortest_px)
        if finish.strength and finish.faint:
            out = out + np.float32(finish.strength) * self._brought_out(job, covered, level, finish.faint)
        return out

    def _brought_out(self, job: Job, rect: Rect, level: int, faint: float) -> FloatArray:
        """Return by how much alpha rises along the lines that the photo shows, the surest first."""
        cells = [part.intersection(job.photo.bounds) for part in cells_of(rect, 2 * _CELL)]
        lines = assembled(rect, cells, lambda part: self._lines(job, part)) / np.float32(255)
        sure = np.clip(lines[..., 0] * np.float32(_BOLDEST * faint), 0, 1) * np.float32(min(1.0, 2 * faint))
        rise = sure * np.maximum(lines[..., 1] - unit_floats(job.matte.read(rect)), 0)
        return np.asarray(shrunk(rise, level), np.float32)

    def _lines(self, job: Job, part: Rect) -> ByteArray:
        """Look for lines of the photo in a cell; (h, w, 2) of their weight and the alpha to which they pull, by 255."""
        is_linear = job.settings.photo.is_linear
        around = part.grown(_MARGIN).intersection(job.photo.bounds)

        def make() -> ByteArray:
            photo, inner = self._pyramid.colours(around, 0), part.within(around)
            weight, alpha = line_evidence(to_linear(photo) if is_linear else photo, job.zones.read(around))
            weight[weight > 1] = 0  # plain backdrop between strands
            return to_bytes(np.ascontiguousarray(np.dstack(_evened(weight, alpha))[inner]))

        if job.matte.constant_in(part) in (0, MATTE_ONE):
            return np.zeros((part.height, part.width, 2), np.uint8)
        return self._cache.get(("lines", job.zones.stamp(around), is_linear, part), make)
