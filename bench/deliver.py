"""Delivery at 24 MP: against what the library alone needs to encode the same pixels, and several products at once."""

import resource
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import imagecodecs
import numpy as np

from bench.sheet import job_at_24
from peel.files.presets import find_preset
from peel.job.preset import Preset
from peel.work.delivering.delivery import deliver
from peel.work.delivering.order import FileOrder
from peel.work.delivering.products import cutout_pixels
from peel.work.stages import Cache, Stages

__all__ = ["table"]


def table() -> Iterator[str]:
    """Print every measure."""
    job = job_at_24()
    stages = Stages(job.photo, Cache(400_000_000))
    with tempfile.TemporaryDirectory() as folder:
        to = Path(folder)
        pixels = cutout_pixels(job, stages, 8)
        since = time.perf_counter()
        imagecodecs.png_encode(pixels, level=4)
        alone = time.perf_counter() - since
        plain = FileOrder(to / "a.png", Preset(name="Cutout", product="cutout"))
        (written,) = deliver(job, stages, [plain])
        yield f"PNG cutout: the library alone {alone:.2f} s, encoded and written {written.encoding_s:.2f} s, {written.encoding_s / alone:.2f} times"
        yield f"its pixels: {written.pixels_s:.2f} s"
        names = ("Programme, cutout", "Matte, 16 bit", "Web, transparent", "Film, linear light")
        presets = [plain.preset, *(find_preset(name) for name in names)]
        orders = [FileOrder(to / f"{k}.x", preset) for k, preset in enumerate(presets)]
        apart = 0.0
        for order in orders:
            since = time.perf_counter()
            deliver(job, Stages(job.photo, Cache(400_000_000)), [order])
            apart += time.perf_counter() - since
        since = time.perf_counter()
        deliver(job, Stages(job.photo, Cache(400_000_000)), orders)
        together = time.perf_counter() - since
        yield f"five products: one by one {apart:.1f} s, in one go {together:.1f} s"
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    yield f"memory at most {peak:.0f} MB in all of this, the bench's own arrays of {np.prod(job.photo.pixels.shape) * 4 / 1e6:.0f} MB included"
