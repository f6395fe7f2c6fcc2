"""What a separation is for this photo: its mix, hue and ends, found from samples along the edge, and its tone.

Everything that fits or samples is here; which separation counts where is in `peel.job.edits.separations`.
"""

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.job.edits.kinds import kinds_in
from peel.job.edits.working import working_photo
from peel.job.job import Job, Photo
from peel.job.rect import Rect
from peel.job.settings import MOST_TONE, Separation, hex_from_rgb, rgb_from_hex
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.edge.kind import Kind
from peel.matte.edge.laying import working_step
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.separation.discriminant import best_mix
from peel.matte.separation.key import Plate, fit_plate, hue_of_backdrop, key_tone
from peel.matte.separation.renderings import CONTRAST_REACH, RENDERINGS, mix_tone, strengthened
from peel.matte.separation.tone_curve import propose_ends, trust_in_tone
from peel.matte.srgb import to_linear

__all__ = [
    "EdgeSamples",
    "bounded_tone",
    "complete",
    "edge_samples",
    "found",
    "samples_for",
    "samples_for_target",
    "tone_of_samples",
    "tone_reach",
    "tone_window",
    "with_found",
]

_NEAR: Final = 24  # working pixels from the band within which samples are taken
_MOST: Final = 20_000  # samples of a side
_LEAST: Final = 30  # samples of a side without which nothing can be told
_EQUAL: Final = (1 / 3, 1 / 3, 1 / 3)
_BY_EYE: Final = ("lightness", "green to rose", "blue to yellow", "saturation")  # of encoded colours by definition


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
    colours = [working_photo(job.photo)[tuple(side.T)] for side in sides]
    return EdgeSamples(colours[0], colours[1], sides[0] * step, sides[1] * step)


def _some(mask: BoolArray) -> NDArray[Any]:
    places = np.argwhere(mask)
    return places[:: max(1, -(-len(places) // _MOST))]


def samples_for(job: Job, number: int) -> EdgeSamples:
    """Take samples where one of the job's separations counts; see `samples_for_target`."""
    applies = job.settings.recipe.separations[number].applies
    return samples_for_target(job, applies, number if applies == "stretch" else None)


def samples_for_target(job: Job, applies: str, stretch: int | None = None) -> EdgeSamples:
    """Take samples along a kind of edge or on a separation's stretches; along the whole edge where there are few."""
    if stretch is not None:
        samples = edge_samples(job, stretch=stretch + 1)
    elif applies in ("everywhere", "stretch"):
        return edge_samples(job)
    else:
        samples = edge_samples(job, kind=Kind.of(applies))
    return samples if samples.are_enough else edge_samples(job)


def tone_of_samples(job: Job, separation: Separation, samples: EdgeSamples) -> tuple[FloatArray, FloatArray]:
    """Return the tones of subject and backdrop samples in a rendering, without contrast added.

    (N,) and (M,) float32.
    """
    return tuple(  # type: ignore[return-value]
        _tones_at(job, separation, colours, places)
        for colours, places in ((samples.subject, samples.at_subject), (samples.backdrop, samples.at_backdrop))
    )


def _tones_at(job: Job, separation: Separation, colours: FloatArray, places: NDArray[Any]) -> FloatArray:
    row = _mixing(job, separation, np.ascontiguousarray(colours[None]))
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
    return complete(job, separation, samples_for(job, number))


def complete(job: Job, separation: Separation, samples: EdgeSamples) -> Separation:
    """Return a separation with what it leaves open found from samples."""
    if separation.rendering == "mix" and separation.weights is None:
        sides = (_mixing(job, separation, side[None])[0] for side in (samples.subject, samples.backdrop))
        weights = best_mix(*sides) if samples.are_enough else _EQUAL
        separation = separation.model_copy(update={"weights": weights})
    if separation.rendering == "key" and separation.hue is None and len(samples.backdrop):
        hue = hex_from_rgb(hue_of_backdrop(samples.backdrop)[0])
        separation = separation.model_copy(update={"hue": hue})
    low, high, strength = 0.0, 1.0, 0.0
    if samples.are_enough:
        tones = tone_of_samples(job, separation, samples)
        low, high = (bounded_tone(end) for end in propose_ends(*tones))
        strength = trust_in_tone(*tones)
    proposed = {"low": low, "high": high, "strength": strength}
    return separation.model_copy(
        update={name: value for name, value in proposed.items() if getattr(separation, name) is None}
    )


def bounded_tone(tone: float) -> float:
    """Keep a tone within what the settings allow: a key with much gain goes far below 0."""
    return min(max(tone, -MOST_TONE), MOST_TONE)


def _is_open(separation: Separation) -> bool:
    return (
        None in (separation.low, separation.high, separation.strength)
        or (separation.rendering == "mix" and separation.weights is None)
        or (separation.rendering == "key" and separation.hue is None)
    )


def with_found(job: Job) -> Job:
    """Return the job with everything its separations left to Peel found; the same job if they left nothing."""
    separations = job.settings.recipe.separations
    if not any(_is_open(separation) for separation in separations):
        return job
    return job.with_recipe(separations=tuple(found(job, number) for number in range(len(separations))))


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
        tone = key_tone(_mixing(job, separation, colours), plate.window(rect.as_tuple, shape), separation.gain)
    else:
        tone = _plain_tone(separation, _mixing(job, separation, colours))
    return strengthened(tone, separation.local_contrast, separation.sharpening, scale)


def _plate(job: Job, separation: Separation) -> Plate | None:
    return (
        None if separation.hue is None else job.photo.derived(_plate_of, separation.hue, job.settings.photo.is_linear)
    )


def _plate_of(photo: Photo, hue: str, is_linear: bool) -> Plate | None:
    """Fit the clean backdrop; what is marked does not enter, so that a stroke does not change the whole key."""
    colour = np.array(rgb_from_hex(hue), np.float32)
    return (
        fit_plate(to_linear(working_photo(photo)), to_linear(colour))
        if is_linear
        else fit_plate(working_photo(photo), colour)
    )


def _mixing(job: Job, separation: Separation, colours: FloatArray) -> FloatArray:
    """Return colours as they mix in the photo, so that a tone of half-covered pixels lies half-way between its ends."""
    follows = separation.rendering not in _BY_EYE and job.settings.photo.is_linear
    return to_linear(np.ascontiguousarray(colours)) if follows else colours
