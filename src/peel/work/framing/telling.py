"""What a job's second frame tells the solver, in a window."""

from dataclasses import replace

import numpy as np

from peel.job.edits.kinds import kinds_in
from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.kind import Kind
from peel.matte.plate.known_backdrop import known_backdrop
from peel.matte.plate.told import Compared, Told
from peel.matte.plate.two_backdrops import two_backdrops
from peel.matte.solve.sampling import gathering_step
from peel.work.framing.frames import Frame
from peel.work.solving.sized import as_solved, colours_at, noise_at, shape_at

__all__ = ["told_by"]


def told_by(
    frame: Frame, job: Job, around: Rect, zones: ByteArray, wanted: BoolArray, step: int, palette: FloatArray
) -> Told:
    """Find what a second frame says of alpha.

    Parameters
    ----------
    frame : Frame
    job : Job
    around : Rect
        What is looked at; begins at multiples of `step`.
    zones : (h, w) uint8 ndarray
        There, at a size smaller by the step.
    wanted : (h, w) bool ndarray
        Where an answer is needed.
    step : int
        By how much smaller than the photo it is solved.
    palette : (K, 3) float32 ndarray
        Of the subject, in the solve's encoding.
    """
    compared = Compared(
        colours_at(job, around, step),
        as_solved(job, frame.pixels[around.slices], step),
        zones,
        np.ascontiguousarray(frame.inside[around.slices][::step, ::step]),
        wanted,
        noise_at(job, step),
        step,
        job.settings.photo.is_linear,
    )
    if frame.kind == "again":
        return two_backdrops(compared)
    height, width = shape_at(job.photo, step)
    kinds = kinds_in(job, around)[::step, ::step]
    # Out of focus the faintest alpha counts over wide areas, where the set's light is not known as well as that.
    compared = replace(compared, wanted=wanted & (kinds != Kind.SOFT))
    sheer = (kinds == Kind.SHEER).astype(np.float32)
    return known_backdrop(compared, palette=palette, sheer=sheer, step=gathering_step(height * width))
