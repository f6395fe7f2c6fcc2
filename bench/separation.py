"""How well renderings are ranked, what a separation does to the matte, and what the key does; against the plain solve."""

import dataclasses
import time
from collections.abc import Iterator, Sequence

import cv2
import numpy as np
from scipy.stats import spearmanr

from bench.camera import through_camera
from bench.cases import Case, demo_case
from bench.drawn import CAMERA, LARGE, drawn_case
from bench.kinds import UNSEEN, WATCHED, kind_case, kind_cases
from peel.demo.photos import NAMES
from peel.job.edits.values import use_zones
from peel.job.job import Job, Photo, new_job
from peel.job.rect import Rect
from peel.job.settings import Separation
from peel.matte.inspect.measures import sad
from peel.work.separating.choosing import put_separation
from peel.work.separating.keying import key_photo
from peel.work.separating.pulls import tone_alpha
from peel.work.separating.separation_sheet import read_sheet
from peel.work.solving.mixing import with_mixing
from peel.work.solving.solve import solve_job
from peel.work.stages import Stages
from peel.work.views import Look, View, render

__all__ = ["table"]

_STOPS = 2.0
_SCREEN = (700, 1100)  # rows and columns of the picture in the window


def _job(case: Case) -> Job:
    photo = Photo(case.name, np.ascontiguousarray((case.photo * 255 + 0.5).astype(np.uint8)))
    return with_mixing(use_zones(new_job(photo), case.zones))


def _solved(job: Job, case: Case) -> tuple[float, float]:
    """Solve; return the sum of differences and the seconds."""
    since = time.perf_counter()
    solved = solve_job(job)[0]
    return sad(solved.alpha(job.photo.bounds), case.alpha, case.band), time.perf_counter() - since


def uneven_cloth(seed: int) -> Case:
    """Put blond hair before green cloth whose light falls off by two stops from one corner to the other."""
    case = drawn_case("hair-blond", dataclasses.replace(CAMERA, seed=seed, camera=False))
    height, width = case.alpha.shape
    ys, xs = np.mgrid[0 : 1 : height * 1j, 0 : 1 : width * 1j].astype(np.float32)
    light = 2 ** (-_STOPS * (xs + ys) / 2)
    rng = np.random.default_rng(seed)
    weave = 1 + 0.03 * cv2.GaussianBlur(rng.standard_normal((height, width), np.float32), (0, 0), 1.5)
    cloth = np.array([0.14, 0.62, 0.25], np.float32) * (light * weave)[..., None] ** (1 / 2.2)
    assert case.colours is not None
    clean = case.colours * case.alpha[..., None] + cloth * (1 - case.alpha[..., None])
    noisy = clean + rng.standard_normal(clean.shape, np.float32) * np.float32(0.008)
    photo = through_camera(np.round(np.clip(noisy, 0, 1) * 255).astype(np.float32) / np.float32(255))
    return dataclasses.replace(case, name=f"uneven cloth {seed}", photo=photo)


def _row(case: Case, half: str) -> str:
    """Measure one case: ranking, and the best rendering as guide, pull and matte, as ratios to the plain solve."""
    job = _job(case)
    sheet = read_sheet(job)
    names = [row.separation.rendering for row in sheet.rows]
    tones = [sad(tone_alpha(job, row.separation, job.photo.bounds), case.alpha, case.band) for row in sheet.rows]
    rho = spearmanr([row.separability for row in sheet.rows], [-tone for tone in tones]).statistic
    plain, plain_s = _solved(job, case)
    cells = []
    for use in ("guide", "pull", "matte"):
        chosen = sheet.rows[0].separation.model_copy(update={"use": use, "strength": None})
        error, seconds = _solved(put_separation(job, 0, chosen), case)
        cells.append(f"{error / plain:.2f}" if use != "matte" else f"{error / plain:.2f}, {seconds / plain_s:.2f} s/s")
    best = min(tones) / plain
    return (
        f"| {case.name} | {half} | {names[0]}, {sheet.rows[0].separability:.3f} | {rho:.2f} | {names.index('mix') + 1} | "
        + " | ".join(cells)
        + f" | {best:.2f} |"
    )


def _key_row(case: Case, spot: tuple[float, float]) -> str:
    """Key a cloth: its hue as the matte within the given zones, and one press on an unmarked photo."""
    job = _job(case)
    plain, plain_s = _solved(job, case)
    keyed, keyed_s = _solved(key_photo(job, spot, 0, Separation(use="matte")), case)
    since = time.perf_counter()
    pressed = solve_job(key_photo(new_job(job.photo), spot, 0, Separation()))[0]
    seconds = time.perf_counter() - since
    everywhere = np.ones(case.alpha.shape, bool)
    by_press = sad(pressed.alpha(job.photo.bounds), case.alpha, everywhere)
    return (
        f"| {case.name} | {keyed / plain:.2f} | {keyed_s / plain_s:.2f} | one press: {by_press / plain:.2f}, "
        f"{seconds:.1f} s |"
    )


def _live() -> Iterator[str]:
    """Time at 24 MP what the screen shows while an end is dragged, and choosing a rendering."""
    job = _job(drawn_case("fur", LARGE))
    sheet, stages = read_sheet(job), Stages(job.photo)
    for level, name in ((2, "whole photo in the window"), (0, "100 %")):
        height, width = _SCREEN
        rect = Rect(100, 100, 100 + height, 100 + width).intersection(job.photo.space.bounds(level))
        times = []
        for step in range(8):
            chosen = sheet.rows[step % 3].separation
            tried = chosen.model_copy(update={"low": (chosen.low or 0.0) + 0.01 * step})
            since = time.perf_counter()
            render(stages, job, View.TONE, rect, level, Look(separation=tried))
            times.append(time.perf_counter() - since)
        yield f"dragging an end at 24 MP, {name}: {np.median(times) * 1e3:.0f} ms median, {max(times) * 1e3:.0f} ms worst"
    since = time.perf_counter()
    put_separation(job, 0, sheet.rows[0].separation)
    yield f"choosing a rendering at 24 MP: {(time.perf_counter() - since) * 1e3:.0f} ms"
    since = time.perf_counter()
    read_sheet(job)
    yield f"the whole sheet at 24 MP: {(time.perf_counter() - since) * 1e3:.0f} ms"


def table(halves: Sequence[str] = ("watched", "unseen")) -> Iterator[str]:
    """Measure everything; lines of tables."""
    yield (
        "| case | half | first of the sheet | rho | rank of the mix | guide | pull | matte, its seconds | best tone |\n"
        + "|---" * 9
        + "|"
    )
    for name in NAMES:
        yield _row(demo_case(name), "watched")
    for half in halves:
        for number, (kind, seed) in enumerate(kind_cases(WATCHED if half == "watched" else UNSEEN)):
            if number % 2 == 0:
                yield _row(kind_case(kind, seed), half)
    yield "\n| key | error to the plain solve | seconds to it | |\n|---|---|---|---|"
    yield _key_row(demo_case("tin-drummer"), (300.0, 900.0))
    for seed in (WATCHED[0], UNSEEN[0]):
        yield _key_row(uneven_cloth(seed), (60.0, 60.0))
    yield ""
    yield from _live()
