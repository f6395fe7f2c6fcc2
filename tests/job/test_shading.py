"""Strokes on shadows as they are kept: thinned, clamped, where the subject was photographed."""

import numpy as np
import pytest

from peel.errors import MarkError
from peel.job.edits import shading
from peel.job.edits.touching import SoftStroke
from peel.job.job import Job
from peel.job.placing.cutouts import map_cutouts, turning, with_cutout
from peel.job.settings import MOST_SHADOW_STROKES, ShadowStroke
from peel.job.settings.shadow import MOST_STROKE_POINTS


def _kept(job: Job) -> ShadowStroke:
    return job.settings.photo.shadow_painted[-1]


def test_points_that_change_nothing_are_left_out_but_not_the_last(disc_job: Job) -> None:
    points = tuple((100.0 + x, 50.0) for x in (0, 0.9, 1, 1.5, 2.4, 3, 3.2))
    pens = tuple(k / 10 for k in range(7))

    kept = _kept(shading.paint_shadow(disc_job, SoftStroke(points, 10, 0.3, 0.6, pressures=pens, sizes=pens[:3])))

    assert kept.points == ((100, 50), (101, 50), (102.4, 50), (103.2, 50))
    assert kept.pressures == (0, 0.2, 0.4, 0.6)
    assert kept.sizes == (), "as many as points, or none"
    assert (kept.radius_px, kept.softness, kept.strength, kept.takes) == (10, 0.3, 0.6, False)
    same = _kept(shading.paint_shadow(disc_job, SoftStroke(((5.0, 5.0), (5.0, 5.0)), 10)))
    assert same.points == ((5, 5),)


def test_what_a_pen_reports_is_clamped_and_long_strokes_are_thinned(disc_job: Job) -> None:
    pens = (float("nan"), -3.0, 0.12345, 7.0)
    kept = _kept(
        shading.paint_shadow(disc_job, SoftStroke(((0, 0), (9, 0), (18, 0), (27, 0)), 10, strength=5.0, pressures=pens))
    )
    assert kept.pressures == (1, 0, 0.123, 1)
    assert kept.strength == 1
    assert _kept(shading.paint_shadow(disc_job, SoftStroke(((0, 0),), 10, strength=-5.0))).strength == 0
    long = tuple((float(x), 0.0) for x in range(MOST_STROKE_POINTS + 1))
    assert len(_kept(shading.paint_shadow(disc_job, SoftStroke(long, 1))).points) == -(-len(long) // 2)


def test_strokes_are_kept_where_the_subject_was_photographed(disc_job: Job) -> None:
    moved = map_cutouts(disc_job, [0], turning((0.0, 0.0), 90.0, 2.0, 2.0))

    kept = _kept(shading.paint_shadow(moved, SoftStroke(((-100.0, 60.0),), 20)))

    assert kept.points[0] == pytest.approx((30, 50), abs=0.06)
    assert kept.radius_px == pytest.approx(10, abs=0.01)
    hidden = with_cutout(moved, 0, hidden=True)
    assert _kept(shading.paint_shadow(hidden, SoftStroke(((-100.0, 60.0),), 20))).points[0] == (-100, 60)
    wide = map_cutouts(disc_job, [0], turning((0.0, 0.0), 0.0, 4.0, 1.0))
    stretched = _kept(shading.paint_shadow(wide, SoftStroke(((100.0, 60.0),), 20)))
    assert stretched.radius_px == pytest.approx(10, abs=0.01)  # as large in area
    assert _kept(shading.paint_shadow(wide, SoftStroke(((100.0, 60.0),), 0.4))).radius_px == 0.5


def test_painting_switches_on_and_taking_off_needs_something(disc_job: Job) -> None:
    with pytest.raises(MarkError, match="No shadow is painted"):
        shading.paint_shadow(disc_job, SoftStroke(((9, 9),), 9), takes=True)
    painted = shading.paint_shadow(disc_job, SoftStroke(((9, 9),), 9))
    taken = shading.paint_shadow(painted, SoftStroke(((9, 9),), 9), takes=True)

    assert painted.settings.recipe.shadow.painted.on
    assert [stroke.takes for stroke in taken.settings.photo.shadow_painted] == [False, True]
    off = painted.with_recipe(shadow={"painted": {"on": False}})
    assert not shading.paint_shadow(off, SoftStroke(((9, 9),), 9), takes=True).settings.recipe.shadow.painted.on


def test_shadows_are_brushed_weaker_and_stronger_where_there_is_one(disc_job: Job) -> None:
    with pytest.raises(MarkError, match="no shadow yet"):
        shading.brush_shadow(disc_job, SoftStroke(((9, 9),), 9), stronger=True)
    cast = disc_job.with_recipe(shadow={"cast": {"on": True}})
    job = shading.brush_shadow(cast, SoftStroke(((9, 9),), 9), stronger=True)
    job = shading.brush_shadow(job, SoftStroke(((9, 9),), 9), stronger=False)
    assert [stroke.takes for stroke in job.settings.photo.shadow_shaded] == [False, True]
    assert job.settings.photo.shadow_painted == ()


def test_too_many_or_too_far_is_refused(disc_job: Job) -> None:
    one = ShadowStroke(points=((1.0, 1.0),), radius_px=5)
    almost = disc_job.with_photo_settings(shadow_painted=(one,) * (MOST_SHADOW_STROKES - 1))
    full = shading.paint_shadow(almost, SoftStroke(((9, 9),), 9))
    with pytest.raises(MarkError, match="as many strokes"):
        shading.paint_shadow(full, SoftStroke(((9, 9),), 9))
    for far in ((500_000.0, 0.0), (0.0, -500_000.0), (float("nan"), 0.0)):
        with pytest.raises(MarkError, match="so far away"):
            shading.paint_shadow(disc_job, SoftStroke((far,), 9))
    assert _kept(shading.paint_shadow(disc_job, SoftStroke(((499_999.0, 0.0),), 9))).points[0][0] == 499_999


def test_the_photo_s_own_shadow_is_kept_where_it_is_brushed_or_drawn(disc_job: Job) -> None:
    stroke = SoftStroke(((100, 100),), 20, softness=0, strength=0.5)

    brushed = shading.keep_shadow(disc_job, stroke)
    drawn = shading.keep_shadow_within(brushed, ((100, 90), (200, 90), (200, 150), (100, 150)))
    gone = shading.keep_shadow(drawn, SoftStroke(((150, 100),), 10, softness=0), keeps=False)

    assert (brushed.settings.recipe.shadow.kept.on, brushed.settings.recipe.shadow.kept.within) == (True, "brushed")
    assert brushed.shadow_kept.read()[100, 95] == 128
    assert drawn.shadow_kept.read()[100, [95, 110, 150]].tolist() == [128, 255, 255]
    assert gone.shadow_kept.read()[100, [95, 110, 150]].tolist() == [128, 255, 0]
    off = drawn.with_recipe(shadow={"kept": {"on": False}})
    assert not shading.keep_shadow(off, stroke, keeps=False).settings.recipe.shadow.kept.on
    assert shading.keep_shadow_within(drawn, ((1.0, 1.0), (9.0, 9.0))) is drawn
    with pytest.raises(MarkError, match="beyond its border"):
        shading.keep_shadow(disc_job, SoftStroke(((-90, 100),), 20))
    released = shading.release_shadows(shading.paint_shadow(drawn, stroke))
    assert not np.any(released.shadow_kept.read())
    assert released.settings.photo.shadow_painted == released.settings.photo.shadow_shaded == ()
