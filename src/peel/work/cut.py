"""Cut a photo by zones given as a picture, without a window and without a job file."""

import resource
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from peel.errors import PhotoError
from peel.files.photo import read_photo, read_zones
from peel.files.pictures import write_jpeg, write_png
from peel.job.edits import use_zones
from peel.job.job import Job, new_job
from peel.job.settings import Matte
from peel.matte.conjugate_gradients import SolveReport
from peel.matte.trimap import missing_zone, trimap_from_gray
from peel.work.delivery import cutout_pixels, flat_pixels, matte_pixels
from peel.work.solving import solve_job
from peel.work.stages import Stages

__all__ = ["CutFiles", "CutReport", "cut"]

Progress = Callable[[str, float], None]


@dataclass(frozen=True)
class CutFiles:
    """What to write: the matte (16-bit gray PNG), the cutout (RGBA PNG), a flat JPEG on a colour; any may be None."""

    matte: Path | None = None
    cutout: Path | None = None
    flat: Path | None = None
    colour: str = "#ffffff"


@dataclass(frozen=True)
class CutReport:
    """Seconds per stage, peak memory of the process in MB, what the solver did, and how the photo mixes colours."""

    seconds: dict[str, float]
    peak_memory_mb: float
    solve: SolveReport
    mixing: str

    def as_json(self) -> dict[str, object]:
        """Give the report as plain values."""
        return {
            "seconds": {stage: round(seconds, 3) for stage, seconds in self.seconds.items()},
            "peak_memory_mb": round(self.peak_memory_mb, 1),
            "unknown_pixels": self.solve.unknowns,
            "iterations": self.solve.iterations,
            "residual": self.solve.residual,
            "moved": self.solve.moved,
            "converged": self.solve.converged,
            "mixing": self.mixing,
        }


class _Clock:
    """Times stages one after another."""

    def __init__(self) -> None:
        self.seconds: dict[str, float] = {}
        self._since = time.perf_counter()

    def lap(self, stage: str) -> None:
        now = time.perf_counter()
        self.seconds[stage] = now - self._since
        self._since = now


def cut(
    photo_path: Path,
    zones_path: Path,
    files: CutFiles,
    progress: Progress | None = None,
    matte: Matte | None = None,
) -> CutReport:
    """Solve the matte of a photo from its zones and write the results.

    Raises
    ------
    PhotoError
        If the photo or the zones cannot be read or do not fit.
    DeliveryError
        If a result cannot be written.
    """
    tell = progress or (lambda _stage, _share: None)
    clock = _Clock()
    tell("Reading", 0.0)
    photo = read_photo(photo_path)
    trimap = trimap_from_gray(read_zones(zones_path, photo))
    missing = missing_zone(trimap)
    if missing is not None:
        message = f"{zones_path} marks no {missing}."
        raise PhotoError(message, "Draw backdrop 0 and subject 255, both somewhere.")
    clock.lap("read")

    job = new_job(photo)
    job = use_zones(job.with_settings(matte=matte) if matte else job, trimap)
    del trimap
    job, report = solve_job(job, lambda share: tell("Solving", share))
    clock.lap("solve")
    _write(job, files, clock, tell)
    return CutReport(clock.seconds, _peak_memory_mb(), report, job.settings.matte.mixing or "value")


def _write(job: Job, files: CutFiles, clock: _Clock, tell: Progress) -> None:
    stages = Stages(job.photo, budget_bytes=64_000_000)
    if files.matte is not None:
        tell("Writing the matte", 0.0)
        write_png(files.matte, matte_pixels(job, 16))
        clock.lap("matte")
    if files.cutout is not None:
        tell("Writing the cutout", 0.0)
        pixels = cutout_pixels(job, stages, job.photo.bits)
        clock.lap("colours")
        write_png(files.cutout, pixels, job.photo.profile)
        del pixels
        clock.lap("cutout")
    if files.flat is not None:
        tell("Writing the flat picture", 0.0)
        write_jpeg(files.flat, flat_pixels(job, stages, files.colour), 92, job.photo.profile)
        clock.lap("flat")


def _peak_memory_mb() -> float:
    """Give the most memory the process has held; Linux counts in kilobytes, other systems in bytes."""
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    return peak / 1024 if sys.platform.startswith("linux") else peak / 1024**2
