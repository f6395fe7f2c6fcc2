"""Separations of a job: which one counts where, what they are for this photo, and the tone matte each gives."""

from collections.abc import Hashable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.job.job import Job, Photo
from peel.job.kinds import kinds_in, kinds_stamp
from peel.job.plane import Plane
from peel.job.rect import Rect
from peel.job.settings import Separation, rgb_from_hex
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.kinds import Kind
from peel.matte.edge.laying import working_step
from peel.matte.edge.trimap import BACKGROUND, FOREGROUND
from peel.matte.separation.discriminant import best_mix, roc_area
from peel.matte.separation.key import Plate, fit_plate, hue_of_backdrop, key_tone
from peel.matte.separation.renderings import CONTRAST_REACH, RENDERINGS, mix_tone, strengthened
from peel.matte.separation.tone_curve import ToneCurve, propose_ends

__all__ = [
    "EdgeSamples",
    "curve_of",
    "edge_samples",
    "found",
    "separated_in",
    "separations_stamp",
    "tone_of_samples",
    "tone_reach",
    "tone_window",
    "with_found",
]

_NEAR: Final = 24  # working pixels from the band within which samples are taken
_MOST: Final = 20_000  # samples of a side
_LEAST: Final = 30  # samples of a side without which nothing can be told
_EQUAL: Final = (1 / 3, 1 / 3, 1 / 3)


@dataclass(frozen=True)
class EdgeSamples:
    """Colours of sure subject and sure backdrop near the edge, and where they lie.

    Attributes
    ----------
    subject, backdrop : (N, 3), (M, 3) float32 ndarray
    at_subject, at_backdrop : (N, 2), (M, 2) int ndarray
        Row and column in photo pixels.
    """

    subject: FloatArray
    backdrop: FloatArray
    at_subject: NDArray[Any]
    at_backdrop: NDArray[Any]

    @property
    def are_enough(self) -> bool:
        """Whether both sides have some."""
        return min(len(self.subject), len(self.backdrop)) >= _LEAST


def edge_samples(job: Job, stretch: int | None = None, kind: Kind | None = None) -> EdgeSamples:
    """Take samples along the edge.

    Parameters
    ----------
    job : Job
    stretch : int, optional
        Only from stretches with this number in the plane ``separated``.
    kind : Kind, optional
        Only along this kind of edge.
    """
    step = working_step(job.photo.height, job.photo.width)
    zones = job.zones.read()[::step, ::step]
    band = (zones != BACKGROUND) & (zones != FOREGROUND)
    if stretch is not None:
        band &= job.separated.read()[::step, ::step] == stretch
    if kind is not None:
        band &= kinds_in(job, job.photo.bounds)[::step, ::step] == kind
    near = cv2.dilate(band.astype(np.uint8), np.ones((2 * _NEAR + 1,) * 2, np.uint8)) > 0
    if not near.any() and not band.any():
        near = np.ones_like(near)  # a plain outline without a band: anything near or far
    sides = [_some(near & (zones == zone)) for zone in (FOREGROUND, BACKGROUND)]
    colours = [job.photo.working[tuple(side.T)] for side in sides]
    return EdgeSamples(colours[0], colours[1], sides[0] * step, sides[1] * step)


def _some(mask: BoolArray) -> NDArray[Any]:
    places = np.argwhere(mask)
    return places[:: max(1, -(-len(places) // _MOST))]


def _samples_for(job: Job, number: int) -> EdgeSamples:
    """Take samples where a separation counts; along the whole edge where it is too small."""
    applies = job.settings.recipe.separations[number].applies
    if applies == "stretch":
        samples = edge_samples(job, stretch=number + 1)
    elif applies == "everywhere":
        return edge_samples(job)
    else:
        samples = edge_samples(job, kind=Kind[applies.upper()])
    return samples if samples.are_enough else edge_samples(job)


def tone_of_samples(job: Job, separation: Separation, samples: EdgeSamples) -> tuple[FloatArray, FloatArray]:
    """Return the tones of subject and backdrop samples in a rendering, without contrast added."""
    return tuple(  # type: ignore[return-value]
        _tones_at(job, separation, colours, places)
        for colours, places in ((samples.subject, samples.at_subject), (samples.backdrop, samples.at_backdrop))
    )


def _tones_at(job: Job, separation: Separation, colours: FloatArray, places: NDArray[Any]) -> FloatArray:
    row = np.ascontiguousarray(colours[None])
    if separation.rendering != "key":
        return _plain_tone(separation, row)[0]
    plate = _plate(job, separation)
    if plate is None:
        return np.ones(len(colours), np.float32)
    height, width = plate.colours.shape[:2]
    rows = np.minimum(places[:, 0] * height // job.photo.height, height - 1)
    columns = np.minimum(places[:, 1] * width // job.photo.width, width - 1)
    return key_tone(row, np.ascontiguousarray(plate.colours[rows, columns][None]), separation.gain)[0]


def _plain_tone(separation: Separation, colours: FloatArray) -> FloatArray:
    if separation.rendering == "mix":
        return mix_tone(colours, separation.weights or _EQUAL)
    return RENDERINGS[separation.rendering](colours)


def found(job: Job, number: int) -> Separation:
    """Return a separation with what it leaves to Peel found in the photo: mix, hue, ends.

    Notes
    -----
    Without samples of both sides the mix is equal and the ends are black and white.
    """
    separation = job.settings.recipe.separations[number]
    if not _is_open(separation):
        return separation
    return complete(job, separation, _samples_for(job, number))


def complete(job: Job, separation: Separation, samples: EdgeSamples) -> Separation:
    """Return a separation with what it leaves open found from samples."""
    if separation.rendering == "mix" and separation.weights is None:
        weights = best_mix(samples.subject, samples.backdrop) if samples.are_enough else _EQUAL
        separation = separation.model_copy(update={"weights": weights})
    if separation.rendering == "key" and separation.hue is None and len(samples.backdrop):
        red, green, blue = (round(float(part) * 255) for part in hue_of_backdrop(samples.backdrop)[0])
        separation = separation.model_copy(update={"hue": f"#{red:02x}{green:02x}{blue:02x}"})
    if separation.low is None or separation.high is None:
        low, high = 0.0, 1.0
        if samples.are_enough:
            low, high = propose_ends(*tone_of_samples(job, separation, samples))
        separation = separation.model_copy(
            update={
                "low": low if separation.low is None else separation.low,
                "high": high if separation.high is None else separation.high,
            }
        )
    return separation


def _is_open(separation: Separation) -> bool:
    return (
        separation.low is None
        or separation.high is None
        or (separation.rendering == "mix" and separation.weights is None)
        or (separation.rendering == "key" and separation.hue is None)
    )


def with_found(job: Job) -> Job:
    """Return the job with everything its separations left to Peel found; the same job if they left nothing."""
    separations = job.settings.recipe.separations
    if not any(_is_open(separation) for separation in separations):
        return job
    return job.with_recipe(separations=tuple(found(job, number) for number in range(len(separations))))


def curve_of(separation: Separation) -> ToneCurve:
    """Return the curve from a separation's tone to alpha."""
    low = 0.0 if separation.low is None else separation.low
    high = 1.0 if separation.high is None else separation.high
    return ToneCurve(low, high, separation.middle)


def separated_in(job: Job, window: Rect) -> ByteArray:
    """Return the number, from 1, of the separation that counts at each pixel of a window; 0 where none does."""
    separations = job.settings.recipe.separations
    out = np.zeros((window.height, window.width), np.uint8)
    kinds: ByteArray | None = None
    for number, separation in enumerate(separations, 1):
        if separation.applies == "everywhere":
            out[...] = number
    for number, separation in enumerate(separations, 1):
        if separation.applies not in ("everywhere", "stretch"):
            kinds = kinds_in(job, window) if kinds is None else kinds
            out[kinds == Kind[separation.applies.upper()]] = number
    if any(separation.applies == "stretch" for separation in separations):
        drawn = job.separated.read(window)
        out = np.where(drawn > 0, drawn, out)
    return out


def separations_stamp(job: Job, window: Rect) -> Hashable:
    """Return all that `separated_in` and `tone_window` depend on in a window."""
    return job.settings.recipe.separations, job.separated.stamp(window), kinds_stamp(job, window)


def tone_reach(separation: Separation) -> int:
    """Return how many photo pixels around a window its tone depends on."""
    return CONTRAST_REACH if separation.local_contrast or separation.sharpening else 0


def tone_window(job: Job, separation: Separation, colours: FloatArray, rect: Rect, scale: float = 1.0) -> FloatArray:
    """Return the tone of a separation.

    Parameters
    ----------
    job : Job
    separation : Separation
    colours : (h, w, 3) float32 ndarray
        The photo there.
    rect : Rect
        What `colours` shows, in pixels of its own level.
    scale : float
        Pixels of that level for a pixel of the photo.

    Returns
    -------
    (h, w) float32 ndarray
        White where the photo has no hue to key.
    """
    if separation.rendering == "key":
        plate = _plate(job, separation)
        if plate is None:
            return np.ones(colours.shape[:2], np.float32)
        shape = (round(job.photo.height * scale), round(job.photo.width * scale))
        tone = key_tone(colours, plate.window(rect.as_tuple, shape), separation.gain)
    else:
        tone = _plain_tone(separation, colours)
    return strengthened(tone, separation.local_contrast, separation.sharpening, scale)


def _plate(job: Job, separation: Separation) -> Plate | None:
    return None if separation.hue is None else _plate_of(job.photo, separation.hue)


@lru_cache(maxsize=4)
def _plate_of(photo: Photo, hue: str) -> Plate | None:
    """Fit the clean backdrop; what is marked does not enter, so that a stroke does not change the whole key."""
    return fit_plate(photo.working, np.array(rgb_from_hex(hue), np.float32))


def with_stretch(job: Job, region: BoolArray, window: Rect, number: int) -> Job:
    """Let a separation, counted from 1, count in a region; 0 takes it out of every stretch."""
    values = job.separated.read(window)
    values[region] = number
    return job.with_planes(separated=job.separated.write(window, values))


def without_stretches(plane: Plane, number: int) -> Plane:
    """Take a separation's number out of the plane and close the gap in the numbering."""
    values = plane.read()
    if not values.any():
        return plane
    values[values == number] = 0
    values[values > number] -= 1
    return Plane.from_array(values)


__all__ += ["complete", "roc_area", "with_stretch", "without_stretches"]
