"""Snags mended and accepted: what each mend changes, and what is remembered."""

import numpy as np
import pytest

from peel.job.edits.snags import accept, least_sizes, open_again, settled_by
from peel.job.edits.touching import has_touches
from peel.job.edits.values import use_zones, with_matte
from peel.job.job import Job
from peel.job.settings import Inspection, JobSettings, SettledSnag, SnagLimit
from peel.matte.edge.zones import UNKNOWN
from peel.matte.inspect.faults import Find
from peel.matte.inspect.snags import Severity, Snag
from peel.matte.inspect.sorts import SnagSort
from peel.work.inspecting.snag_specs import SNAGS, accepted_because, mend


def _snag(sort: SnagSort, top: int = 140, left: int = 200) -> Snag:
    return Snag(
        sort, (Find(sort, top, left, np.ones((4, 6), bool), 24.0, np.ones((4, 6), np.float16)),), Severity.PLAIN
    )


@pytest.fixture
def solved(disc_job: Job) -> Job:
    zones = np.zeros((300, 420), np.uint8)
    zones[80:220, 140:280] = 255
    job = use_zones(disc_job, zones)
    return with_matte(job, job.photo.bounds, zones.astype(np.float32) / 255)


def test_every_sort_has_its_limit_in_the_recipe_and_can_be_switched_off() -> None:
    assert set(Inspection.model_fields) == {sort.id for sort in SnagSort}
    least = least_sizes(Inspection(haze=SnagLimit(on=False), speck=SnagLimit(least_px=50)))
    assert SnagSort.HAZE not in least
    assert least[SnagSort.SPECK] == 50


@pytest.mark.parametrize("sort", [SnagSort.PINHOLE, SnagSort.SEE_THROUGH, SnagSort.SPECK, SnagSort.HAZE])
def test_small_faults_are_mended_by_touch_ups_there(solved: Job, sort: SnagSort) -> None:
    mended = mend(solved, _snag(sort))

    force = mended.force.read()
    assert (force[140:144, 200:206] == (255 if sort in (SnagSort.PINHOLE, SnagSort.SEE_THROUGH) else 0)).all()
    assert (force[:130] == 128).all()
    done = settled_by(mended, _snag(sort))
    assert done is not None
    assert done.how == "mended"


@pytest.mark.parametrize("sort", [SnagSort.STRAND_CUT, SnagSort.HARD_CUT, SnagSort.BACKDROP_LEFT])
def test_edges_are_mended_by_the_band(solved: Job, sort: SnagSort) -> None:
    mended = mend(solved, _snag(sort))

    assert (mended.zones.read()[140:144, 200:206] == UNKNOWN).all()
    assert not mended.is_solved
    assert not has_touches(mended)


def test_steps_are_mended_by_a_profile_of_their_own(solved: Job) -> None:
    (area,) = mend(solved, _snag(SnagSort.STEPPED)).settings.photo.finish_areas
    assert area.finish.even_px > 0
    assert area.outline[0] == (176.0, 116.0)


def test_what_has_no_safe_mend_is_left(solved: Job) -> None:
    for sort in (SnagSort.FRAME, SnagSort.RESIDUE):
        assert SNAGS[sort].mend is None
        assert mend(solved, _snag(sort)) is solved


def test_an_accepted_snag_is_known_by_its_place_and_sort_and_can_be_opened_again(solved: Job) -> None:
    accepted = accept(solved, _snag(SnagSort.HAZE), "smoke")

    near, far = _snag(SnagSort.HAZE, 150, 206), _snag(SnagSort.HAZE, 20, 20)
    done = settled_by(accepted, near)
    assert done is not None
    assert (done.how, done.reason) == ("accepted", "smoke")
    assert settled_by(accepted, far) is None
    assert settled_by(accepted, _snag(SnagSort.SPECK)) is None
    assert settled_by(open_again(accepted, near), near) is None
    kept = JobSettings.model_validate_json(accepted.settings.model_dump_json())
    assert kept.photo.settled_snags == (
        SettledSnag(sort="haze", at=done.at, reach_px=done.reach_px, how="accepted", reason="smoke"),
    )


def test_why_a_snag_was_accepted_is_said_and_one_that_was_mended_was_not(solved: Job) -> None:
    snag = _snag(SnagSort.PINHOLE)

    assert accepted_because(solved, snag) == ""
    assert accepted_because(accept(solved, snag, "a button hole"), snag) == "a button hole"
    assert accepted_because(accept(solved, snag), snag) == "accepted"
    assert accepted_because(mend(accept(solved, snag, "a button hole"), snag), snag) == ""


def test_a_mend_at_the_border_and_a_snag_larger_than_the_photo_stay_inside(solved: Job) -> None:
    edge = Snag(
        SnagSort.SPECK,
        (Find(SnagSort.SPECK, 298, 415, np.ones((2, 5), bool), 10.0, np.ones((2, 5), np.float16)),),
        Severity.PLAIN,
    )
    assert (mend(solved, edge).force.read()[298:, 415:] == 0).all()
    whole = Snag(
        SnagSort.STEPPED,
        (Find(SnagSort.STEPPED, 0, 0, np.ones((300, 420), bool), 1e4, np.ones((300, 420), np.float16)),),
        Severity.GRAVE,
    )
    (area,) = mend(solved, whole).settings.photo.finish_areas
    assert area.outline == ((0.0, 0.0), (420.0, 0.0), (420.0, 300.0), (0.0, 300.0))


@pytest.mark.parametrize("sort", [SnagSort.FRINGE_DARK, SnagSort.FRINGE_LIGHT, SnagSort.FRINGE_TINTED, SnagSort.SPILL])
def test_colours_are_mended_in_an_area_of_their_own(solved: Job, sort: SnagSort) -> None:
    mended = mend(solved, _snag(sort))

    (area,) = mended.settings.photo.colour_areas
    amounts = (area.colour.rim_light, area.colour.rim_tint, area.colour.spill_inside)
    assert max(amounts) >= 0.9
    assert mended.is_solved
