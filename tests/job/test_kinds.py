"""The kinds of edge of a job: what was brushed, what is suggested, and what they make of band and solve."""

import numpy as np

from conftest import soft_disc
from peel.job.edits import marking
from peel.job.edits.kinds import kinds_in
from peel.job.edits.marking import Stroke, Zone
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.matte.edge.kind import KINDS, Kind
from peel.matte.edge.zones import FOREGROUND, UNKNOWN
from peel.matte.solve.kind_terms import term_maps
from peel.matte.solve.term_maps import MAP_STEP, TermMaps
from peel.work.marking.edge_places import read_news
from peel.work.solving.solve import solve_job


def _laid(job: Job) -> Job:
    """Mark the disc a little too small, with the band laid by the photo."""
    rows, columns = np.mgrid[:300, :420]
    job = job.with_recipe(band={"lay": "laid", "kinds": "suggested"})
    return marking.mark_region(job, np.hypot(rows - 150, columns - 210) < 84, Zone.SUBJECT)


def test_the_band_of_a_photo_lies_over_what_is_half_clear(disc_job: Job) -> None:
    _, alpha, _ = soft_disc(300, 420, 90)

    zones = _laid(disc_job).zones.read()

    half_clear = (alpha > 0.02) & (alpha < 0.98)
    assert (zones[half_clear] == UNKNOWN).mean() > 0.97
    assert (zones == UNKNOWN).sum() < 4 * half_clear.sum()


def test_a_brushed_kind_changes_only_its_own_stretch(disc_job: Job) -> None:
    job = _laid(disc_job)
    solved, _ = solve_job(job)

    brushed = marking.paint_kind(solved, Stroke(((300, 120), (300, 180)), 16), Kind.LACY)

    whole = job.photo.bounds
    assert (kinds_in(brushed, whole)[150, 296:304] == Kind.LACY).all()
    assert kinds_in(brushed, whole)[150, 122] == kinds_in(solved, whole)[150, 122]
    assert brushed.unsolved.read()[:, 250:].any()
    assert not brushed.unsolved.read()[:, :150].any()
    again, _ = solve_job(brushed)
    assert np.array_equal(again.matte.read()[:, :150], solved.matte.read()[:, :150])


def test_a_released_stretch_is_as_peel_suggests(disc_job: Job) -> None:
    job = _laid(disc_job)
    stroke = Stroke(((300, 120), (300, 180)), 16)

    back = marking.paint_kind(marking.paint_kind(job, stroke, Kind.SHEER), stroke, None)

    assert np.array_equal(kinds_in(back, job.photo.bounds), kinds_in(job, job.photo.bounds))
    assert np.array_equal(back.zones.read(), job.zones.read())


def test_sheer_makes_unsure_all_it_was_brushed_over_and_hard_no_more_than_its_margin(disc_job: Job) -> None:
    job = _laid(disc_job)
    stroke = Stroke(((270, 150), (300, 150)), 20)

    sheer = marking.paint_kind(job, stroke, Kind.SHEER)
    hard = marking.paint_kind(job, stroke, Kind.HARD)

    assert job.zones.read()[150, 262] == FOREGROUND
    assert sheer.zones.read()[150, 262] == UNKNOWN
    assert (hard.zones.read()[150, 250:320] == UNKNOWN).sum() < (job.zones.read()[150, 250:320] == UNKNOWN).sum()


def test_a_kind_brushed_where_there_is_no_band_waits_for_one(disc_job: Job) -> None:
    nothing = disc_job.with_recipe(band={"lay": "laid"})

    brushed = marking.paint_kind(nothing, Stroke(((50, 50),), 20), Kind.STRAND)

    assert not brushed.has_subject
    assert brushed.is_solved
    assert read_news(brushed).shares == ()


def test_without_kinds_only_what_was_brushed_counts(disc_job: Job) -> None:
    job = _laid(disc_job)
    assert kinds_in(job, job.photo.bounds).any()

    without = set_value(job, "recipe.band.kinds", "none")

    assert not kinds_in(without, job.photo.bounds).any()
    assert not without.is_solved
    brushed = marking.paint_kind(without, Stroke(((300, 150),), 16), Kind.SOFT)
    assert set(np.unique(kinds_in(brushed, job.photo.bounds))) == {0, Kind.SOFT}


def test_factors_of_neighbouring_kinds_blend_without_a_step() -> None:
    kinds = np.full((240, 400), Kind.LACY, np.uint8)
    kinds[:, 200:] = Kind.HARD

    maps = term_maps(kinds)

    assert maps is not None
    row = TermMaps.enlarged(maps.steps, kinds.shape)[120]
    assert row[20] == KINDS[Kind.LACY].factors.steps == 0
    assert row[-20] == KINDS[Kind.HARD].factors.steps == 1
    assert np.abs(np.diff(row)).max() < 0.1
    assert (np.diff(row) >= -1e-5).all()
    assert maps.local_colour.shape == (240 // MAP_STEP, 400 // MAP_STEP)


def test_blurred_steps_act_only_where_somebody_said_soft() -> None:
    kinds = np.full((240, 400), Kind.SOFT, np.uint8)
    said = np.zeros(kinds.shape, bool)
    said[:, 200:] = True

    suggested, half = term_maps(kinds, np.zeros_like(said)), term_maps(kinds, said)

    assert suggested is not None
    assert half is not None
    assert not suggested.ramps.any()
    row = TermMaps.enlarged(half.ramps, kinds.shape)[120]
    assert (row[20], row[-20]) == (0, 1)


def test_where_no_kind_is_known_nothing_is_changed() -> None:
    assert term_maps(np.zeros((64, 64), np.uint8)) is None


def test_the_shares_of_the_kinds_add_up(disc_job: Job) -> None:
    news = read_news(_laid(disc_job))

    assert sum(share.share for share in news.shares) <= 1.0001
    assert max(news.shares, key=lambda share: share.share).kind in {Kind.HARD, Kind.SOFT}


def test_a_band_that_lies_deep_over_plain_backdrop_is_a_place_in_doubt(disc_job: Job) -> None:
    job = _laid(disc_job)

    wide = set_value(set_value(job, "recipe.band.lay", "plain"), "recipe.band.outward_px", 60.0)

    assert not any(place.doubt == "deep" for place in read_news(job).places)
    assert any(place.doubt == "deep" for place in read_news(wide).places)


def test_peel_is_sure_only_of_what_it_said_itself(disc_job: Job) -> None:
    job = _laid(disc_job)

    brushed = marking.paint_kind(job, Stroke(((210, 150),), 140), Kind.LACY)

    (share,) = read_news(brushed).shares
    assert (share.kind, share.confidence) == (Kind.LACY, None)
    assert all(share.confidence is not None for share in read_news(job).shares)


def test_where_the_subject_is_taken_away_no_suggestion_is_left(disc_job: Job) -> None:
    job = _laid(disc_job)
    assert job.suggested.read().any()

    nothing = marking.mark_region(job, np.ones((300, 420), bool), Zone.BACKDROP)

    assert not nothing.suggested.read().any()
    assert not nothing.confidence.read().any()
