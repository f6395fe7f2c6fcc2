"""What the window says of a job's edge: the shares of its kinds, and the places where its band is in doubt."""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.job.job import Job
from peel.job.kinds import is_said, kinds_in
from peel.job.read_band import read_window
from peel.job.rect import Rect
from peel.job.settings import Point
from peel.matte.arrays import BoolArray
from peel.matte.edge.kinds import Kind
from peel.matte.edge.laying import working_step
from peel.matte.edge.trimap import BACKGROUND, UNKNOWN
from peel.matte.marking.regions import drop_islands

__all__ = ["EdgeNews", "KindShare", "Place", "read_news"]

_MOST: Final = 40
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
    """A place where the band is likely wrong: its middle, how far it reaches (photo pixels), and whether too narrow."""

    at: Point
    reach_px: float
    is_narrow: bool


@dataclass(frozen=True)
class EdgeNews:
    """What was found, the most doubtful place first; `alike` says that both sides have the same colours."""

    shares: tuple[KindShare, ...]
    places: tuple[Place, ...]
    alike: bool


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
    places = [*_places(narrow, step, is_narrow=True), *_places(deep, step, is_narrow=False)]
    places.sort(key=lambda place: -place.reach_px)
    return EdgeNews(_shares(job, whole, band > 0, step), tuple(places[:_MOST]), reading.alike)


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


def _places(doubts: BoolArray, step: int, *, is_narrow: bool) -> list[Place]:
    joined = cv2.dilate(doubts.astype(np.uint8), np.ones((_JOIN, _JOIN), np.uint8))
    count, labels = cv2.connectedComponents(joined, connectivity=8)
    places = []
    areas = np.bincount(labels[doubts], minlength=count)
    for number in np.flatnonzero(areas >= _LEAST):
        if number == 0:
            continue
        rows, columns = np.nonzero(doubts & (labels == number))
        # The doubtful pixel nearest to the middle of them all: the middle itself may lie beside a bent place.
        nearest = np.argmin((rows - rows.mean()) ** 2 + (columns - columns.mean()) ** 2)
        at = (float((columns[nearest] + 0.5) * step), float((rows[nearest] + 0.5) * step))
        places.append(Place(at, float(np.sqrt(areas[number]) * step), is_narrow))
    return places
