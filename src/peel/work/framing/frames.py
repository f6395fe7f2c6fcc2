"""The second frame of a job, brought over its photo: made once for a photo, and freed with it."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.errors import PhotoError
from peel.files.assets import decode_asset, read_asset
from peel.job.assets import Asset
from peel.job.edits.values import use_settings
from peel.job.job import Job, Photo
from peel.job.question import counted_frame
from peel.job.rect import Rect
from peel.job.settings import FrameKind, FrameNudge, SecondFrame
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.pixels import unit_floats
from peel.matte.plate.alignment import LEAST_ALONG_RIM, Alignment, align, brought_over, compared_step, nudged
from peel.matte.plate.difference import cast_shadow
from peel.matte.smaller import averaged
from peel.matte.solve.noise import measure_noise

__all__ = [
    "FRAME_WORDS",
    "Fit",
    "Frame",
    "fit_of",
    "frame_of",
    "give_frame",
    "kind_of",
    "read_frame",
    "small_pair",
    "without_frame",
]

FRAME_WORDS: Final = {"empty": "the set without the subject", "again": "the same subject before another backdrop"}
"""What each kind of frame is called."""

_ASPECT: Final = 0.01  # by which the proportions of photo and frame may differ
_SAME: Final = 0.985  # share that agrees from which a frame shows nothing else than the photo
_LEAST_SUBJECT: Final = 0.004  # share that agrees below which two pictures have nothing in common
_PLACES: Final = (
    ("upper left", "top", "upper right"),
    ("left", "middle", "right"),
    ("lower left", "bottom", "lower right"),
)
_EVEN_STOPS: Final = 0.02
_SEEN: Final = 0.1  # share of a part that has to show what is judged
_MISFIT: Final = 0.35  # share of a part's backdrop that differs, from which it is said


@dataclass(frozen=True, eq=False)
class Frame:
    """A second frame over its photo.

    Attributes
    ----------
    kind : "empty" or "again"
    pixels : (H, W, 3) uint8 or uint16 ndarray
        In the photo's light, encoding and place.
    inside : (H, W) bool ndarray
        Where it shows anything.
    alignment : Alignment
    """

    kind: FrameKind
    pixels: NDArray[Any]
    inside: BoolArray
    alignment: Alignment

    def colours(self, rect: Rect) -> FloatArray:
        """Copy a window as float32 in [0, 1]."""
        return unit_floats(self.pixels[rect.slices])


@dataclass(frozen=True)
class Fit:
    """How well a frame fits its photo.

    Attributes
    ----------
    kind : "empty" or "again"
    moved_px, turned_deg, stops : float
        How far it was moved and turned to lie over the photo, and by how much it is darker.
    share : float
        Of the backdrop, or of the subject before another backdrop, in which both agree.
    misfits : tuple of str
        Parts of the photo where they do not, in words.
    """

    kind: FrameKind
    moved_px: float
    turned_deg: float
    stops: float
    share: float
    misfits: tuple[str, ...]

    @property
    def says(self) -> str:
        """All of it in a sentence or two."""
        light = "as light" if abs(self.stops) < _EVEN_STOPS else f"{abs(self.stops):.2f} stops {self._tone}"
        what = "the backdrop" if self.kind == "empty" else "the subject"
        text = f"It lies {self.moved_px:.1f} px off, turned by {self.turned_deg:.1f}°, {light}; "
        text += f"{what} agrees on {self.share * 100:.0f} %."
        if self.misfits:
            moved = "The set has changed" if self.kind == "empty" else "The subject has moved"
            text += f" {moved} at the {' and the '.join(self.misfits)}: Peel goes by the photo there."
        return text

    @property
    def _tone(self) -> str:
        return "darker" if self.stops > 0 else "lighter"


def read_frame(path: Path, photo: Photo) -> tuple[Asset, FrameKind]:
    """Read a second frame of a photo, and tell which it is; waits for a second or a few.

    Raises
    ------
    PhotoError
        If it cannot be read, has other proportions than the photo, or shows the same or something else.
    """
    asset = read_asset(path)
    return asset, kind_of(asset, photo)


def kind_of(asset: Asset, photo: Photo) -> FrameKind:
    """Tell whether a picture shows the set without the photo's subject or the subject before another backdrop.

    Raises
    ------
    PhotoError
        If it shows neither, or the same as the photo.
    """
    if abs(np.log((asset.width / asset.height) / (photo.width / photo.height))) > _ASPECT:
        message = (
            f"{asset.name} is {asset.width} × {asset.height} pixels, {photo.name} {photo.width} × {photo.height}: "
            "it is no second frame of it."
        )
        raise PhotoError(message, "Take both with the same camera, upright or across alike.")
    alignment = photo.derived(_aligned, asset)
    if alignment.agrees[alignment.inside].mean() > _SAME:
        message = f"{asset.name} shows the same as {photo.name}."
        raise PhotoError(message, "A second frame lacks the subject, or has another backdrop.")
    if alignment.agrees_along_rim >= LEAST_ALONG_RIM:
        return "empty"
    if not alignment.is_outlined and (alignment.features == 0 or alignment.agrees.mean() < _LEAST_SUBJECT):
        message = f"{asset.name} shows neither the set nor the subject of {photo.name}."
        raise PhotoError(message, "Choose the frame that was taken with it, from the same place.")
    return "again"


def _aligned(photo: Photo, asset: Asset) -> Alignment:
    return align(photo.pixels, _pixels(photo, asset))


def _pixels(photo: Photo, asset: Asset) -> NDArray[Any]:
    """Decode a frame in the photo's profile, bits and size."""
    pixels = decode_asset(asset, photo.profile)[..., :3]
    if pixels.shape[:2] != photo.pixels.shape[:2]:
        pixels = cv2.resize(pixels, (photo.width, photo.height), interpolation=cv2.INTER_AREA)
    if pixels.dtype != photo.pixels.dtype:
        pixels = pixels.astype(np.uint16) * 257 if photo.bits == 16 else (pixels // 257).astype(np.uint8)
    return np.ascontiguousarray(pixels)


def _brought(photo: Photo, asset: Asset, kind: FrameKind, nudge: FrameNudge) -> Frame:
    shape = photo.height, photo.width
    alignment = photo.derived(_aligned, asset)
    if nudge != FrameNudge():
        alignment = nudged(alignment, nudge.right_px, nudge.down_px, nudge.turn_deg, shape)
    pixels, inside = brought_over(_pixels(photo, asset), alignment, shape)
    for shared in (pixels, inside):
        shared.setflags(write=False)
    return Frame(kind, pixels, inside, alignment)


def frame_of(job: Job, *, also_unused: bool = False) -> Frame | None:
    """Return the second frame of a job over its photo; None if there is none, it is not used, or it is missing.

    The first request for a photo takes seconds.
    """
    second = job.settings.recipe.second_frame
    counted = counted_frame(job.settings)
    asset = job.assets.get(second.picture or "")
    if asset is None or (counted is None and not also_unused):
        return None
    try:
        return job.photo.latest(_brought, asset, second.kind, job.settings.photo.frame_nudge)
    except PhotoError:  # damaged since, or carried from a photo of other proportions: as without it
        return None


def fit_of(job: Job) -> Fit | None:
    """Return how well a job's second frame fits, judged where its zones say; None without one that can be read."""
    frame = frame_of(job, also_unused=True)
    if frame is None:
        return None
    alignment = frame.alignment
    height, width = alignment.agrees.shape
    wanted = BACKGROUND if frame.kind == "empty" else FOREGROUND
    judged = (job.zones.sampled(height, width) == wanted) & alignment.inside
    if frame.kind == "empty":
        judged &= ~_shadow_on(job.photo, frame)
    misfits = _misfits(alignment.agrees, judged) if job.has_subject else ()
    return Fit(
        frame.kind,
        alignment.moved_px(job.photo.height, job.photo.width),
        alignment.turned_deg,
        alignment.stops,
        float(alignment.agrees[judged].mean()) if judged.any() else 0.0,
        misfits,
    )


def _shadow_on(photo: Photo, frame: Frame) -> BoolArray:
    """Return where the subject's shadow lies on the set, in the picture that both were compared in."""
    return cast_shadow(*small_pair(photo, frame)) & ~frame.alignment.agrees


def small_pair(photo: Photo, frame: Frame) -> tuple[FloatArray, FloatArray, float]:
    """Return photo and frame at the size at which they were compared, and the noise of a channel of the photo there.

    (h, w, 3) float32 twice, and a standard deviation.
    """
    step = compared_step(photo.height, photo.width)
    image = averaged(photo.pixels, step)
    return image, averaged(frame.pixels, step), float(np.sqrt(measure_noise(image).variance.mean()))


def _misfits(agrees: BoolArray, judged: BoolArray) -> tuple[str, ...]:
    """Name the ninths of a picture in which much of the backdrop differs."""
    out = []
    rows, columns = (np.array_split(np.arange(side), 3) for side in agrees.shape)
    for down, names in zip(rows, _PLACES, strict=True):
        for across, name in zip(columns, names, strict=True):
            at = slice(down[0], down[-1] + 1), slice(across[0], across[-1] + 1)
            seen = judged[at]
            if seen.mean() > _SEEN and 1 - float(agrees[at][seen].mean()) > _MISFIT:
                out.append(name)
    return tuple(out)


def give_frame(job: Job, asset: Asset, kind: FrameKind) -> Job:
    """Give a job its second frame; one step of undo."""
    settings = job.settings
    recipe = settings.recipe.model_copy(update={"second_frame": SecondFrame(picture=asset.digest, kind=kind)})
    photo = settings.photo.model_copy(update={"frame_nudge": FrameNudge()})
    return use_settings(job.with_asset(asset), settings.model_copy(update={"recipe": recipe, "photo": photo}))


def without_frame(job: Job) -> Job:
    """Take the second frame away; one step of undo."""
    recipe = job.settings.recipe.model_copy(update={"second_frame": SecondFrame()})
    photo = job.settings.photo.model_copy(update={"frame_nudge": FrameNudge()})
    return use_settings(job, job.settings.model_copy(update={"recipe": recipe, "photo": photo}))
