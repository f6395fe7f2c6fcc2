"""What a job's second frame tells the solver, in a window."""

import numpy as np

from peel.job.edits.kinds import kinds_in
from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.kind import Kind
from peel.matte.pixels import unit_floats
from peel.matte.plate.known_backdrop import known_backdrop
from peel.matte.plate.told import Told
from peel.matte.plate.two_backdrops import two_backdrops
from peel.matte.smaller import averaged
from peel.matte.solve.sampling import gathering_step
from peel.matte.srgb import to_linear
from peel.work.framing.frames import Frame
from peel.work.solving.sized import colours_at, encoded, noise_at, shape_at

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
    image, plate = colours_at(job, around, step), frame_at(frame, job, around, step)
    inside = np.ascontiguousarray(frame.inside[around.slices][::step, ::step])
    noise = noise_at(job, step)
    if frame.kind == "again":
        return two_backdrops(image, zones, plate, inside, noise=noise, wanted=wanted, scale=step)
    height, width = shape_at(job.photo, step)
    kinds = kinds_in(job, around)[::step, ::step]
    sheer = (kinds == Kind.SHEER).astype(np.float32)
    # Out of focus the faintest alpha counts over wide areas, where the set's light is not known as well as that.
    wanted = wanted & (kinds != Kind.SOFT)
    return known_backdrop(
        image,
        zones,
        plate,
        inside,
        noise=noise,
        wanted=wanted,
        palette=palette,
        sheer=sheer,
        step=gathering_step(height * width),
        scale=step,
    )


def frame_at(frame: Frame, job: Job, rect: Rect, step: int) -> FloatArray:
    """Return a window of a frame in the solve's encoding, averaged over squares."""
    pixels = frame.pixels[rect.slices]
    if step == 1:
        return encoded(job, unit_floats(pixels))
    if job.settings.photo.is_linear:
        return averaged(to_linear(unit_floats(pixels)), step)
    return averaged(pixels, step)
