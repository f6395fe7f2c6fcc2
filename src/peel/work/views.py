"""The views of a job, as pictures for the screen."""

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from enum import Enum
from typing import Final

import cv2
import numpy as np

from peel.files.profiles import to_screen
from peel.job.edits.kinds import kinds_stamp
from peel.job.edits.separations import curve_of
from peel.job.job import Job, Photo
from peel.job.placing.sheet import sheet_of
from peel.job.question import counted_frame
from peel.job.rect import Rect
from peel.job.settings import Separation, rgb_from_hex
from peel.job.space import Space
from peel.matte.arrays import BoolArray, ByteArray, FloatArray, IntArray
from peel.matte.colour.rims import RIM_REACH, measured_rim
from peel.matte.composite.over import checker
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.inspect.residue import residue, residue_window
from peel.matte.marking.alike import lab_of
from peel.matte.pixels import to_bytes
from peel.matte.separation.tone_curve import clipped_detail
from peel.work.framing.frames import frame_of
from peel.work.framing.light import frame_colours, known_behind
from peel.work.kind_looks import kind_pattern
from peel.work.separating.tones import tone_reach, tone_window
from peel.work.stages import Stages

__all__ = [
    "LIFTS",
    "LOUDEST",
    "ZONE_HUES",
    "Look",
    "View",
    "loudest_colour",
    "render",
    "space_of",
    "view_stamp",
    "zone_hues",
]

LOUDEST: Final = "#ff00c8"
LIFTS: Final = {"": 1.0, "shadows": 0.4, "highlights": 2.6}
"""Powers of the colours that show what lies in the dark, and in the light; for the eye only."""

ZONE_HUES: Final = ("#edb81a", "#00b7d8", "#e0409a", "#52b52f", "#7a5cf0", "#f0692c")
_DETAIL_REACH: Final = 8
_FAINTNESS: Final = 20  # power by which values near 0 and 1 are drawn towards the middle
_BRIGHTENED: Final = 5.0
_ADDED: Final = np.array([1.0, 1.0, 1.0], np.float32)  # white, and orange: they differ in tone as well as in hue
_TAKEN: Final = np.array([0.9, 0.35, 0.05], np.float32)
_CANDIDATES: Final = ("#ff00c8", "#00d0ff", "#00e040", "#ffe000", "#ff3000", "#2040ff", "#b000ff", "#ff8000")


class View(Enum):
    """What the picture shows."""

    PHOTO = "Photo"
    ZONES = "Zones"
    MATTE = "Matte"
    WHITE = "White"
    BLACK = "Black"
    LOUD = "Loud"
    BACKING = "Backing"
    TONE = "Tone"
    FAINT = "Faint"
    RESIDUE = "Residue"
    CHANGED = "Changed"
    RECOLOURED = "Recoloured"
    RIMS = "Rims"
    SECOND = "Second frame"
    GREY = "Grey"

    @property
    def shows_sheet(self) -> bool:
        """Whether it shows the sheet rather than the photo's own frame."""
        return self is View.BACKING


_COLOURED: Final = (
    View.PHOTO,
    View.ZONES,
    View.WHITE,
    View.BLACK,
    View.LOUD,
    View.GREY,
    View.BACKING,
    View.SECOND,
)
_DERIVED: Final = (View.CHANGED, View.RECOLOURED, View.RIMS, View.SECOND, View.RESIDUE)


@dataclass(frozen=True)
class Look:
    """How views are drawn that have no look of their own.

    Attributes
    ----------
    loud, grey : str
        The colours of `View.LOUD` and `View.GREY`.
    lift : str
        Of `LIFTS`: what is lifted in views of the photo's colours.
    unsure, backdrop : str
        The hues of `View.ZONES`.
    strength : float
        How much of the photo those cover, 0 to 1.
    hatch_px : int
        Distance between the lines of the hatch, in pixels of the level.
    separation : Separation or None
        What `View.TONE` shows; the job's own for everywhere, or lightness, where None.
    lost_floor : float or None
        Fine contrast from which detail that the ends clip away is marked in `View.TONE`; None marks none.
    before : Job or None
        What `View.CHANGED` compares with.
    """

    loud: str = LOUDEST
    grey: str = "#808080"
    lift: str = ""
    unsure: str = ZONE_HUES[0]
    backdrop: str = ZONE_HUES[1]
    strength: float = 0.6
    hatch_px: int = 9
    separation: Separation | None = None
    lost_floor: float | None = None
    before: Job | None = None


def space_of(view: View, job: Job) -> Space:
    """Return the space that a view of a job shows."""
    return sheet_of(job).space if view.shows_sheet else job.photo.space


def view_stamp(stages: Stages, job: Job, view: View, rect: Rect, level: int, look: Look) -> Hashable:
    """Return all that a window of a view depends on: equal stamps mean equal pictures."""
    return _unlifted_stamp(stages, job, view, rect, level, look), look.lift if view in _COLOURED else ""


def _unlifted_stamp(stages: Stages, job: Job, view: View, rect: Rect, level: int, look: Look) -> Hashable:
    if view is View.PHOTO:
        return ()
    if view is View.ZONES:
        covered = job.photo.space.covered(rect, level)
        zones = job.zones.stamp(covered), kinds_stamp(job, covered)
        return zones, look.unsure, look.backdrop, look.strength, look.hatch_px
    if view in (View.MATTE, View.FAINT):
        return stages.matte.stamp(job, rect, level)
    if view in _DERIVED:
        return _derived_stamp(stages, job, view, rect, level, look)
    if view is View.TONE:
        marked = look.lost_floor, look.unsure, job.zones.stamp(job.photo.space.covered(rect, level))
        seen = _shown_separation(job, look), job.settings.photo.is_linear
        return seen, marked if look.lost_floor is not None else None
    if view is View.BACKING:
        return stages.sheet_stamp(sheet_of(job), rect, level)
    behind = {View.LOUD: look.loud, View.GREY: look.grey}.get(view)
    return stages.cutout_stamp(job, rect, level), behind


def _derived_stamp(stages: Stages, job: Job, view: View, rect: Rect, level: int, look: Look) -> Hashable:
    """Return what a view depends on that compares, or that shows what else there is."""
    if view is View.CHANGED:
        before = None if look.before is None else stages.matte.stamp(look.before, rect, level)
        return stages.matte.stamp(job, rect, level), before
    if view is View.RECOLOURED:
        return stages.cutout_stamp(job, rect, level)
    if view is View.RIMS:
        return stages.cutout_stamp(job, _around_rims(job, rect, level), level), job.settings.recipe.colour.rim_px
    if view is View.SECOND:
        return job.settings.recipe.second_frame, job.settings.photo.frame_nudge
    return stages.cutout_stamp(job, _around_residue(job, rect, level), level), counted_frame(job.settings)


def render(stages: Stages, job: Job, view: View, rect: Rect, level: int, look: Look | None = None) -> ByteArray:
    """Draw a window of a view.

    Parameters
    ----------
    stages : Stages
    job : Job
    view : View
    rect : Rect
        Pixels of the level, in the view's space; see `space_of`.
    level : int
    look : Look, optional

    Returns
    -------
    (h, w, 3) uint8 ndarray
        sRGB.
    """
    look = look or Look()
    if view is View.CHANGED:
        return to_bytes(_changed(stages, job, rect, level, look.before))
    if view in (View.RECOLOURED, View.RIMS):
        return to_bytes((_recoloured if view is View.RECOLOURED else _rims)(stages, job, rect, level))
    if view in _GRAY:
        return to_bytes(np.repeat(_GRAY[view](stages, job, rect, level)[..., None], 3, axis=2))
    if view is View.PHOTO:
        colours = stages.pyramid.colours(rect, level)
    elif view is View.SECOND:
        colours = _second(stages, job, rect, level)
    elif view is View.TONE:
        return _tone(stages, job, rect, level, look)
    elif view is View.ZONES:
        colours = _zones(stages, job, rect, level, look)
    elif view is View.BACKING:
        colours = stages.sheet(sheet_of(job), rect, level, _check)
    else:
        colours = stages.composite(job, rect, level, stages.backing_colour(_plain_colour(view, look)))
    if look.lift:
        colours = np.power(np.clip(colours, 0, 1), np.float32(LIFTS[look.lift]))
    return to_screen(to_bytes(colours), job.photo.profile)


def _second(stages: Stages, job: Job, rect: Rect, level: int) -> FloatArray:
    """Show the second frame over the photo; the photo, faded, where there is none."""
    photo = stages.pyramid.colours(rect, level)
    frame = frame_of(job, also_unused=True)
    faded = np.asarray(0.4 * photo + 0.5, np.float32)
    return faded if frame is None else frame_colours(frame, job, rect, level, beyond=faded)


def _faint(stages: Stages, job: Job, rect: Rect, level: int) -> FloatArray:
    """Show the matte with all between clear and solid drawn towards the middle: 1 % is a plain gray, 0 stays black."""
    alpha = stages.alpha(job, rect, level)
    away = 2 * alpha - 1
    return np.asarray(0.5 + 0.5 * np.sign(away) * np.abs(away) ** np.float32(_FAINTNESS), np.float32)


def _around_residue(job: Job, rect: Rect, level: int) -> Rect:
    return Rect(*residue_window(*rect.as_tuple)).intersection(job.photo.space.bounds(level))


def _residue(stages: Stages, job: Job, rect: Rect, level: int) -> FloatArray:
    """Show where the matte does not explain the photo, brightened."""
    around = _around_residue(job, rect, level)
    alpha, photo = stages.alpha(job, around, level), stages.pyramid.colours(around, level)
    left = residue(
        photo,
        stages.foreground(job, around, level),
        alpha,
        linear=job.settings.photo.is_linear,
        behind=known_behind(job, photo, around, level),
    )
    return np.asarray(left[rect.within(around)] * np.float32(_BRIGHTENED), np.float32)


def _changed(stages: Stages, job: Job, rect: Rect, level: int, before: Job | None) -> FloatArray:
    """Show the matte dimmed, and over it what was added or taken since the step before, brightened."""
    alpha = stages.alpha(job, rect, level)
    out = np.repeat(alpha[..., None] * np.float32(0.35), 3, axis=2)
    if before is not None:
        change = np.float32(_BRIGHTENED) * (alpha - stages.alpha(before, rect, level))
        out += np.clip(np.abs(change), 0, 0.65)[..., None] * np.where(change[..., None] > 0, _ADDED, _TAKEN)
    return np.asarray(out, np.float32)


def _recoloured(stages: Stages, job: Job, rect: Rect, level: int) -> FloatArray:
    """Show what corrections changed of the photo's colours, brightened around a middle gray."""
    change = stages.foreground(job, rect, level) - stages.pyramid.colours(rect, level)
    seen = (stages.alpha(job, rect, level) > 0)[..., None]
    return np.asarray(0.5 + np.where(seen, np.float32(_BRIGHTENED) * change, 0), np.float32)


def _around_rims(job: Job, rect: Rect, level: int) -> Rect:
    return job.photo.space.around(rect, level, RIM_REACH)


def _rims(stages: Stages, job: Job, rect: Rect, level: int) -> FloatArray:
    """Show the edge's excess of colour over the subject further in, brightened, over the matte, dimmed."""
    around = _around_rims(job, rect, level)
    alpha, width = stages.alpha(job, around, level), job.settings.recipe.colour.rim_px / (1 << level)
    excess, _, share = measured_rim(stages.foreground(job, around, level), alpha, width)
    out = 0.45 * alpha[..., None] + np.float32(_BRIGHTENED) * share[..., None] * excess
    return np.asarray(out[rect.within(around)], np.float32)


_GRAY: Final[dict[View, Callable[[Stages, Job, Rect, int], FloatArray]]] = {
    View.MATTE: Stages.alpha,
    View.FAINT: _faint,
    View.RESIDUE: _residue,
}
"""The views that show one number a pixel."""


def _shown_separation(job: Job, look: Look) -> Separation:
    """Return what Tone shows."""
    if look.separation is not None:
        return look.separation
    own = (separation for separation in job.settings.recipe.separations if separation.applies == "everywhere")
    return next(own, Separation(rendering="lightness"))


def _tone(stages: Stages, job: Job, rect: Rect, level: int, look: Look) -> ByteArray:
    """Show a separation between its ends: black is surely backdrop, white surely subject; lost detail is stippled."""
    separation, scale = _shown_separation(job, look), 1 / (1 << level)
    reach = int(np.ceil(max(tone_reach(separation), _DETAIL_REACH) * scale)) + 1
    around = job.photo.space.around(rect, level, reach)
    tone = tone_window(job, separation, stages.pyramid.colours(around, level), around, scale)
    curve = curve_of(separation)
    out = np.repeat(to_bytes(curve.alpha(tone))[..., None], 3, axis=2)
    if look.lost_floor is not None:
        unsure = stages.zone_shares(job, around, level)[1] > 0
        _, lost = clipped_detail(tone, curve, unsure, look.lost_floor)
        shown = cv2.dilate(lost.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        out[shown] = to_bytes(np.array(rgb_from_hex(look.unsure), np.float32))
    return np.ascontiguousarray(out[rect.within(around)])


def _plain_colour(view: View, look: Look) -> str:
    return {View.WHITE: "#ffffff", View.BLACK: "#000000", View.LOUD: look.loud, View.GREY: look.grey}[view]


def _check(rect: Rect) -> FloatArray:
    return checker(rect.top, rect.left, rect.height, rect.width, 12)


def _zones(stages: Stages, job: Job, rect: Rect, level: int, look: Look) -> FloatArray:
    """Show the subject as photographed, the backdrop faded and hatched, the band stippled."""
    photo = stages.pyramid.colours(rect, level)
    backdrop, unsure = stages.zone_shares(job, rect, level)
    rows = np.arange(rect.top, rect.bottom, dtype=np.int32)[:, None]
    columns = np.arange(rect.left, rect.right, dtype=np.int32)[None, :]
    strength = np.float32(look.strength)
    every = look.hatch_px
    gray = photo.mean(axis=2, keepdims=True)
    cool, warm = (np.array(rgb_from_hex(hue), np.float32) for hue in (look.backdrop, look.unsure))
    hatched = ((rows + columns) % every < max(every // 4, 1))[..., None]
    wash = gray * np.float32(0.55) + np.float32(0.25) + np.float32(0.2) * cool
    wash = np.where(hatched, wash * np.float32(0.78), wash)
    # lighter or darker than the photo beneath, whichever shows better there
    spots = _patterned(stages.kinds(job, rect, level), rows, columns, max(every * 2 // 3, 3))
    tinted = photo + (warm - photo) * (0.65 * strength)
    dot = np.where(gray > 0.5, warm * np.float32(0.55), warm * np.float32(0.5) + np.float32(0.5))
    stippled = np.where(spots[..., None], dot, tinted)
    out = photo + (wash - photo) * (backdrop[..., None] * np.minimum(1.5 * strength, 1))
    return np.asarray(out + (stippled - out) * (unsure[..., None] * np.minimum(1.67 * strength, 1)), np.float32)


def _patterned(kinds: ByteArray, rows: IntArray, columns: IntArray, every: int) -> BoolArray:
    """Return which pixels of the band carry ink: a pattern for each kind of edge, so that nothing depends on hue."""
    out = kind_pattern(None, rows, columns, every)
    for kind in Kind:
        here = kinds == kind
        if here.any():
            out = np.where(here, kind_pattern(kind, rows, columns, every), out)
    return out


def zone_hues(stages: Stages, photo: Photo) -> tuple[str, str]:
    """Choose hues for the unsure band and the backdrop that stand out from this photo and from each other."""
    level = photo.space.level_within(400)
    picture = to_bytes(stages.pyramid.colours(photo.space.bounds(level), level))
    lab = lab_of(to_screen(picture, photo.profile)).reshape(-1, 3)
    hues = _lab_of_hex(ZONE_HUES)
    away = [float(np.percentile(np.linalg.norm(lab - hue, axis=1), 5)) for hue in hues]
    first = int(np.argmax(away))
    apart = [
        min(away[number], 40.0) + 0.6 * float(np.linalg.norm(hue - hues[first])) for number, hue in enumerate(hues)
    ]
    apart[first] = -1
    return ZONE_HUES[first], ZONE_HUES[int(np.argmax(apart))]


def loudest_colour(stages: Stages, job: Job) -> str:
    """Choose the backing that differs most from this subject's edge.

    Notes
    -----
    Of a few strong colours, the one whose nearest edge colours are farthest away in CIE Lab (10th percentile).
    """
    level = job.photo.space.level_within(700)
    rect = job.photo.space.bounds(level)
    alpha = stages.alpha(job, rect, level)
    zones: ByteArray = np.where(alpha >= 1, FOREGROUND, np.where(alpha <= 0, BACKGROUND, 128)).astype(np.uint8)
    edge = cv2.dilate((zones == 128).astype(np.uint8), np.ones((5, 5))).astype(bool) & (alpha > 0.3)
    if not edge.any():
        return LOUDEST
    colours = to_bytes(stages.foreground(job, rect, level))[edge][None]
    lab = lab_of(to_screen(colours, job.photo.profile))[0]

    def nearness(candidate: str) -> float:
        return float(np.percentile(np.linalg.norm(lab - _lab_of_hex([candidate])[0], axis=1), 10))

    return max(_CANDIDATES, key=nearness)


def _lab_of_hex(colours: Sequence[str]) -> FloatArray:
    """Return CIE Lab of ``#rrggbb`` colours, (N, 3)."""
    return lab_of(to_bytes(np.array([[rgb_from_hex(colour) for colour in colours]], np.float32)))[0]
