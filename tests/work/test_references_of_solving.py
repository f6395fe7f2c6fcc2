"""Solving at reduced sizes, by windows and with every help, and ways of mending; see `references`."""

from typing import Any

import numpy as np
import pytest

from conftest import png_asset
from peel.job.edits import marking
from peel.job.edits.marking import Stroke, Zone
from peel.job.edits.values import set_value, unsolve
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import Separation
from peel.matte.edge.kind import Kind
from peel.work.framing.frames import fit_of, give_frame
from peel.work.framing.proposing import mark_by_set, region_by_set
from peel.work.separating.choosing import add_stretch, press_end, put_separation
from peel.work.separating.keying import hue_at, key_photo
from peel.work.separating.separation_sheet import figures_of, outlines_of, read_sheet
from peel.work.separating.tones import edge_samples
from peel.work.solving import sized, solve, windows
from peel.work.solving.again import answer, ways_of
from peel.work.solving.explaining import explained_at
from peel.work.solving.measured_ways import alike_region, confirm, measure_ways
from peel.work.solving.repairing import Repair, repair_region
from peel.work.solving.solve import solve_job
from work.references import Cases, scene, spoilt, stages_of

pytestmark = pytest.mark.slow

case = Cases(__file__)
TUFT = (0, 300, 1400, 1900)  # rows and columns of Bramble's hair


def _tuft(by: int = 8) -> Job:
    return unsolve(scene("bramble", TUFT, by))


def _area(job: Job, left: float, top: float, right: float, bottom: float) -> tuple[tuple[float, float], ...]:
    height, width = job.photo.height, job.photo.width
    return tuple((x * width, y * height) for x, y in ((left, top), (right, top), (right, bottom), (left, bottom)))


def _alpha(job: Job) -> np.ndarray:
    return job.alpha(job.photo.bounds)


@case(0.02)
def solved_at_half_the_size_and_in_windows() -> Any:
    job, shown = _tuft(4), []
    patch = pytest.MonkeyPatch()
    with patch.context() as small:
        small.setattr(sized, "_LARGE", (20_000, 10_000_000))
        half = solve_job(job)[0]
        small.setattr(solve, "_LARGE", 500)
        small.setattr(windows, "SIDE", 96)
        small.setattr(windows, "_ROUGH_PIXELS", 3000)
        cut = solve_job(job, interim=shown.append)[0]
    return [_alpha(half), _alpha(cut), _alpha(shown[0])]


@case(0.02)
def priors_turned_up_and_left_out() -> Any:
    job = _tuft()
    names = ("sampled_colour", "local_colour", "sparsity", "patches", "lines", "steps", "sheer", "denoising")
    return [_alpha(solve_job(set_value(job, f"recipe.solving.{name}", 0.0))[0]) for name in names]


@case(0.02)
def solved_with_a_second_frame() -> Any:
    job = scene("tin-drummer")
    behind = job.photo.pixels.copy()
    inside = job.zones.read() > 0
    behind[inside] = np.median(behind[~inside], axis=0).astype(np.uint8)
    framed = give_frame(job, png_asset(behind, "set.png"), "empty")
    fit, found = fit_of(framed), region_by_set(framed)
    assert fit is not None
    assert found is not None
    marked = mark_by_set(marking.without_marks(framed), found)
    return [
        _alpha(solve_job(framed)[0]), fit.says, found.region.astype(np.float32), marked.zones.read() / 255,
        stages_of(framed).foreground(framed, job.photo.bounds, 0),
    ]  # fmt: skip


@case(0.02)
def separations_that_pull_key_and_stretch() -> Any:
    job = scene("tin-drummer")
    height, width = job.photo.height, job.photo.width
    spot = (0.06 * width, 0.1 * height)
    keyed = key_photo(marking.without_marks(job), spot, 0, Separation(rendering="key"))
    region = np.zeros((height, width), bool)
    region[: height // 2] = True
    stretched = add_stretch(job, region, Separation(rendering="green", use="pull"))
    pressed = press_end(
        put_separation(job, 0, Separation(rendering="blue", use="matte", low=0.2, high=0.7)), 0, spot, subject=False
    )
    guided = put_separation(job, 0, Separation(rendering="lightness", use="guide", local_contrast=0.8, sharpening=0.5))
    own = pressed.settings.recipe.separations[0]
    return [
        hue_at(job, spot), keyed.zones.read() / 255, _alpha(solve_job(stretched)[0]), (own.low, own.high),
        _alpha(solve_job(pressed)[0]), _alpha(solve_job(guided)[0]),
    ]  # fmt: skip


@case(0.02)
def figures_of_every_rendering() -> Any:
    job = scene("tin-drummer")
    sheet, samples = read_sheet(job), edge_samples(job, kind=Kind.HARD)
    drawn = [outlines_of(job, row.separation, edge_samples(job)) for row in sheet.rows[:4]]
    return [
        [figures_of(job, row) for row in sheet.rows], [list(vars(own).values()) for own in drawn],
        samples.are_enough,
    ]  # fmt: skip


@case(0.02)
def ways_of_solving_a_place_again() -> Any:
    job = solve_job(_tuft())[0]
    area, stages = _area(job, 0.3, 0.1, 0.7, 0.5), stages_of(job)
    found = []
    for way in ways_of(job, area):
        own = answer(stages, job, way, Rect(0, 0, job.photo.height, job.photo.width))
        found.append((way.name, own.picture / 255))
    return found


@case(0.05)
def ways_measured_on_what_is_right() -> Any:
    job = confirm(scene(), _area(scene(), 0.0, 0.0, 1.0, 0.45))
    area = _area(job, 0.1, 0.55, 0.9, 0.95)
    found = measure_ways(stages_of(job), job, area)
    return [
        found.as_it_is, [(way.name, way.error) for way in found.best], found.pixels / 1000, found.window.as_tuple,
        alike_region(job, area).astype(np.float32),
    ]  # fmt: skip


@case(0.02)
def what_repairs_would_touch() -> Any:
    job = spoilt()
    stages = stages_of(job)
    area = _area(job, 0.0, 0.0, 0.6, 1.0)
    return [repair_region(stages, job, sort, 12, where).astype(np.float32) for sort in Repair for where in ((), area)]


@case(0.03)
def what_the_computation_says_of_pixels() -> Any:
    job = solve_job(_tuft())[0]
    ys, xs = np.nonzero(job.zones.read() == 128)
    picked = np.linspace(0, len(ys) - 1, 4).astype(int)
    told = [explained_at(job, int(xs[k]), int(ys[k])) for k in picked]
    return [
        [(term.name, term.alpha, term.without) for term in sorted(own.terms, key=lambda term: term.name)]
        for own in told
    ]


@case(0.02)
def solved_where_a_stroke_changed_the_band() -> Any:
    job = solve_job(_tuft())[0]
    width, height = job.photo.width, job.photo.height
    stroke = Stroke(((0.4 * width, 0.2 * height), (0.6 * width, 0.3 * height)), 0.04 * width)
    return [
        _alpha(solve_job(edit(job))[0])
        for edit in (
            lambda own: marking.paint_zone(own, stroke, Zone.UNSURE),
            lambda own: marking.paint_zone(own, stroke, Zone.SUBJECT),
            lambda own: marking.paint_kind(own, stroke, Kind.SOFT),
            lambda own: marking.paint_kind(own, stroke, Kind.SHEER),
        )
    ]


@pytest.mark.parametrize("name", case)
def test_mattes_come_out_as_they_did(name: str) -> None:
    case.check(name)
