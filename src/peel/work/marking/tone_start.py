"""Start by tone where nothing is marked: a rendering and its two ends give subject, band and matte."""

from typing import Final

import cv2
import numpy as np

from peel.errors import MarkError
from peel.job.edits.marking import Zone, mark_region
from peel.job.edits.separations import curve_of
from peel.job.edits.working import working_photo
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import RenderingName, Separation
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.laying import working_step
from peel.matte.marking.regions import drop_islands, fill_holes
from peel.matte.pixels import to_bytes
from peel.matte.separation.renderings import RENDERINGS
from peel.matte.separation.tone_curve import propose_ends
from peel.work.separating.choosing import put_separation
from peel.work.separating.tones import tone_window

__all__ = ["at_full_size", "mark_by_tone", "propose_starts", "tone_thumb", "with_ends"]

_SMALL: Final = 200_000  # pixels in which renderings are compared
_SPECKS: Final = 400  # working pixels; smaller pieces of subject, and smaller holes, are noise
_SHARES: Final = (0.002, 0.995)  # of the photo between which a subject makes sense
_BORDER: Final = 0.04  # share of the photo's sides that is taken for its border


def propose_starts(job: Job) -> list[tuple[Separation, float]]:
    """Propose the two ends of every rendering that depends on nothing but colour, the best first.

    Returns
    -------
    list of (Separation, float)
        The tones are parted into two classes by Otsu's threshold [1]_; the class that is more frequent along the
        photo's border is the backdrop. The figure is the share of the tones' variance that lies between the classes.

    References
    ----------
    .. [1] N. Otsu, "A threshold selection method from gray-level histograms", IEEE Transactions on Systems, Man, and
       Cybernetics 9(1), 1979, pp. 62-66. :doi:`10.1109/TSMC.1979.4310076`
    """
    small, scale = _small(job)
    names: list[RenderingName] = [*RENDERINGS]  # type: ignore[list-item]
    found = [_proposed(job, small, scale, name) for name in names]
    return sorted(found, key=lambda pair: -pair[1])


def _small(job: Job) -> tuple[FloatArray, float]:
    photo = job.photo
    scale = min(1.0, float(np.sqrt(_SMALL / (photo.height * photo.width))))
    size = (max(1, round(photo.width * scale)), max(1, round(photo.height * scale)))
    return np.asarray(cv2.resize(working_photo(photo), size, interpolation=cv2.INTER_AREA), np.float32), scale


def _tone(job: Job, separation: Separation, small: FloatArray, scale: float) -> FloatArray:
    return tone_window(job, separation, small, Rect(0, 0, *small.shape[:2]), scale)


def _proposed(job: Job, small: FloatArray, scale: float, name: RenderingName) -> tuple[Separation, float]:
    tone = _tone(job, Separation(rendering=name), small, scale)
    least, most = float(tone.min()), float(tone.max())
    if most - least < 1 / 255:
        return Separation(rendering=name, low=0.0, high=1.0), 0.0
    codes = to_bytes((tone - least) / (most - least))
    threshold = cv2.threshold(codes, 0, 255, cv2.THRESH_OTSU)[0]
    upper = codes > threshold
    if upper.all() or not upper.any():
        return Separation(rendering=name, low=0.0, high=1.0), 0.0
    border = np.ones(upper.shape, bool)
    rows, columns = (max(1, round(_BORDER * side)) for side in upper.shape)
    border[rows:-rows, columns:-columns] = False
    subject = upper if upper[border].mean() <= 0.5 else ~upper
    low, high = propose_ends(tone[subject], tone[~subject])
    apart = upper.mean() * (1 - upper.mean()) * (tone[upper].mean() - tone[~upper].mean()) ** 2 / tone.var()
    return Separation(rendering=name, low=round(low, 4), high=round(high, 4)), float(min(apart, 1.0))


def with_ends(separation: Separation, job: Job) -> Separation:
    """Return a separation with the ends that Peel proposes for its rendering, unless it has both."""
    if separation.low is not None and separation.high is not None:
        return separation
    own = next((found for found, _ in propose_starts(job) if found.rendering == separation.rendering), None)
    if own is None:
        raise MarkError("That rendering needs a mark to begin from.", "Take another one, or mark the subject first.")
    return separation.model_copy(update={"low": own.low, "high": own.high})


def tone_thumb(job: Job, separation: Separation, height: int, width: int) -> ByteArray:
    """Return the whole photo's tone between its ends, (height, width) uint8, black beside a photo of another shape."""
    small, scale = _small(job)
    alpha = curve_of(separation).alpha(_tone(job, separation, small, scale))
    fit = min(height / alpha.shape[0], width / alpha.shape[1])
    rows, columns = (max(1, round(side * fit)) for side in alpha.shape)
    top, left = (height - rows) // 2, (width - columns) // 2
    thumb = np.zeros((height, width), np.uint8)
    shown = cv2.resize(alpha, (columns, rows), interpolation=cv2.INTER_AREA)
    thumb[top : top + rows, left : left + columns] = to_bytes(shown)
    return thumb


def mark_by_tone(job: Job, number: int, separation: Separation) -> Job:
    """Mark what is more than half-way to a tone's solid end, and let the tone be the matte.

    Parameters
    ----------
    job : Job
        In which nothing is marked.
    number : int
        Place in the recipe's list at which the separation is put.
    separation : Separation
        With both ends.

    Raises
    ------
    MarkError
        If something is marked already, or the tone leaves nothing or nearly everything as subject.
    """
    if job.has_subject:
        raise MarkError("Something is marked already.", "Clear the marks in Mark to start by tone.")
    step = working_step(job.photo.height, job.photo.width)
    tone = _tone(job, separation, working_photo(job.photo), 1 / step)
    region = at_full_size(job, curve_of(separation).alpha(tone) >= 0.5)
    marked = mark_region(job, region, Zone.SUBJECT)
    return put_separation(marked, number, separation.model_copy(update={"use": "matte", "strength": None}))


def at_full_size(job: Job, region: BoolArray) -> BoolArray:
    """Clean a region of the working size, and return it at the photo's.

    Takes (h, w) bool at the working size; returns (H, W) bool.

    Raises
    ------
    MarkError
        If it is nothing, or nearly everything.
    """
    region = fill_holes(drop_islands(region, _SPECKS), _SPECKS)
    least, most = _SHARES
    if not least < region.mean() < most:
        message = f"By that colour or tone {region.mean() * 100:.0f} % of the photo would be subject."
        raise MarkError(message, "Press where the backdrop shows its own colour, or move the ends.")
    step = working_step(job.photo.height, job.photo.width)
    full = cv2.resize(region.astype(np.uint8) * 255, None, fx=step, fy=step, interpolation=cv2.INTER_LINEAR) >= 128
    return np.asarray(full[: job.photo.height, : job.photo.width], bool)
