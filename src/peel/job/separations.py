"""Separations of a job: which one counts where, what they are for this photo, and the tone matte each gives."""

from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.errors import MarkError
from peel.job.job import Job, Photo
from peel.job.kinds import kinds_in
from peel.job.mixing import with_mixing
from peel.job.plane import Plane
from peel.job.question import used_separations
from peel.job.rect import Rect
from peel.job.settings import MOST_SEPARATIONS, MOST_TONE, Point, Separation, hex_from_rgb, rgb_from_hex
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.kinds import Kind
from peel.matte.edge.laying import working_step
from peel.matte.edge.trimap import BACKGROUND, FOREGROUND
from peel.matte.separation.discriminant import best_mix
from peel.matte.separation.key import Plate, fit_plate, hue_of_backdrop, key_tone
from peel.matte.separation.renderings import CONTRAST_REACH, RENDERINGS, mix_tone, strengthened
from peel.matte.separation.tone_curve import ToneCurve, propose_ends, trust_in_tone
from peel.matte.srgb import to_linear

__all__ = [
    "FADE_PX",
    "EdgeSamples",
    "add_stretch",
    "complete",
    "curve_of",
    "drop_separation",
    "edge_samples",
    "found",
    "press_end",
    "put_separation",
    "release_stretch",
    "samples_for",
    "samples_for_target",
    "separated_in",
    "tone_of_samples",
    "tone_reach",
    "tone_window",
    "turned",
    "unsolve_separated",
    "with_found",
]

FADE_PX: Final = 32
"""Photo pixels over which ways of cutting fade into each other at most."""

_NEAR: Final = 24  # working pixels from the band within which samples are taken
_SPOT: Final = 2  # pixels to either side of a pressed spot whose median tone is taken
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
    colours = [job.photo.working[tuple(side.T)] for side in sides]
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
        samples = edge_samples(job, kind=Kind[applies.upper()])
    return samples if samples.are_enough else edge_samples(job)


def tone_of_samples(job: Job, separation: Separation, samples: EdgeSamples) -> tuple[FloatArray, FloatArray]:
    """Return the tones of subject and backdrop samples in a rendering, without contrast added."""
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
        low, high = (_bounded(end) for end in propose_ends(*tones))
        strength = trust_in_tone(*tones)
    proposed = {"low": low, "high": high, "strength": strength}
    return separation.model_copy(
        update={name: value for name, value in proposed.items() if getattr(separation, name) is None}
    )


def _bounded(tone: float) -> float:
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
        out = np.where((drawn > 0) & (drawn <= len(separations)), drawn, out)
    return out


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
    return None if separation.hue is None else _plate_of(job.photo, separation.hue, job.settings.photo.is_linear)


@lru_cache(maxsize=4)
def _plate_of(photo: Photo, hue: str, is_linear: bool) -> Plate | None:
    """Fit the clean backdrop; what is marked does not enter, so that a stroke does not change the whole key."""
    colour = np.array(rgb_from_hex(hue), np.float32)
    return fit_plate(to_linear(photo.working), to_linear(colour)) if is_linear else fit_plate(photo.working, colour)


def _mixing(job: Job, separation: Separation, colours: FloatArray) -> FloatArray:
    """Return colours as they mix in the photo, so that a tone of half-covered pixels lies half-way between its ends."""
    follows = separation.rendering not in _BY_EYE and job.settings.photo.is_linear
    return to_linear(np.ascontiguousarray(colours)) if follows else colours


def put_separation(job: Job, number: int, separation: Separation) -> Job:
    """Replace a separation by its place in the list, or add it at the end; what it leaves open is found first."""
    given = job.settings.recipe.separations
    _check_room(number)
    separations = (*given[:number], separation, *given[number + 1 :])
    return _with_separations(job, separations, job.separated, number)


def _check_room(number: int) -> None:
    if number >= MOST_SEPARATIONS:
        message = f"There are {MOST_SEPARATIONS} separations already."
        raise MarkError(message, "Drop one that is no longer needed.")


def press_end(job: Job, number: int, spot: Point, *, subject: bool) -> Job:
    """Take the tone at a spot for an end of a separation: surely subject there, or surely backdrop.

    An end pressed beyond the other one turns the curve over; a spot outside the photo changes nothing.
    """
    x, y = int(np.floor(spot[0])), int(np.floor(spot[1]))
    own = Rect(y - _SPOT, x - _SPOT, y + _SPOT + 1, x + _SPOT + 1).intersection(job.photo.bounds)
    separations = job.settings.recipe.separations
    if own.is_empty or number >= len(separations):
        return job
    separation = found(job, number)
    around = own.grown(tone_reach(separation)).intersection(job.photo.bounds)
    tone = tone_window(job, separation, job.photo.colours(around), around)[own.within(around)]
    end = _bounded(round(float(np.median(tone)), 4))
    return put_separation(job, number, separation.model_copy(update={"high" if subject else "low": end}))


def turned(separation: Separation) -> Separation:
    """Exchange subject and backdrop; twice is the identity."""
    curve = curve_of(separation).turned
    return separation.model_copy(update={"low": curve.low, "high": curve.high, "middle": curve.middle})


def drop_separation(job: Job, number: int) -> Job:
    """Take a separation out of the list, with the stretches drawn for it."""
    given = job.settings.recipe.separations
    separated = _without_number(job.separated, number + 1)
    return _with_separations(job, given[:number] + given[number + 1 :], separated)


def add_stretch(job: Job, region: BoolArray, separation: Separation) -> Job:
    """Draw a stretch on which a separation of its own counts.

    Parameters
    ----------
    job : Job
    region : (H, W) bool ndarray
        Of the whole photo.
    separation : Separation
        What to begin with; an end, mix or hue that it leaves open is found on this stretch.
    """
    number = len(job.settings.recipe.separations)
    values = job.separated.read()
    values[region] = number + 1
    _check_room(number)
    separated = job.separated.write(job.photo.bounds, values)
    own = separation.model_copy(update={"applies": "stretch"})
    return _with_separations(job, (*job.settings.recipe.separations, own), separated, number)


def release_stretch(job: Job, region: BoolArray) -> Job:
    """Take a region of the whole photo, (H, W) bool, out of every stretch."""
    values = np.where(region, np.uint8(0), job.separated.read())
    return unsolve_separated(job, job.with_planes(separated=job.separated.write(job.photo.bounds, values)))


def _with_separations(
    job: Job, separations: tuple[Separation, ...], separated: Plane, number: int | None = None
) -> Job:
    after = with_mixing(job.with_planes(separated=separated).with_recipe(separations=separations))
    if number is not None:
        own = (*separations[:number], found(after, number), *separations[number + 1 :])
        after = after.with_recipe(separations=own)
    return unsolve_separated(job, after)


def unsolve_separated(before: Job, after: Job) -> Job:
    """Mark the band as unsolved where other separations are in use than before, and where they fade into others."""
    sides = [_in_use(job) for job in (before, after)]
    is_same = sides[0] == sides[1] and before.separated is after.separated
    if is_same or not any(sides[0] + sides[1]):
        return after
    whole = after.photo.bounds
    numbers = [separated_in(job, whole) for job in (before, after)]
    differs = np.zeros(numbers[0].shape, bool)
    for old, new in {(int(a), int(b)) for a in np.unique(numbers[0]) for b in np.unique(numbers[1])}:
        if sides[0][old] != sides[1][new]:
            differs |= (numbers[0] == old) & (numbers[1] == new)
    if not differs.any():
        return after
    if not differs.all():
        differs = cv2.dilate(differs.astype(np.uint8), np.ones((2 * FADE_PX + 1,) * 2, np.uint8)) > 0
    zones = after.zones.read()
    differs &= (zones != BACKGROUND) & (zones != FOREGROUND)
    unsolved = after.unsolved.read()
    unsolved[differs] = 1
    return after.with_planes(unsolved=after.unsolved.write(whole, unsolved))


def _in_use(job: Job) -> tuple[Separation | None, ...]:
    """Return what each number in `separated_in` does to the matte; 0 comes first."""
    return (None, *used_separations(job.settings.recipe))


def _without_number(plane: Plane, number: int) -> Plane:
    """Take a number out of a plane and close the gap in the numbering."""
    values = plane.read()
    if not values.any():
        return plane
    values[values == number] = 0
    values[values > number] -= 1
    return plane.write(Rect(0, 0, plane.height, plane.width), values)
