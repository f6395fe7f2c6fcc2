"""What the window says of a job's edge: the shares of its kinds, and the places where its band is in doubt."""

from dataclasses import dataclass
from typing import Final, Literal

import cv2
import numpy as np

from peel.job.edits.kinds import is_said, kinds_in
from peel.job.edits.marking import Zone, mark_region
from peel.job.edits.read_band import read_window
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import Point
from peel.matte.arrays import BoolArray, ByteArray
from peel.matte.edge.kind import Kind
from peel.matte.edge.laying import working_step
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.marking.regions import drop_islands

__all__ = ["Doubt", "EdgeNews", "KindShare", "Place", "open_gaps", "read_news"]

Doubt = Literal["narrow", "deep", "gap"]

_MOST: Final = 40
_HALF: Final = 128
_LEAST: Final = 40  # working pixels of doubt that make a place
_JOIN: Final = 25  # working pixels: doubts nearer to each other are one place
_PLAIN: Final = 1_000  # working pixels of something plain within the band below which it is a gap
_DEEP: Final = 12  # working pixels from the band's rim at which something plain is too deep inside


@dataclass(frozen=True)
class KindShare:
    """A kind's share of the band's area, and how sure Peel is where it said so, in [0, 1]; None if all was brushed."""

    kind: Kind
    share: float
    confidence: float | None


@dataclass(frozen=True)
class Place:
    """A place where the band is likely wrong: its middle, how far it reaches (photo pixels), and in what way.

    Attributes
    ----------
    at : Point
    reach_px : float
    doubt : "narrow" where something goes on beyond the band, "deep" where the band lies over something plain, "gap"
        where something enclosed looks like the backdrop.
    """

    at: Point
    reach_px: float
    doubt: Doubt


@dataclass(frozen=True)
class EdgeNews:
    """What was found.

    Attributes
    ----------
    shares : tuple of KindShare
    places : tuple of Place
        Gaps first, then the most doubtful.
    alike : bool
        Whether both sides have the same colours.
    gaps : (h, w) bool ndarray or None
        The enclosed gaps, at the working size.
    """

    shares: tuple[KindShare, ...]
    places: tuple[Place, ...]
    alike: bool
    gaps: BoolArray | None = None


def read_news(job: Job) -> EdgeNews:
    """Look along the whole edge; a second or so for a large photo."""
    whole = job.photo.bounds
    step = working_step(job.photo.height, job.photo.width)
    reading = read_window(job, whole, whole)
    if reading is None:
        return EdgeNews((), (), False)
    zones = job.zones.read(whole)[::step, ::step]
    narrow = reading.stray & (zones == BACKGROUND) & (reading.distance < 250)
    band = (zones == UNKNOWN).astype(np.uint8)
    # Small plain gaps are part of any hair, and belong to the band.
    deep = drop_islands(reading.plain & (band > 0), _PLAIN) & (cv2.distanceTransform(band, cv2.DIST_L2, 3) > _DEEP)
    gaps = reading.enclosed & (zones == FOREGROUND) & (job.corrections.read(whole)[::step, ::step] == 0)
    places = [*_places(narrow, step, "narrow"), *_places(deep, step, "deep"), *_places(gaps, step, "gap")]
    places.sort(key=lambda place: (place.doubt != "gap", -place.reach_px))
    return EdgeNews(_shares(job, whole, band > 0, step), tuple(places[:_MOST]), reading.alike, gaps)


def open_gaps(job: Job, gaps: BoolArray, at: Point | None = None) -> Job:
    """Make enclosed gaps backdrop, with a band around them: the one at a place, or all.

    Parameters
    ----------
    job : Job
    gaps : (h, w) bool ndarray
        From `EdgeNews`.
    at : Point, optional
        In photo pixels; all of them unless given.
    """
    step = working_step(job.photo.height, job.photo.width)
    if at is not None:
        _, labels = cv2.connectedComponents(_joined(gaps), connectivity=8)
        row, column = (min(int(part / step), side - 1) for part, side in zip(at[::-1], gaps.shape, strict=True))
        gaps = gaps & (labels == labels[row, column])
    full = cv2.resize(gaps.astype(np.uint8) * 255, None, fx=step, fy=step, interpolation=cv2.INTER_LINEAR) >= _HALF
    return mark_region(job, full[: job.photo.height, : job.photo.width], Zone.BACKDROP)


def _shares(job: Job, whole: Rect, band: BoolArray, step: int) -> tuple[KindShare, ...]:
    kinds = kinds_in(job, whole)[::step, ::step][band]
    confidence = job.confidence.read(whole)[::step, ::step][band].astype(np.float32) / 255
    suggested = ~is_said(job, whole)[::step, ::step][band]
    if kinds.size == 0:
        return ()
    found = []
    for kind in Kind:
        here = kinds == kind
        if here.any():
            guessed = here & suggested
            sure = float(confidence[guessed].mean()) if guessed.any() else None
            found.append(KindShare(kind, float(here.mean()), sure))
    return tuple(found)


def _joined(doubts: BoolArray) -> ByteArray:
    return np.asarray(cv2.dilate(doubts.astype(np.uint8), np.ones((_JOIN, _JOIN), np.uint8)))


def _places(doubts: BoolArray, step: int, doubt: Doubt) -> list[Place]:
    count, labels = cv2.connectedComponents(_joined(doubts), connectivity=8)
    places = []
    areas = np.bincount(labels[doubts], minlength=count)
    for number in np.flatnonzero(areas >= _LEAST):
        if number == 0:
            continue
        rows, columns = np.nonzero(doubts & (labels == number))
        # The doubtful pixel nearest to the middle of them all: the middle itself may lie beside a bent place.
        nearest = np.argmin((rows - rows.mean()) ** 2 + (columns - columns.mean()) ** 2)
        at = (float((columns[nearest] + 0.5) * step), float((rows[nearest] + 0.5) * step))
        places.append(Place(at, float(np.sqrt(areas[number]) * step), doubt))
    return places
