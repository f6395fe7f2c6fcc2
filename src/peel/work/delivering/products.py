"""The pixels of what is delivered, several products in one pass over the strips of a space."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.errors import Cancelled
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.job.preset import ProductName
from peel.job.rect import Rect
from peel.job.space import Space
from peel.matte.arrays import FloatArray
from peel.matte.composite.lookup import graded_quickly
from peel.matte.parallel import run_all
from peel.work.stages import CELL, Stages
from peel.work.stages.grades import grading_of

__all__ = [
    "Progress",
    "Want",
    "bytes_of",
    "cutout_pixels",
    "flat_pixels",
    "matte_pixels",
    "products",
    "space_of_product",
]

_PIECE: Final = 4  # cells

Progress = Callable[[float], bool]
"""Called with the share done; returns False to stop."""


@dataclass(frozen=True)
class Want:
    """Pixels that are wanted.

    Attributes
    ----------
    product : "cutout", "flat", "matte", "shadow" or "backing"
    bits : int
        8 or 16 a channel.
    framed : bool
        Of a cutout or matte: whether it has the sheet's frame, with all that is arranged on it.
    continued : bool
        Of a cutout: whether the subject's colour goes on under clear pixels.
    """

    product: ProductName
    bits: int = 8
    framed: bool = False
    continued: bool = True

    @property
    def on_sheet(self) -> bool:
        """Whether it is made in the sheet's space."""
        return self.framed or self.product not in {"cutout", "matte"}


_CHANNELS: Final[dict[str, int]] = {"cutout": 4, "flat": 3, "matte": 0, "shadow": 4, "backing": 3}


def space_of_product(job: Job, want: Want) -> Space:
    """Return the space that a product is made in."""
    return sheet_of(job).space if want.on_sheet else job.photo.space


def products(job: Job, stages: Stages, wants: Sequence[Want], progress: Progress | None = None) -> list[NDArray[Any]]:
    """Make pixels: (H, W), (H, W, 3) or (H, W, 4) with straight alpha, uint8 or uint16, in the photo's profile.

    Raises
    ------
    Cancelled
        If `progress` said to stop.
    """
    out = [_blank(job, want) for want in wants]
    passes = [[k for k, want in enumerate(wants) if want.on_sheet == on_sheet] for on_sheet in (False, True)]
    passes = [numbers for numbers in passes if numbers]
    for done, numbers in enumerate(passes):
        space = space_of_product(job, wants[numbers[0]])
        for strip in _strips(space):
            if progress is not None and not progress((done + strip.top / space.height) / len(passes)):
                raise Cancelled
            run_all([partial(_fill, job, stages, wants, numbers, out, piece) for piece in _pieces(strip)])
    return out


def _fill(
    job: Job, stages: Stages, wants: Sequence[Want], numbers: Sequence[int], out: Sequence[NDArray[Any]], piece: Rect
) -> None:
    """Make a piece of some of the products, one after the other, as they share what is kept of the stages."""
    for k in numbers:
        out[k][piece.slices] = _MAKERS[wants[k].product](job, stages, wants[k], piece)


def bytes_of(job: Job, want: Want) -> int:
    """Return how many bytes the pixels of a product are."""
    space = space_of_product(job, want)
    return space.height * space.width * max(_CHANNELS[want.product], 1) * want.bits // 8


def _blank(job: Job, want: Want) -> NDArray[Any]:
    space, channels = space_of_product(job, want), _CHANNELS[want.product]
    shape = (space.height, space.width, *((channels,) if channels else ()))
    return np.zeros(shape, np.uint8 if want.bits == 8 else np.uint16)


def _strips(space: Space) -> list[Rect]:
    """Split a space into strips as high as the stages' cells, so that no colour is estimated twice."""
    return [Rect(top, 0, min(top + CELL, space.height), space.width) for top in range(0, space.height, CELL)]


def _pieces(strip: Rect) -> list[Rect]:
    """Split a strip into pieces that are made side by side: several cells wide, as blurs look beyond a piece."""
    width = _PIECE * CELL
    lefts = range(strip.left, strip.right, width)
    return [Rect(strip.top, left, strip.bottom, min(left + width, strip.right)) for left in lefts]


def _integers(values: FloatArray, bits: int) -> NDArray[Any]:
    top = (1 << bits) - 1
    return np.asarray(np.clip(values, 0, 1) * np.float32(top) + np.float32(0.5)).astype(
        np.uint8 if bits == 8 else np.uint16
    )


def _matte(job: Job, stages: Stages, want: Want, strip: Rect) -> NDArray[Any]:
    if want.framed:
        return _integers(stages.sheets.transparent(sheet_of(job), strip, 0)[..., 3], want.bits)
    return _integers(stages.alpha(job, strip, 0), want.bits)


def _cutout(job: Job, stages: Stages, want: Want, strip: Rect) -> NDArray[Any]:
    """Make a strip of the cutout; nothing of the old backdrop is left in it.

    Where alpha is 0 the subject's colour is continued a few pixels outward, if asked for; beyond that the colour is
    black. The subject is graded as it is on its backing.
    """
    if want.framed:
        return _framed(job, stages, want, strip)
    outward = job.settings.recipe.colour.outward_px if want.continued else 0
    around = strip.grown(outward).intersection(job.photo.space.bounds())
    alpha = stages.alpha(job, around, 0)
    if not alpha.any():
        return np.zeros((strip.height, strip.width, 4), np.uint8 if want.bits == 8 else np.uint16)
    near, inner = _near_subject(alpha, outward), strip.within(around)
    colours = graded_quickly(stages.foreground(job, strip, 0), grading_of(job.settings.recipe.subject))
    values = _integers(colours, want.bits)
    values[~near[inner]] = 0
    return np.dstack([values, _integers(alpha[inner], want.bits)])


def _near_subject(alpha: FloatArray, outward: int) -> NDArray[np.bool_]:
    if outward == 0:
        return alpha > 0
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * outward + 1, 2 * outward + 1))
    return np.asarray(cv2.dilate((alpha > 0).astype(np.uint8), disc).astype(bool))


def _framed(job: Job, stages: Stages, want: Want, strip: Rect) -> NDArray[Any]:
    """Make a strip of all cutouts as they are arranged, on nothing."""
    laid = stages.sheets.transparent(sheet_of(job), strip, 0)
    straight = laid[..., :3] / np.maximum(laid[..., 3:], np.float32(1e-4))
    return np.dstack([_integers(np.asarray(straight, np.float32), want.bits), _integers(laid[..., 3], want.bits)])


def _flat(job: Job, stages: Stages, want: Want, strip: Rect) -> NDArray[Any]:
    """Make a strip of the sheet; white where it has no backing."""
    return _integers(stages.sheet(sheet_of(job), strip, 0, _white(stages)), want.bits)


def _backing(job: Job, stages: Stages, want: Want, strip: Rect) -> NDArray[Any]:
    made = stages.sheets.backings.window(sheet_of(job), strip, 0)
    return _integers(_white(stages)(strip) if made is None else made, want.bits)


def _shadow(job: Job, stages: Stages, want: Want, strip: Rect) -> NDArray[Any]:
    """Make a strip of the shadows, one over the other, as straight colour and opacity."""
    out = np.zeros((strip.height, strip.width, 4), np.float32)
    for layer in stages.sheets.layers(sheet_of(job), strip, 0):
        alpha = layer.opacity[..., None]
        own = np.concatenate([alpha * np.array(layer.colour, np.float32), alpha], axis=2)
        out = own + (1 - alpha) * out
    straight = out[..., :3] / np.maximum(out[..., 3:], np.float32(1e-4))
    return np.dstack([_integers(np.asarray(straight, np.float32), want.bits), _integers(out[..., 3], want.bits)])


def _white(stages: Stages) -> Callable[[Rect], FloatArray]:
    white = np.array(stages.backing_colour("#ffffff"), np.float32)
    return lambda rect: np.broadcast_to(white, (rect.height, rect.width, 3))


_MAKERS: Final[dict[str, Callable[[Job, Stages, Want, Rect], NDArray[Any]]]] = {
    "cutout": _cutout,
    "flat": _flat,
    "matte": _matte,
    "shadow": _shadow,
    "backing": _backing,
}


def matte_pixels(job: Job, stages: Stages, bits: int, progress: Progress | None = None) -> NDArray[Any]:
    """Make the finished matte as (H, W) uint8 or uint16."""
    return products(job, stages, [Want("matte", bits)], progress)[0]


def cutout_pixels(job: Job, stages: Stages, bits: int, progress: Progress | None = None) -> NDArray[Any]:
    """Make the cutout as (H, W, 4) with straight alpha, in the photo's frame."""
    return products(job, stages, [Want("cutout", bits)], progress)[0]


def flat_pixels(job: Job, stages: Stages, bits: int = 8, progress: Progress | None = None) -> NDArray[Any]:
    """Make the sheet as (H, W, 3), in its own profile; white where it has no backing."""
    return products(job, stages, [Want("flat", bits)], progress)[0]
