"""Touch-ups as edits of a job, and what they make of the finished matte."""

from contextlib import suppress
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import soft_disc
from peel.errors import MarkError
from peel.files.project import ProjectFile
from peel.job.edits.marking import without_marks
from peel.job.edits.touching import (
    TOUCH_PLANES,
    SoftStroke,
    Touch,
    has_touches,
    lay_over,
    nudge,
    release,
    release_all,
    release_area,
    release_region,
    touch,
    touch_area,
    touch_region,
    touched_in,
)
from peel.job.edits.values import unsolve, use_zones
from peel.job.job import Job, Photo, new_job
from peel.job.rect import Rect
from peel.work.session.session import Session
from peel.work.solving.repairing import Repair, repair, repair_region
from peel.work.solving.solve import solve_job
from peel.work.stages import Cache, Stages

_SOLVED: list[Job] = []


def _solved() -> Job:
    """Solve the disc once for all of these tests."""
    if not _SOLVED:
        photo, _, zones = soft_disc(300, 420, 90)
        job = new_job(Photo("disc.png", np.round(photo * 255).astype(np.uint8)))
        _SOLVED.append(solve_job(use_zones(job.with_recipe(band={"lay": "plain", "kinds": "none"}), zones))[0])
    return _SOLVED[0]


def _finished(job: Job, level: int = 0) -> np.ndarray:
    return Stages(job.photo, Cache(8_000_000)).alpha(job, job.photo.space.bounds(level), level)


@pytest.mark.parametrize("sort", list(Touch))
def test_nothing_changes_outside_a_stroke(sort: Touch) -> None:
    job = _solved()
    stroke = SoftStroke(((300, 150),), 20)

    after = touch(job, stroke, sort)

    ys, xs = np.mgrid[:300, :420]
    outside = np.hypot(ys + 0.5 - 150, xs + 0.5 - 300) > 23
    assert np.array_equal(_finished(after)[outside], _finished(job)[outside])
    assert after.matte is job.matte
    assert after.is_solved


def test_solid_and_clear_force_whatever_is_there() -> None:
    job, core = _solved(), (slice(148, 152), slice(298, 302))

    solid = touch(job, SoftStroke(((300, 150),), 20, softness=0), Touch.SOLID)
    clear = touch(solid, SoftStroke(((300, 150),), 20, softness=0), Touch.CLEAR)

    assert (_finished(solid)[core] == 1).all()
    assert (_finished(clear)[core] == 0).all()


def test_ten_passes_of_thin_take_haze_and_keep_a_strand() -> None:
    alpha = np.full((120, 160), 0.06, np.float32)
    alpha[:, 80] = 0.55
    alpha[:, [79, 81]] = 0.2
    job = new_job(Photo("strand.png", np.zeros((120, 160, 3), np.uint8)))
    job = job.with_planes(matte=job.matte.write(job.photo.bounds, np.round(alpha * 65535).astype(np.uint16)))

    thinned = job
    for _ in range(10):
        thinned = touch(thinned, SoftStroke(((20, 60), (140, 60)), 40, softness=0), Touch.THIN)

    out, before = _finished(thinned)[40:80], _finished(job)[40:80]
    assert out[:, 40:70].mean() < 0.1 * before[:, 40:70].mean()
    assert np.abs(out[:, 79:82] - before[:, 79:82]).max() < 0.02 * 0.55


@given(
    st.lists(st.tuples(st.sampled_from(list(Touch)), st.integers(0, 420), st.integers(0, 300)), min_size=1, max_size=4)
)
def test_release_restores_exactly(strokes: list[tuple[Touch, int, int]]) -> None:
    job = _solved()
    touched = job
    for sort, x, y in strokes:
        with suppress(MarkError):  # where all is clear or solid, Firm and Thin say so
            touched = touch(touched, SoftStroke(((x, y),), 25), sort)
    touched = nudge(touched, SoftStroke(((300, 150), (310, 155)), 25))

    back = release(touched, SoftStroke(((0, 150), (420, 150)), 400, softness=0))

    assert has_touches(touched)
    assert not has_touches(back)
    assert np.array_equal(_finished(back), _finished(job))


@pytest.mark.parametrize(("at", "what"), [((20, 20), "clear"), ((210, 150), "solid")])
def test_firm_and_thin_say_where_they_have_nothing_to_act_on(at: tuple[int, int], what: str) -> None:
    for sort in (Touch.FIRM, Touch.THIN):
        with pytest.raises(MarkError, match=f"everything there is {what}"):
            touch(_solved(), SoftStroke((at,), 10), sort)


def test_firm_goes_on_with_what_solid_left_half_done() -> None:
    half = touch(_solved(), SoftStroke(((30, 30),), 20, softness=0, strength=0.5), Touch.SOLID)
    firm = half
    for _ in range(3):
        firm = touch(firm, SoftStroke(((30, 30),), 20, softness=0), Touch.FIRM)
    assert _finished(half)[30, 30] == pytest.approx(0.5, abs=0.01)
    assert _finished(firm)[30, 30] > 0.85


def test_thin_goes_on_with_what_clear_left_half_done() -> None:
    half = touch(_solved(), SoftStroke(((210, 150),), 20, softness=0, strength=0.6), Touch.CLEAR)
    thin = half
    for _ in range(5):
        thin = touch(thin, SoftStroke(((210, 150),), 20, softness=0), Touch.THIN)
    assert _finished(half)[150, 210] == pytest.approx(0.4, abs=0.01)
    assert _finished(thin)[150, 210] < 0.2


def test_one_sort_is_released_without_the_others() -> None:
    job = touch(_solved(), SoftStroke(((300, 150),), 20), Touch.SOLID)
    job = touch(job, SoftStroke(((300, 150),), 20), Touch.SOFTEN)

    assert not has_touches(release_all(job, "soften"), sort="soften")
    assert has_touches(release_all(job, "soften"), sort="solid and clear")
    assert not has_touches(release_all(job))
    assert touched_in(job, job.photo.bounds)[150, 300]
    assert not has_touches(job, sort="nudge")
    assert set(TOUCH_PLANES) == {"solid and clear", "firm and thin", "nudge", "soften", "other version"}


def test_an_edge_goes_where_it_is_nudged_and_nearly_back() -> None:
    job = _solved()
    out = nudge(job, SoftStroke(((296, 150), (304, 150)), 40, softness=1))
    back = nudge(out, SoftStroke(((304, 150), (296, 150)), 40, softness=1))

    row, pushed = _finished(job)[150], _finished(out)[150]
    assert 5 < (pushed[280:330] > 0.5).sum() - (row[280:330] > 0.5).sum() <= 8
    assert np.abs(_finished(back)[150] - row).max() < 0.35
    assert np.abs(_finished(back) - _finished(job)).mean() < 0.15 * np.abs(_finished(out) - _finished(job)).mean()


def test_touch_ups_survive_a_new_solve_and_closing(tmp_path: Path, disc_file: Path) -> None:
    session = Session.begin(disc_file, tmp_path / "work.peel")
    _, _, zones = soft_disc(300, 420, 90)
    session.apply("Zones", lambda job: use_zones(job, zones))
    session.apply("Solid", lambda job: touch(job, SoftStroke(((20, 20),), 10, softness=0), Touch.SOLID))
    session.wait_idle(60)
    session.apply("Again", unsolve)
    session.wait_idle(60)
    before = session.stages.alpha(session.job, session.job.photo.bounds, 0)
    session.close()

    again = Session.resume(ProjectFile.open(tmp_path / "work.peel"))
    after = again.stages.alpha(again.job, again.job.photo.bounds, 0)
    again.undo()
    again.undo()
    again.wait_idle(60)
    undone = again.stages.alpha(again.job, again.job.photo.bounds, 0)
    again.close()

    assert after[20, 20] == 1
    assert np.array_equal(before, after)
    assert undone[20, 20] == 0


@pytest.mark.parametrize(
    "stroke",
    [
        SoftStroke(((-50, -50),), 20),
        SoftStroke(((210, 150),), 5000),
        SoftStroke(((-10, 150), (430, 150)), 30, 0.5, 1.0, (float("nan"), -3.0)),
        SoftStroke(((415, 295),), 30, strength=7.0),
    ],
)
def test_odd_strokes_do_something_sensible(stroke: SoftStroke) -> None:
    job = _solved()

    for made in (touch(job, stroke, Touch.SOLID), nudge(job, stroke), release(job, stroke)):
        out = _finished(made)
        assert np.isfinite(out).all()
        assert out.min() >= 0
        assert out.max() <= 1


def test_an_area_is_filled_and_one_of_no_size_is_not() -> None:
    job = _solved()

    filled = touch_area(job, ((10, 10), (60, 10), (60, 40), (10, 40)), Touch.SOLID)

    assert (_finished(filled)[12:38, 12:58] == 1).all()
    assert touch_area(job, ((10, 10), (60, 10)), Touch.SOLID) is job
    assert touch_area(job, ((-90, -90), (-60, -90), (-60, -50)), Touch.SOLID) is job


def test_coarser_levels_show_touch_ups_too() -> None:
    job = touch(_solved(), SoftStroke(((300, 150),), 20, softness=0), Touch.CLEAR)

    fine, coarse = _finished(job), _finished(job, 2)

    assert coarse[37, 75] < 0.02
    assert np.abs(coarse[:75, :105] - fine.reshape(75, 4, 105, 4).mean(axis=(1, 3))).max() < 0.2


def test_clearing_all_marks_takes_touch_ups_along() -> None:
    job = touch(_solved(), SoftStroke(((300, 150),), 20), Touch.CLEAR)

    assert not has_touches(without_marks(job))


def test_a_repair_by_one_press_is_a_touch_up_kept_to_its_area() -> None:
    job = _solved()
    job = touch(job, SoftStroke(((210, 150),), 2, softness=0), Touch.CLEAR)
    job = touch(job, SoftStroke(((180, 150),), 2, softness=0), Touch.CLEAR)
    stages = Stages(job.photo, Cache(8_000_000))
    around = ((200, 140), (220, 140), (220, 160), (200, 160))

    found = repair_region(stages, job, Repair.PINHOLES, 8)
    mended = repair(stages, job, Repair.PINHOLES, 8, around)

    assert found[150, 210]
    assert found[150, 180]
    assert _finished(mended)[150, 210] == 1
    assert _finished(mended)[150, 180] < 0.5
    assert repair(stages, _solved(), Repair.PINHOLES, 8) is _solved()


def test_a_pen_that_is_lifted_on_the_way_pushes_only_where_it_presses() -> None:
    job = _solved()
    path = tuple((210.0 + 2 * k, 60.0) for k in range(40))

    pushed = nudge(job, SoftStroke(path, 12, pressures=(1.0,) * 20 + (0.0,) * 20))

    moved = touched_in(pushed, job.photo.bounds)
    assert moved[60, 215:245].any()
    assert not moved[60, 275:].any()


def test_passes_approach_their_value_step_by_step() -> None:
    job = _solved()
    stroke = SoftStroke(((300, 150),), 20, softness=0)

    def at(own: Job, name: str) -> int:
        return int(getattr(own, name).read()[150, 300])

    firm = touch(job, stroke, Touch.FIRM)
    assert at(firm, "firmness") == 128 + 64  # half of the way to 255, upward
    assert at(touch(firm, stroke, Touch.FIRM), "firmness") == 192 + 32
    assert at(touch(job, stroke, Touch.THIN), "firmness") == 128 - 45  # 0.35 of the way to 0
    assert at(touch(job, replace(stroke, strength=0.5), Touch.SOLID), "force") == 192
    assert at(touch(job, stroke, Touch.SOFTEN), "softness") == 255
    faint = touch(job, replace(stroke, strength=0.005), Touch.SOLID)
    assert at(faint, "force") == 129, "at least one step wherever there is any weight"
    assert not has_touches(touch(job, replace(stroke, strength=0.003), Touch.SOLID))


def test_areas_and_regions_are_touched_and_released_as_they_are_drawn() -> None:
    job, area = _solved(), ((20.0, 20.0), (60.0, 20.0), (60.0, 50.0), (20.0, 50.0))
    half = touch_area(job, area, Touch.SOLID, 0.5)
    assert half.force.read()[30, 30] == 192
    assert touch_area(job, area, Touch.SOLID, 9.0).force.read()[30, 30] == 255
    region = np.zeros((30, 40), bool)
    region[10:, 20:] = True
    touched = touch_region(job, region, Rect(20, 20, 50, 60), Touch.CLEAR)
    assert touched.force.read()[29:32, 38:43].tolist() == [[128] * 5, [128, 128, 0, 0, 0], [128, 128, 0, 0, 0]]
    assert not has_touches(release_area(half, area))
    assert has_touches(release_area(half, ((20.0, 20.0), (40.0, 20.0), (40.0, 50.0), (20.0, 50.0))))
    assert release_area(half, ((0.0, 0.0), (9.0, 9.0))) is half
    whole = np.zeros((300, 420), bool)
    whole[:40] = True
    left = release_region(half, whole)
    assert touched_in(left, left.photo.bounds)[:40].sum() == 0
    assert touched_in(left, left.photo.bounds)[40:50, 20:60].all()


def test_a_mixture_of_versions_is_weighed_by_what_was_there() -> None:
    job, window = _solved(), Rect(10, 10, 14, 14)
    ones = np.ones((4, 4), np.float32)

    once = lay_over(job, window, 0.8 * ones, 0.5 * ones)
    twice = lay_over(once, window, 0.2 * ones, 0.5 * ones)

    assert once.borrowed_weight.read()[11, 11] == 128
    assert once.borrowed.read()[11, 11] == pytest.approx(0.8 * 65_535, abs=2)
    assert twice.borrowed_weight.read()[11, 11] == 192
    # half of what is seen comes from the second, a quarter still from the first
    assert twice.borrowed.read()[11, 11] == pytest.approx((0.25 * 0.8 + 0.5 * 0.2) / 0.75 * 65_535, rel=0.01)
    assert not twice.borrowed_weight.read()[9].any()
    forced = touch(job, SoftStroke(((12, 12),), 3, softness=0), Touch.SOLID)
    given = lay_over(forced, window, 0.3 * ones, ones)
    assert given.force.read()[12, 12] == 128


def test_a_pen_presses_at_each_point_by_itself() -> None:
    job = _solved()
    path = tuple((210.0 + 2 * k, 60.0) for k in range(30))
    sized = nudge(job, SoftStroke(path, 20, softness=1, sizes=(1.0,) * 15 + (0.2,) * 15))
    moved = touched_in(sized, job.photo.bounds)
    assert np.flatnonzero(moved[:, 220]).size > 2 * np.flatnonzero(moved[:, 264]).size > 0
    assert sized.push_right.read()[60, 222] > 128
    assert sized.push_down.read()[60, 222] == 128
    assert nudge(job, SoftStroke(path[:1], 20)) is job
