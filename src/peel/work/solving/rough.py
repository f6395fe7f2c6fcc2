"""A rough matte of a large stretch of band, solved at a smaller size: soon shown, and the rim of windows."""

from dataclasses import dataclass, replace
from math import ceil, sqrt
from typing import Final

import numpy as np

from peel.job.job import Job
from peel.job.question import solve_settings
from peel.job.rect import Rect
from peel.matte.arrays import FloatArray
from peel.matte.edge.laying import reduced
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.parallel import checkpoint
from peel.matte.solve.closed_form import Given, solve_matte
from peel.matte.solve.guided_upsampling import enlarged_matte, line_coefficients
from peel.matte.solve.kind_terms import term_maps
from peel.work.solving.free_pixels import counted_kinds, encoded, sheer_colours

__all__ = ["Rough", "rough_matte"]

_PIXELS: Final = 1_600_000  # of the smaller picture, about
_ENDS: Final = 0.02  # alpha this close to 0 or 1 is 0 or 1: a rim should not carry haze


@dataclass(frozen=True)
class Rough:
    """A matte at a smaller size, to be enlarged window by window.

    Attributes
    ----------
    rect : Rect
        What it covers.
    step : int
        By how much it is smaller.
    lines : (h, w, 4) float32 ndarray
        See `peel.matte.solve.guided_upsampling.line_coefficients`.
    """

    rect: Rect
    step: int
    lines: FloatArray

    def alpha(self, window: Rect, colours: FloatArray) -> FloatArray:
        """Return alpha in a window, given its colours in the solve's encoding.

        Colours are (H, W, 3) float32; returns (H, W) float32.
        """
        top, left = window.top - self.rect.top, window.left - self.rect.left
        found = enlarged_matte(self.lines, colours, self.step, top, left)
        found[found < _ENDS] = 0
        found[found > 1 - _ENDS] = 1
        return found


def rough_matte(job: Job, rect: Rect) -> Rough:
    """Solve the band of a stretch of the photo at a smaller size.

    What is solved already is solved with it: at that size it costs little.
    """
    step = max(2, ceil(sqrt(rect.height * rect.width / _PIXELS)))
    zones = job.zones.read(rect)
    sides = ((zones == zone).astype(np.uint8) * np.uint8(255) for zone in (FOREGROUND, BACKGROUND))
    solid, clear = (reduced(side, step) for side in sides)
    small = np.full(solid.shape, UNKNOWN, np.uint8)
    small[solid >= 1] = FOREGROUND
    small[clear >= 1] = BACKGROUND
    checkpoint()
    colours = encoded(job, reduced(job.photo.pixels[rect.slices], step))
    checkpoint()
    kinds = np.ascontiguousarray(counted_kinds(job, rect)[::step, ::step])
    settings = solve_settings(job.settings.recipe.solving)
    # Lines are thinner than a pixel here.
    settings = replace(settings, terms=replace(settings.terms, lines=0.0))
    given = Given(own_colours=sheer_colours(job), maps=term_maps(kinds))
    alpha, _report = solve_matte(colours, small, given, settings=settings)
    return Rough(rect, step, line_coefficients(colours, alpha))
