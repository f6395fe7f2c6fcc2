"""The derived pictures of one photo's jobs, and of the sheet they are delivered on."""

import weakref
from collections.abc import Hashable
from typing import Final

import numpy as np

from peel.job.edits.kinds import kinds_in
from peel.job.job import Job, Photo
from peel.job.placing.sheet import Sheet
from peel.job.rect import Rect
from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.composite.over import composite_over
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.work.stages.cache import Cache
from peel.work.stages.chain import Chain, Stage
from peel.work.stages.colour_brushes import Original, Tinted, Toned
from peel.work.stages.colour_chain import (
    Clean,
    Despilled,
    Estimate,
    MeasuredRims,
    MeasuredRoots,
    Photographed,
    Rims,
    Rooted,
)
from peel.work.stages.hair import Haired, HairFinder
from peel.work.stages.matte_chain import Finished, Solved, Touched
from peel.work.stages.pyramid import Pyramid, shrunk
from peel.work.stages.sheets import Bare, Sheets

__all__ = ["Stages"]

_LINES_BYTES: Final = 64_000_000


class Stages:
    """The chains of one photo. Any thread.

    Parameters
    ----------
    photo : Photo
    cache : Cache, optional
        Shared with other photos, if given.

    Attributes
    ----------
    pyramid : Pyramid
        The photo at every level.
    matte : Chain
        The finished matte, alpha in [0, 1].
    colours : Chain
        The subject's own colours, straight, in [0, 1], in the photo's profile.
    hair : HairFinder
        The strands of the matte.
    sheets : Sheets
        What is laid under and over the cutout.
    """

    def __init__(self, photo: Photo, cache: Cache | None = None) -> None:
        self.cache = cache if cache is not None else Cache(400_000_000)
        self.pyramid = Pyramid(photo.pixels)
        self.hair = HairFinder()
        lines = Cache(_LINES_BYTES)  # apart, since a photo's are asked for again with every window of it
        haired, unthinned = (Haired(self.pyramid, self.hair, lines, leaves_out=out) for out in (True, False))
        self.matte = Chain([Solved(), haired, Touched(), Finished()], photo.space, self.cache)
        # A strand that is left out shows none of its colours: those of the others are as they were with it.
        with_all = Chain([Solved(), unthinned, Touched(), Finished()], photo.space, self.cache)
        untinted: list[Stage] = [
            Photographed(self.pyramid),
            Estimate(with_all),
            Clean(self.pyramid, with_all),
            MeasuredRoots(self.pyramid, with_all),
            Rooted(with_all),
            Despilled(with_all),
            MeasuredRims(with_all),
            Rims(with_all),
            Toned(with_all),
        ]
        before = Chain(untinted, photo.space, self.cache)
        brushed = [Tinted(before, self.matte, self.cache), Original(self.pyramid)]
        self.colours = Chain([*untinted, *brushed], photo.space, self.cache)
        # A proxy, so that the two do not keep each other, and a photo's pictures are freed with the last use of them.
        self.sheets = Sheets(weakref.proxy(self), self.cache, photo.profile)

    def alpha(self, job: Job, rect: Rect, level: int) -> FloatArray:
        """Return the finished matte at a level, float32 in [0, 1].

        Returns (h, w).
        """
        return self.matte.window(job, rect, level)

    def foreground(self, job: Job, rect: Rect, level: int) -> FloatArray:
        """Return the subject's own colours at a level, straight, float32 in [0, 1].

        Returns (h, w, 3).
        """
        return self.colours.window(job, rect, level)

    def composite(
        self, job: Job, rect: Rect, level: int, backing: FloatArray | tuple[float, float, float]
    ) -> FloatArray:
        """Return the cutout over a backing, in the photo's profile, mixed the way the photo mixes its colours.

        Returns (h, w, 3) float32 in [0, 1].
        """
        foreground, alpha = self.foreground(job, rect, level), self.alpha(job, rect, level)
        return composite_over(foreground, backing, alpha, linear=job.settings.photo.is_linear)

    def zone_shares(self, job: Job, rect: Rect, level: int) -> tuple[FloatArray, FloatArray]:
        """Return how much of each pixel of a level is backdrop and how much is unsure, in [0, 1].

        Two (h, w) float32.
        """
        zones: ByteArray = job.zones.read(job.photo.space.covered(rect, level))
        backdrop = (zones == BACKGROUND).astype(np.float32)
        unsure = ((zones != BACKGROUND) & (zones != FOREGROUND)).astype(np.float32)
        return shrunk(backdrop, level), shrunk(unsure, level)

    def kinds(self, job: Job, rect: Rect, level: int) -> ByteArray:
        """Return the kind of edge that counts at the first pixel of each pixel of a level; 0 where none does.

        Returns (h, w) uint8.
        """
        step = 1 << level
        return np.ascontiguousarray(kinds_in(job, job.photo.space.covered(rect, level))[::step, ::step])

    def backing_colour(self, colour: str) -> tuple[float, float, float]:
        """Convert a ``#rrggbb`` picked on the screen to the photo's profile."""
        return self.sheets.backings.colour(colour)

    def sheet(self, sheet: Sheet, rect: Rect, level: int, bare: Bare) -> FloatArray:
        """Return a window of a sheet at a level.

        Returns (h, w, 3) float32 in [0, 1].

        Parameters
        ----------
        sheet : Sheet
        rect : Rect
            Pixels of the level, in the sheet's space.
        level : int
        bare : callable
            Returns what shows in a window where the sheet has no backing.

        Notes
        -----
        At coarser levels the place of a cutout that was moved by whole pixels is rounded to those of the level.
        """
        return self.sheets.window(sheet, rect, level, bare)

    def cutout_stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return all that the cutout itself brings into a window: equal stamps mean equal windows."""
        matte, colours = self.matte.stamp(job, rect, level), self.colours.stamp(job, rect, level)
        return matte, colours, job.settings.photo.is_linear

    def is_clear(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether nothing of the subject is in a window, as far as that is known without computing."""
        return self.matte.constant(job, rect, level) == 0

    def matte_stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return all that a window of the finished matte depends on."""
        return self.matte.stamp(job, rect, level)

    def sheet_stamp(self, sheet: Sheet, rect: Rect, level: int) -> Hashable:
        """Return all that a window of a sheet depends on."""
        return self.sheets.stamp(sheet, rect, level)
