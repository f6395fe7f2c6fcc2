"""Cut a photo by zones given as a picture, without a window and without a job file."""

import resource
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from peel.errors import PhotoError
from peel.files.photo import read_photo, read_zones
from peel.job.edits import use_zones
from peel.job.job import Job, new_job
from peel.matte.edge.trimap import missing_zone, trimap_from_gray
from peel.matte.solve.conjugate_gradients import SolveReport
from peel.work.delivery import Format, Order, Product, deliver
from peel.work.solving import solve_job
from peel.work.stages import Cache, Stages

__all__ = ["CutFiles", "CutReport", "cut"]

Progress = Callable[[str, float], None]


@dataclass(frozen=True)
class CutFiles:
    """What to write: the matte (16-bit gray PNG), the cutout (RGBA PNG), a flat JPEG on a colour; any may be None."""

    matte: Path | None = None
    cutout: Path | None = None
    flat: Path | None = None
    colour: str = "#ffffff"

    def orders(self, job: Job) -> list[Order]:
        """List them as orders for delivery."""
        orders = []
        if self.matte is not None:
            orders.append(Order(self.matte, Product.MATTE, Format("png", 16), "matte"))
        if self.cutout is not None:
            orders.append(Order(self.cutout, Product.CUTOUT, Format("png", job.photo.bits), "cutout"))
        if self.flat is not None:
            orders.append(Order(self.flat, Product.FLAT, Format("jpeg"), "flat picture"))
        return orders


@dataclass(frozen=True)
class CutReport:
    """Seconds per stage, peak memory of the process in MB, what the solver did, and how the photo mixes colours."""

    seconds: dict[str, float]
    peak_memory_mb: float
    solve: SolveReport
    mixing: str

    def as_json(self) -> dict[str, object]:
        """Return the report as plain values."""
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


@dataclass
class _Clock:
    """Times stages one after another."""

    seconds: dict[str, float] = field(default_factory=dict)
    _since: float = field(default_factory=time.perf_counter)

    def lap(self, stage: str) -> None:
        now = time.perf_counter()
        self.seconds[stage] = now - self._since
        self._since = now


def cut(
    photo_path: Path,
    zones_path: Path,
    files: CutFiles,
    progress: Progress | None = None,
    photo_settings: dict[str, Any] | None = None,
) -> CutReport:
    """Solve the matte of a photo from its zones and write the results.

    Parameters
    ----------
    photo_path, zones_path : Path
    files : CutFiles
    progress : callable, optional
        Called with the stage in words and the share done of it.
    photo_settings : dict, optional
        Values of `peel.job.settings.PhotoSettings` to start from.

    Raises
    ------
    PhotoError
        If the photo or the zones cannot be read or do not fit.
    DeliveryError
        If a result cannot be written.
    """
    report = progress or (lambda _stage, _share: None)
    clock = _Clock()
    report("Reading", 0.0)
    photo = read_photo(photo_path)
    trimap = trimap_from_gray(read_zones(zones_path, photo))
    missing = missing_zone(trimap)
    if missing is not None:
        message = f"{zones_path} marks no {missing}."
        raise PhotoError(message, "Draw backdrop 0 and subject 255, both somewhere.")
    clock.lap("read")

    job = new_job(photo).with_photo_settings(**(photo_settings or {}))
    job = use_zones(job.with_recipe(backing={"kind": "colour", "colour": files.colour}), trimap)
    del trimap
    job, solved = solve_job(job, lambda share: report("Solving", share))
    clock.lap("solve")
    _write(job, files, clock, report)
    return CutReport(clock.seconds, _peak_memory_mb(), solved, job.settings.photo.known_mixing or "value")


def _write(job: Job, files: CutFiles, clock: _Clock, report: Progress) -> None:
    stages = Stages(job.photo, Cache(64_000_000))
    for order in files.orders(job):
        stage = f"Writing the {order.what}"

        def tell(share: float, stage: str = stage) -> bool:
            report(stage, share)
            return True

        (written,) = deliver(job, stages, [order], tell)
        if order.product is Product.CUTOUT:
            clock.seconds["colours"] = written.pixels_s
            clock.seconds["cutout"] = written.encoding_s
        else:
            clock.seconds[order.product.value] = written.pixels_s + written.encoding_s


def _peak_memory_mb() -> float:
    """Return the most memory the process has held; Linux counts in kilobytes, other systems in bytes."""
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    return peak / 1024 if sys.platform.startswith("linux") else peak / 1024**2
