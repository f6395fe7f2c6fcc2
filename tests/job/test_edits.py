import numpy as np
import pytest

from conftest import outlined
from peel.job.edits import contours, marking
from peel.job.edits import values as edits
from peel.job.edits.marking import Stroke, Zone
from peel.job.job import MATTE_ONE, Job
from peel.job.settings import Band
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN

SQUARE = ((100.0, 60.0), (300.0, 60.0), (300.0, 240.0), (100.0, 240.0))


def _marked(job: Job) -> Job:
    return contours.close_contour(outlined(job, SQUARE))


def test_closing_a_contour_lays_the_band_around_it(disc_job: Job) -> None:
    zones = _marked(disc_job).zones.read()

    assert zones[150, 200] == FOREGROUND
    assert zones[20, 20] == BACKGROUND
    assert zones[150, 100 - 5] == zones[150, 100 + 3] == UNKNOWN


def test_zones_fix_the_matte_and_the_band_waits_to_be_solved(disc_job: Job) -> None:
    job = _marked(disc_job)
    zones, matte = job.zones.read(), job.matte.read()

    assert (matte[zones == FOREGROUND] == MATTE_ONE).all()
    assert (matte[zones == BACKGROUND] == 0).all()
    assert not job.is_solved
    assert (job.unsolved.read() == (zones != BACKGROUND)).all()


def test_a_hole_is_taken_out(disc_job: Job) -> None:
    job = outlined(_marked(disc_job), [(150, 100), (250, 100), (250, 200), (150, 200)], hole=True)

    job = contours.close_contour(job)

    assert job.zones.read()[150, 200] == BACKGROUND


def test_points_are_taken_back_one_by_one(disc_job: Job) -> None:
    job = outlined(outlined(disc_job, [(1, 1)]), [(9, 9)])

    once, twice = contours.take_back_node(job), contours.take_back_node(contours.take_back_node(job))

    assert [node.at for node in contours.open_contour(once).nodes] == [(1, 1)]
    assert twice.settings.photo.contours == ()
    assert contours.take_back_node(twice) is twice


def test_moving_a_point_moves_the_edge(disc_job: Job) -> None:
    job = _marked(disc_job)

    with_moved = contours.change_contour(job, 0, lambda old: contours.with_moved(old, 1, (380.0, 60.0)))

    assert with_moved.zones.read()[70, 330] != BACKGROUND
    assert job.zones.read()[70, 330] == BACKGROUND


def test_inserting_and_removing_come_back_to_the_same_zones(disc_job: Job) -> None:
    job = _marked(disc_job)

    inserted = contours.change_contour(job, 0, lambda old: contours.with_point(old, 1, 0.3))
    away = contours.change_contour(inserted, 0, lambda old: contours.with_moved(old, 1, (200.0, 20.0)))
    back = contours.change_contour(away, 0, lambda old: contours.without_point(old, 1))
    removed = contours.remove_contour(job, 0)

    assert len(inserted.settings.photo.contours[0].nodes) == 5
    assert np.array_equal(inserted.zones.read(), job.zones.read())
    assert not np.array_equal(away.zones.read(), job.zones.read())
    assert np.array_equal(back.zones.read(), job.zones.read())
    assert not removed.has_subject


def test_brushing_marks_and_the_band_follows(disc_job: Job) -> None:
    job = marking.paint_mark(disc_job, Stroke(((150, 150), (250, 150)), 40), subject=True)
    zones = job.zones.read()

    assert zones[150, 200] == FOREGROUND
    assert zones[150 - 45, 200] == UNKNOWN
    cleared = marking.paint_mark(job, Stroke(((150, 150), (250, 150)), 60), subject=False)
    assert not cleared.has_subject


def test_a_zone_brush_overrules_and_can_be_taken_back(disc_job: Job) -> None:
    job = _marked(disc_job)
    stroke = Stroke(((200, 150),), 20)

    unsure = marking.paint_zone(job, stroke, Zone.UNSURE)
    released = marking.release_zone(unsure, stroke)

    assert unsure.zones.read()[150, 200] == UNKNOWN
    assert unsure.matte.read()[150, 200] == MATTE_ONE  # what was known stays until it is solved
    assert np.array_equal(released.zones.read(), job.zones.read())


def test_local_edits_agree_with_laying_everything_anew(disc_job: Job) -> None:
    job = marking.paint_mark(_marked(disc_job), Stroke(((90, 60), (60, 200)), 18), subject=True)
    other = edits.set_value(job, "recipe.band", Band(outward_px=40, inward_px=20))

    again = edits.set_value(other, "recipe.band", job.settings.recipe.band)

    assert np.array_equal(again.zones.read(), job.zones.read())


@pytest.mark.parametrize("points", [((-500.0, -500.0),), ((1e5, 1e5), (2e5, 1e5))])
def test_strokes_outside_the_photo_change_nothing(disc_job: Job, points: tuple[tuple[float, float], ...]) -> None:
    assert marking.paint_mark(disc_job, Stroke(points, 30), subject=True) is disc_job
    assert marking.paint_zone(disc_job, Stroke(points, 30), Zone.UNSURE) is disc_job


def test_a_contour_may_go_beyond_the_frame_without_a_band_along_it(disc_job: Job) -> None:
    job = contours.close_contour(outlined(disc_job, [(-50, -50), (200, -50), (200, 400), (-50, 400)]))
    zones = job.zones.read()

    assert (zones[0, :150] == FOREGROUND).all()
    assert (zones[:, 0] == FOREGROUND).all()


def test_an_edit_that_changes_no_zone_leaves_nothing_to_solve(disc_job: Job) -> None:
    job = edits.set_value(disc_job, "recipe.band", Band(outward_px=30, inward_px=3))

    assert job.is_solved
