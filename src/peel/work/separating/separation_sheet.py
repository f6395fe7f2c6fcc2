"""The separation sheet: renderings of a photo, ranked by how well they separate subject and backdrop at the edge."""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.job.edits.separations import curve_of
from peel.job.edits.working import working_photo
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import RenderingName, Separation
from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.edge.laying import working_step
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.pixels import to_bytes
from peel.matte.separation.discriminant import separability
from peel.matte.separation.key import hue_of_backdrop
from peel.matte.separation.renderings import RENDERINGS
from peel.matte.separation.tone_curve import clipped_detail, detail_floor
from peel.work.marking.tone_start import propose_starts, tone_thumb
from peel.work.separating.pulls import tone_alpha
from peel.work.separating.tones import EdgeSamples, complete, edge_samples, samples_for, tone_of_samples, tone_window
from peel.work.solving.mixing import with_mixing

__all__ = ["Detail", "Outlines", "RenderingSheet", "Row", "figures_of", "measure_detail", "outlines_of", "read_sheet"]

_THUMB: Final = (72, 104)  # height and width
_SHOWN: Final = 2  # photo pixels for a pixel of a thumbnail
_CELL: Final = 96  # working pixels across in which a part of the edge is judged
_FEW: Final = 40  # samples of a side in a cell
_KEYABLE: Final = 0.85  # share of the backdrop that has one hue
_BINS: Final = 48
_SHOWN_SHARES: Final = (0.5, 99.5)  # percentiles of the samples between which tones are drawn
_ROOM: Final = 0.15  # of that range, to either side
_ALIKE: Final = 0.6  # separability below which a rendering tells nothing


@dataclass(frozen=True)
class Row:
    """A rendering of the sheet.

    Attributes
    ----------
    separation : Separation
        With mix, hue and ends as Peel proposes them.
    separability : float
        Area under the ROC curve of the samples at the edge, in [0.5, 1]; where nothing is marked, the share of the
        tones' variance between two classes, from `propose_starts`.
    thumb : (72, 104) uint8 ndarray
        The hardest part of the edge in this rendering, between its ends; the whole photo where nothing is marked.
    """

    separation: Separation
    separability: float
    thumb: ByteArray


@dataclass(frozen=True)
class RenderingSheet:
    """All rows, the best first.

    Attributes
    ----------
    keyable : bool
        Whether the backdrop has one hue of its own, so that a key suits it.
    alike : bool
        Whether no rendering tells the two sides apart.
    is_start : bool
        Whether nothing is marked, so that a rendering and its ends may be what the mark begins from.
    """

    rows: tuple[Row, ...]
    keyable: bool
    alike: bool
    is_start: bool = False


@dataclass(frozen=True)
class Outlines:
    """How often tones occur among the samples of both sides, over one axis.

    Attributes
    ----------
    subject, backdrop : (48,) float32 ndarray
        Shares of the most frequent tone of either.
    low, high : float
        The tones at both ends of the axis.
    """

    subject: FloatArray
    backdrop: FloatArray
    low: float
    high: float


@dataclass(frozen=True)
class Detail:
    """What the ends clip away: the share of fine detail lost, and the contrast below which nothing counts as detail."""

    lost: float
    floor: float


def read_sheet(job: Job, number: int | None = None) -> RenderingSheet:
    """Render, measure and rank.

    Parameters
    ----------
    job : Job
    number : int, optional
        Judge where this one of the job's separations counts rather than along the whole edge.

    Returns
    -------
    RenderingSheet
        Without rows where one side has no samples.
    """
    job = with_mixing(job)
    if not job.has_subject:
        return _starts(job)
    samples = edge_samples(job) if number is None else samples_for(job, number)
    if not samples.are_enough:
        return RenderingSheet((), keyable=False, alike=False)
    keyable = hue_of_backdrop(samples.backdrop)[1] >= _KEYABLE
    names: list[RenderingName] = [*RENDERINGS, "mix"]  # type: ignore[list-item]
    if keyable:
        names.append("key")
    found = [_measured(job, name, samples) for name in names]
    # equal as far as the figures are shown, the mix goes first: it was made for this edge
    found.sort(key=lambda pair: (-round(pair[1], 3), pair[0].rendering != "mix"))
    hardest = _hardest(job, samples, found[0][0])
    rows = tuple(Row(separation, area, _thumb(job, separation, hardest)) for separation, area in found)
    return RenderingSheet(rows, keyable, alike=found[0][1] < _ALIKE)


def _starts(job: Job) -> RenderingSheet:
    """List what a mark could begin from."""
    found = propose_starts(job)
    rows = tuple(Row(separation, share, tone_thumb(job, separation, *_THUMB)) for separation, share in found)
    return RenderingSheet(rows, keyable=False, alike=False, is_start=True)


def _measured(job: Job, name: RenderingName, samples: EdgeSamples) -> tuple[Separation, float]:
    separation = complete(job, Separation(rendering=name), samples)
    return separation, separability(*tone_of_samples(job, separation, samples))


def _hardest(job: Job, samples: EdgeSamples, best: Separation) -> Rect:
    """Return the part of the edge at which even the best rendering separates worst, as large as a thumbnail shows."""
    step = working_step(job.photo.height, job.photo.width)
    tones = tone_of_samples(job, best, samples)
    cells = [places // (_CELL * step) for places in (samples.at_subject, samples.at_backdrop)]
    columns = job.photo.width // (_CELL * step) + 1
    keys = [part[:, 0] * columns + part[:, 1] for part in cells]
    worst, at = 2.0, samples.at_backdrop[len(samples.at_backdrop) // 2]
    for key in np.intersect1d(keys[0], keys[1]):
        own = [tone[side == key] for tone, side in zip(tones, keys, strict=True)]
        if min(len(part) for part in own) < _FEW:
            continue
        area = separability(*own)
        if area < worst:
            places = np.concatenate([samples.at_subject[keys[0] == key], samples.at_backdrop[keys[1] == key]])
            worst, at = area, np.median(places, axis=0).astype(int)
    height, width = (side * _SHOWN for side in _THUMB)
    top = int(np.clip(at[0] - height // 2, 0, max(0, job.photo.height - height)))
    left = int(np.clip(at[1] - width // 2, 0, max(0, job.photo.width - width)))
    return Rect(top, left, top + height, left + width).intersection(job.photo.bounds)


def _thumb(job: Job, separation: Separation, rect: Rect) -> ByteArray:
    alpha = tone_alpha(job, separation, rect)
    small = cv2.resize(alpha, (_THUMB[1], _THUMB[0]), interpolation=cv2.INTER_AREA)
    return to_bytes(small)


def outlines_of(job: Job, separation: Separation, samples: EdgeSamples) -> Outlines:
    """Count the tones of the samples; contrast that is added to the tone does not show here."""
    tones = tone_of_samples(job, separation, samples)
    least, most = (float(value) for value in np.percentile(np.concatenate(tones), _SHOWN_SHARES))
    room = max(_ROOM * (most - least), 0.01)
    low, high = least - room, most + room
    counts = [np.histogram(tone, _BINS, (low, high))[0].astype(np.float32) for tone in tones]
    shares = [count / max(float(count.max()), 1.0) for count in counts]
    return Outlines(shares[0], shares[1], low, high)


def measure_detail(job: Job, separation: Separation) -> Detail:
    """Measure at the working size what share of strand detail in the band the ends clip away."""
    step = working_step(job.photo.height, job.photo.width)
    working = working_photo(job.photo)
    rect = Rect(0, 0, working.shape[0], working.shape[1])
    tone = tone_window(job, separation, working, rect, 1 / step)
    zones = job.zones.read()[::step, ::step]
    floor = detail_floor(tone, zones == BACKGROUND)
    band = (zones != BACKGROUND) & (zones != FOREGROUND)
    return Detail(clipped_detail(tone, curve_of(separation), band, floor)[0], floor)


def figures_of(job: Job, row: Row) -> dict[str, object]:
    """Return a row's figures as plain values, as the command line prints them."""
    chosen = row.separation.model_dump(include={"rendering", "weights", "hue", "low", "high"}, exclude_none=True)
    if not job.has_subject:
        return {**chosen, "separability": round(row.separability, 5)}
    lost = measure_detail(job, row.separation).lost
    return {**chosen, "separability": round(row.separability, 5), "clipped_detail": round(lost, 4)}
