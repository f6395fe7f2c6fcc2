"""Sheets at 24 MP: what the visible part takes while something is dragged, and the whole flat file against a plain one."""

import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from bench.cases import large_case
from peel.demo.backings import backing_file
from peel.demo.lamplighter import lamplighter_shadow
from peel.demo.photos import demo_photo
from peel.files.assets import read_asset
from peel.files.photo import read_photo
from peel.job.edits.values import set_value, use_zones, with_matte
from peel.job.job import Job, Photo, new_job
from peel.job.placing.cutouts import copy_cutouts, map_cutouts, moving, turning
from peel.job.placing.sheet import sheet_of
from peel.matte.composite.shadow import kept_shadow
from peel.matte.pixels import unit_floats
from peel.work.delivering.products import flat_pixels
from peel.work.stages import Cache, Stages
from peel.work.stages.chain import cells_of
from peel.work.views import View, render

__all__ = ["job_at_24", "table"]

_SCREEN = 800  # pixels of the longest side of what is seen in a window of 1280 x 800
_LANES = ThreadPoolExecutor(2)  # as the window draws its tiles


def job_at_24() -> Job:
    """Return Bramble at 24 MP with its true matte."""
    case = large_case("bramble", 24)
    photo = Photo("bramble.jpg", np.ascontiguousarray((case.photo * 255 + 0.5).astype(np.uint8)))
    job = with_matte(use_zones(new_job(photo), case.zones), photo.bounds, case.alpha)
    return job.with_photo_settings(spill_found="none", mixing_found="value")


def _drags(job: Job) -> Iterator[tuple[str, Callable[[int], Job]]]:
    asset = read_asset(backing_file("stage-curtain"))
    photo = {"kind": "photo", "photo": {"picture": asset.digest}}
    before = set_value(job.with_asset(asset), "recipe.backing", photo)
    graded = set_value(job, "recipe.backing", {"kind": "gradient"})
    yield (
        "a cutout, turned, dragged",
        lambda k: map_cutouts(before, [0], moving(40 * k, 10 * k) @ turning((3000, 2000), 9)),
    )
    yield "a cutout, unturned, dragged", lambda k: map_cutouts(before, [0], moving(40 * k, 16 * k))
    yield "a gradient's end", lambda k: set_value(graded, "recipe.backing.gradient.end", (0.5, 0.6 + 0.03 * k))
    yield (
        "a pattern's size",
        lambda k: set_value(job, "recipe.backing", {"kind": "pattern", "pattern": {"period_px": 300 + 9 * k}}),
    )
    yield "a match value", lambda k: set_value(before, "recipe.backing.grade.exposure", 0.05 * k)
    yield "the subject's warmth", lambda k: set_value(before, "recipe.subject.warmth", 0.04 * k)
    yield "a backing photo's blur", lambda k: set_value(before, "recipe.backing.photo.blur_px", 40.0 + 9 * k)
    cast = set_value(before, "recipe.shadow.cast.on", True)
    yield "the light of a cast shadow", lambda k: set_value(cast, "recipe.shadow.cast.towards_deg", -10.0 - 3 * k)


def _seen(stages: Stages, job: Job) -> None:
    space = sheet_of(job).space
    level = space.level_within(_SCREEN)
    whole = space.bounds(level)
    tiles = [cell.intersection(whole) for cell in cells_of(whole)]
    list(_LANES.map(lambda tile: render(stages, job, View.BACKING, tile, level), tiles))


def table() -> Iterator[str]:
    """Print every measure."""
    job = job_at_24()
    stages = Stages(job.photo, Cache(400_000_000))
    _seen(stages, job)
    yield "| while dragging, 24 MP | ms a step (median of 7) |\n|---|---|"
    for name, step in _drags(job):
        _seen(stages, step(0))
        took = []
        for k in range(1, 8):
            now = step(k)
            since = time.perf_counter()
            _seen(stages, now)
            took.append((time.perf_counter() - since) * 1000)
        yield f"| {name} | {np.median(took):.0f} |"
    yield "\n| the flat file's pixels, 24 MP | seconds | of the plain one |\n|---|---|---|"
    plain = _flat(set_value(job, "recipe.backing", {"kind": "colour"}))
    yield f"| white | {plain:.2f} | 1 |"
    for name, whole in _wholes(job):
        took_s = _flat(whole)
        yield f"| {name} | {took_s:.2f} | {took_s / plain:.2f} |"
    demo = demo_photo("lamplighter")
    photo, matte = (unit_floats(read_photo(path).pixels)[::2, ::2] for path in (demo.photo, demo.matte))
    alpha = np.ascontiguousarray(matte[..., 0])
    off = np.abs(kept_shadow(photo, alpha) - lamplighter_shadow(3000)[::2, ::2])
    yield f"\nThe lamplighter's kept shadow is off by {off[alpha <= 0].mean():.4f} on average (0.03 wanted)."


def _wholes(job: Job) -> Iterator[tuple[str, Job]]:
    asset = read_asset(backing_file("stage-curtain"))
    before = set_value(job.with_asset(asset), "recipe.backing", {"kind": "photo", "photo": {"picture": asset.digest}})
    yield "gradient", set_value(job, "recipe.backing", {"kind": "gradient"})
    yield "pattern", set_value(job, "recipe.backing", {"kind": "pattern"})
    yield "photo", before
    yield "photo, blurred by 12 px", set_value(before, "recipe.backing.photo.blur_px", 12.0)
    yield "photo, blurred by 400 px", set_value(before, "recipe.backing.photo.blur_px", 400.0)
    yield (
        "photo, everything graded",
        set_value(set_value(before, "recipe.backing.grade.warmth", 0.3), "recipe.subject.warmth", 0.2),
    )
    yield "photo, light wrap", set_value(before, "recipe.wrap.amount", 0.5)
    for soft in (4.0, 300.0):
        shadow = {"cast": {"on": True, "soft_px": soft}, "contact": {"on": True}}
        yield f"photo, shadow of {soft:.0f} px", set_value(before, "recipe.shadow", shadow)
    yield "photo, the cutout turned", map_cutouts(before, [0], turning((3000, 2000), 9))
    yield (
        "photo, three cutouts",
        map_cutouts(copy_cutouts(copy_cutouts(before, [0]), [1]), [1, 2], turning((3000, 2000), -6, 0.7, 0.7)),
    )


def _flat(job: Job) -> float:
    stages = Stages(job.photo, Cache(400_000_000))
    since = time.perf_counter()
    flat_pixels(job, stages)
    return time.perf_counter() - since
