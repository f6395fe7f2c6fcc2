"""Find regions in the photo for the marking tools: at once in a small picture, then exactly in the photo itself."""

import threading
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.errors import MarkError
from peel.files.profiles import to_screen
from peel.job.edits.marking import Zone, all_subject, mark_region, with_trust, without_marks
from peel.job.edits.reshaping import Change, changed_region
from peel.job.job import Job, Photo
from peel.job.marked import sampled_subject
from peel.job.rect import Rect
from peel.job.settings import Point
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.marking.alike import colour_distance, distance_in_lab, lab_of, within
from peel.matte.marking.boundary import traced
from peel.matte.marking.coverage import coverage
from peel.matte.marking.proposal import CANNOT_TELL, Proposal, propose
from peel.matte.marking.regions import drop_islands, fill_holes
from peel.matte.marking.strokes import stroke_mask
from peel.matte.marking.sweep import found_within, sweep
from peel.matte.pixels import bytes_of_words
from peel.work.stages import Pyramid

__all__ = ["GUESS_TRUST", "NOTHING_FOUND", "SWEPT_TRUST", "AlikePick", "Finder", "proposal_words"]

_LOOK_PX: Final = 1_600_000  # pixels of the picture in which regions are shown while the hand moves
_SMALL_PX: Final = 60_000  # pixels of the picture in which a graph is cut while the hand moves
_SAMPLE_PX: Final = 2
_HALF: Final = 128  # of the coverage of a pixel
_SPECK: Final = 0.004  # share of a limit's area below which pieces and holes within it are noise
_GOOD: Final = 0.8  # confidence from which a guess is called good

GUESS_TRUST: Final = 0.35
"""Trust in a guess of Peel's."""

NOTHING_FOUND: Final = "Peel cannot tell a subject from the backdrop here: mark it with Sweep or Contour."
"""What is said of a photo without a guess."""

SWEPT_TRUST: Final = 0.4
"""Trust in a boundary that was found from a stroke."""


@dataclass(frozen=True)
class AlikePick:
    """What counts as alike.

    Attributes
    ----------
    points : tuple of x, y
        Photo points whose colours were picked.
    tolerance : float
        CIE76 distance that still counts as the same.
    connected : bool
        Whether only what hangs together with a picked point counts.
    soft : bool
        Whether colours up to half as far again become unsure.
    """

    points: tuple[Point, ...]
    tolerance: float
    connected: bool = True
    soft: bool = False


class Finder:
    """Finds regions in one photo. Any thread; the small pictures are made when first asked for.

    Parameters
    ----------
    photo : Photo
    pyramid : Pyramid
    """

    def __init__(self, photo: Photo, pyramid: Pyramid) -> None:
        self._photo, self._pyramid = photo, pyramid
        self._turn = threading.RLock()
        self._distances: tuple[tuple[Point, ...], FloatArray] | None = None

    @cached_property
    def look_level(self) -> int:
        """The level of the pyramid in which regions are shown."""
        level = 0
        while (self._photo.height >> level) * (self._photo.width >> level) > _LOOK_PX:
            level += 1
        return level

    @cached_property
    def look(self) -> ByteArray:
        """The photo at that level, (h, w, 3) in sRGB."""
        with self._turn:
            return to_screen(bytes_of_words(self._pyramid.pixels(self.look_level)), self._photo.profile)

    @cached_property
    def look_lab(self) -> FloatArray:
        """The same in CIE Lab.

        (h, w, 3) float32.
        """
        return lab_of(self.look)

    @cached_property
    def small(self) -> ByteArray:
        """The photo in some 60 000 pixels, sRGB.

        (h, w, 3) uint8.
        """
        height, width = self.look.shape[:2]
        scale = min(1.0, float(np.sqrt(_SMALL_PX / (height * width))))
        size = (max(round(width * scale), 3), max(round(height * scale), 3))
        return np.asarray(cv2.resize(self.look, size, interpolation=cv2.INTER_AREA))

    def get_ready(self) -> None:
        """Make the small pictures, so that no press has to wait for them."""
        self.look_lab.shape, self.small.shape  # noqa: B018 - asked for once, they are kept

    # Alike

    def _inside(self, point: Point, level: int) -> tuple[int, int]:
        height, width = self._pyramid.pixels(level).shape[:2]
        row, column = int(point[1] / (1 << level)), int(point[0] / (1 << level))
        return min(max(row, 0), height - 1), min(max(column, 0), width - 1)

    def _samples(self, points: tuple[Point, ...]) -> list[NDArray[np.float32]]:
        samples = []
        for point in points:
            row, column = self._inside(point, self.look_level)
            low, left = max(row - _SAMPLE_PX, 0), max(column - _SAMPLE_PX, 0)
            spot = self.look_lab[low : row + _SAMPLE_PX + 1, left : column + _SAMPLE_PX + 1]
            # the median: a press beside an edge means what most of the spot shows
            samples.append(np.median(spot.reshape(-1, 3), axis=0))
        return samples

    def alike_shown(self, pick: AlikePick) -> BoolArray:
        """Return what is alike in the picture that is shown; quick enough to follow a drag.

        Regions are (h, w) bool, of the picture that is shown.
        """
        with self._turn:
            if self._distances is None or self._distances[0] != pick.points:
                self._distances = (pick.points, distance_in_lab(self.look_lab, self._samples(pick.points)))
            distance = self._distances[1]
        seeds = [self._inside(point, self.look_level) for point in pick.points] if pick.connected else []
        return within(distance, pick.tolerance, seeds)

    def mark_alike(self, job: Job, pick: AlikePick, zone: Zone) -> Job:
        """Mark what is alike in the photo itself."""
        picture = to_screen(bytes_of_words(job.photo.pixels), job.photo.profile)
        calm = cv2.blur(picture, (3, 3)) if self.look_level else picture
        distance = colour_distance(np.asarray(calm), self._samples(pick.points))
        for point in pick.points:  # what was pressed on is alike, whatever its grain
            distance[self._inside(point, 0)] = 0
        seeds = [self._inside(point, 0) for point in pick.points] if pick.connected else []
        region = within(distance, pick.tolerance, seeds)
        if self.look_level:
            region = cv2.medianBlur(region.astype(np.uint8), 5) > 0
        start = all_subject(job) if zone is Zone.BACKDROP and not job.has_subject else job
        marked = mark_region(start, region, zone, zones_from=job)
        if pick.soft:
            falloff = within(distance, pick.tolerance * 1.5, seeds) & ~region
            marked = mark_region(marked, falloff, Zone.UNSURE)
        return marked

    # Sweep

    def _swept(
        self, job: Job, points: tuple[Point, ...], radius_px: float, subject: bool, reach_px: float | None
    ) -> tuple[BoolArray, BoolArray]:
        """Return the side that grows, before and after, in the small picture."""
        height, width = self.small.shape[:2]
        scale = width / self._photo.width
        stroke = stroke_mask(np.asarray(points) * scale, max(radius_px * scale, 1.0), (0, 0, height, width))
        marks = job.marks.sampled(height, width)
        side = sampled_subject(job, height, width)
        if not subject and not side.any():
            side[:] = True
        present = side if subject else ~side
        reach = None if reach_px is None else reach_px * scale
        return present, sweep(self.small, stroke, present & ~stroke, marks == (1 if subject else 2), reach)

    def swept_shown(
        self,
        job: Job,
        points: tuple[Point, ...],
        radius_px: float,
        *,
        subject: bool,
        reach_px: float | None = None,
    ) -> BoolArray:
        """Return what a stroke adds to its side, in the picture that is shown; see `mark_swept`.

        Regions are (h, w) bool, of the picture that is shown.
        """
        present, grown = self._swept(job, points, radius_px, subject, reach_px)
        height, width = self.look.shape[:2]
        shown = traced([(1, self.look)], grown, (0, 0, height, width))
        return np.asarray(shown & _enlarged(_around(grown & ~present), (height, width)))

    def mark_swept(
        self,
        job: Job,
        points: tuple[Point, ...],
        radius_px: float,
        *,
        subject: bool,
        reach_px: float | None = None,
    ) -> Job:
        """Mark what a stroke grows to, its boundary found again in the photo itself.

        Parameters
        ----------
        job : Job
        points : tuple of x, y
        radius_px : float
        subject : bool
            Whether the subject grows, or the backdrop.
        reach_px : float, optional
            How far from the stroke it may grow; without a limit unless given.
        """
        present, grown = self._swept(job, points, radius_px, subject, reach_px)
        changed = _around(grown & ~present)
        if not changed.any():
            return job
        start = all_subject(job) if not subject and not job.has_subject else job
        window = self._photo_window(changed)
        region = self._exactly(grown, window) & self._enlarged_to(changed, window)
        if reach_px is not None:
            region &= stroke_mask(points, radius_px + reach_px, window.as_tuple)
        start = with_trust(start, _around(region), window, SWEPT_TRUST)
        return mark_region(start, region, Zone.SUBJECT if subject else Zone.BACKDROP, window, zones_from=job)

    def mark_within(self, job: Job, outline: NDArray[np.float64]) -> Job:
        """Mark the subject that is found within an outline, which is only a limit: all outside it is backdrop.

        The outline is (N, 2), x and y in photo pixels.

        Raises
        ------
        MarkError
            If nothing within differs from what lies around it.
        """
        height, width = self.small.shape[:2]
        scale = width / self._photo.width
        inside = coverage([outline * scale], (0, 0, height, width)) >= _HALF
        region = fill_holes(found_within(self.small, inside), _SPECK * inside.sum())
        region = drop_islands(region, _SPECK * inside.sum())
        if not region.any():
            raise MarkError(
                "Nothing within that outline differs from what lies around it.",
                "Draw it closer to the subject, or Sweep across the subject within it.",
            )
        whole = job.photo.bounds
        limit = coverage([outline], whole.as_tuple) >= _HALF
        found = self._exactly(region, whole) & limit
        start = with_trust(job, limit, whole, SWEPT_TRUST)
        outside = mark_region(start, ~limit, Zone.BACKDROP, zones_from=job)
        cleared = mark_region(outside, limit & ~found, Zone.BACKDROP, zones_from=outside)
        return mark_region(cleared, found, Zone.SUBJECT, zones_from=job)

    def _photo_window(self, cells: BoolArray) -> Rect:
        rows, columns = np.flatnonzero(cells.any(axis=1)), np.flatnonzero(cells.any(axis=0))
        y, x = self._photo.height / cells.shape[0], self._photo.width / cells.shape[1]
        window = Rect(
            int(rows[0] * y), int(columns[0] * x), int((rows[-1] + 1) * y) + 1, int((columns[-1] + 1) * x) + 1
        )
        return window.intersection(self._photo.bounds)

    def _enlarged_to(self, cells: BoolArray, window: Rect) -> BoolArray:
        rows = (np.arange(window.top, window.bottom) * cells.shape[0]) // self._photo.height
        columns = (np.arange(window.left, window.right) * cells.shape[1]) // self._photo.width
        return cells[np.ix_(rows, columns)]

    def _exactly(self, region: BoolArray, window: Rect) -> BoolArray:
        """Draw a region of the small picture in a window of the photo."""
        pictures: list[tuple[int, NDArray[Any]]] = [(1, self._photo.pixels)]
        if self.look_level:
            pictures.insert(0, (1 << self.look_level, self.look))
        return traced(pictures, region, window.as_tuple)

    # Propose

    @cached_property
    def proposals(self) -> tuple[Proposal, ...]:
        """Guesses of the subject in the small picture, the best first."""
        return propose(self.small, self.look)

    def propose(self) -> Proposal:
        """Return the best guess of the subject, of nothing where there is none."""
        nothing = np.zeros(self.small.shape[:2], bool)
        return self.proposals[0] if self.proposals else Proposal(nothing, nothing, 0.0)

    def mark_proposal(self, job: Job, proposal: Proposal, *, unseen: bool = False) -> Job:
        """Replace the mark by a guess, which is trusted less than a mark by hand.

        Parameters
        ----------
        job : Job
        proposal : Proposal
        unseen : bool
            Whether nobody is looking, so that the job is called a guess until somebody has.
        """
        whole = job.photo.bounds
        everywhere = np.ones((whole.height, whole.width), bool)
        start = with_trust(without_marks(job), everywhere, whole, GUESS_TRUST)
        if unseen:
            start = start.with_photo_settings(guess=proposal.confidence)
        marked = mark_region(start, self._exactly(proposal.region, whole), Zone.SUBJECT, zones_from=without_marks(job))
        if job.settings.recipe.band.lay == "laid":
            return marked
        soft = cv2.GaussianBlur(proposal.unsure.astype(np.float32), (0, 0), 1.0)
        size = (self._photo.width, self._photo.height)
        unsure = cv2.resize((soft * 255).astype(np.uint8), size, interpolation=cv2.INTER_CUBIC) >= 110
        return mark_region(marked, unsure, Zone.UNSURE) if unsure.any() else marked

    # changes to all that is marked

    def reshaped_shown(
        self, job: Job, change: Change, amount_px: float, area: tuple[Point, ...]
    ) -> tuple[BoolArray, BoolArray, str]:
        """Return what a change would add to the subject and what it would take away, in the picture that is shown.

        Regions are (h, w) bool, of the picture that is shown; with them, what it comes to, in words.
        """
        height, width = self.look.shape[:2]
        scale = width / self._photo.width
        region = sampled_subject(job, height, width)
        within_area = None
        if len(area) > 2:
            within_area = coverage([np.asarray(area) * scale], (0, 0, height, width)) >= 128
        new = changed_region(region, change, amount_px * scale, within_area)
        added, taken = new & ~region, region & ~new
        return added, taken, _change_words(change, added, taken, 1 / scale)


def _change_words(change: Change, added: BoolArray, taken: BoolArray, scale: float) -> str:
    """Say what a change comes to: how many holes or islands, and how wide the widest of them is."""
    if change not in (Change.FILL_HOLES, Change.DROP_ISLANDS):
        share = (np.count_nonzero(added) + np.count_nonzero(taken)) / added.size
        return f"{share * 100:.1f} % of the photo changes sides." if share else "Nothing would change."
    count, _, stats, _ = cv2.connectedComponentsWithStats((added | taken).astype(np.uint8), connectivity=8)
    what = "hole" if change is Change.FILL_HOLES else "island"
    if count < 2:
        return f"No {what} is as small as that."
    widest = float(np.sqrt(stats[1:, cv2.CC_STAT_AREA].max())) * scale
    many = f"{count - 1} {what}{'' if count == 2 else 's'}"
    return f"{many}, the largest about {widest:.0f} px wide."


def _around(cells: BoolArray) -> BoolArray:
    """Add the neighbours of cells."""
    return cv2.dilate(cells.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)


def _enlarged(cells: BoolArray, shape: tuple[int, int]) -> BoolArray:
    return cv2.resize(cells.astype(np.uint8), shape[::-1], interpolation=cv2.INTER_NEAREST) > 0


def proposal_words(proposal: Proposal) -> tuple[str, bool]:
    """Say how sure a guess is, and whether it is worth marking at all."""
    share = f"{proposal.region.mean() * 100:.0f} % of the photo"
    if proposal.confidence < CANNOT_TELL or not proposal.region.any():
        return NOTHING_FOUND, False
    sure = f"{share}; {proposal.confidence * 100:.0f} % sure"
    if proposal.confidence < _GOOD:
        return f"A guess, and not a sure one ({sure}): check it all round, then correct it with Sweep.", True
    return f"A first guess ({sure}). Look it over all the same.", True
