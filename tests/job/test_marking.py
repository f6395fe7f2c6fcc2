import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import outlined
from peel.errors import MarkError
from peel.job.edits import contours, marking
from peel.job.edits.kinds import is_said
from peel.job.edits.marking import Stroke, Zone
from peel.job.edits.reshaping import Change, reshape, swap_sides
from peel.job.job import Job, Photo, new_job
from peel.job.marked import marked_subject
from peel.job.rect import Rect
from peel.job.settings import Node
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN

SQUARE = [(90, 60), (330, 60), (330, 240), (90, 240)]


def _marked(job: Job) -> Job:
    return contours.close_contour(outlined(job, SQUARE))


def _share(job: Job) -> float:
    return float(marked_subject(job, job.photo.bounds).mean())


def test_what_was_marked_last_is_what_holds(disc_job: Job) -> None:
    swept = marking.mark_region(disc_job, np.ones((300, 420), bool), Zone.SUBJECT)

    holed = contours.close_contour(outlined(swept, [(150, 100), (250, 100), (250, 200), (150, 200)], hole=True))
    brushed = marking.paint_mark(holed, Stroke(((200, 150),), 20), subject=True)

    assert holed.zones.read()[150, 200] == BACKGROUND
    assert holed.zones.read()[20, 20] == FOREGROUND
    assert marked_subject(brushed, brushed.photo.bounds)[150, 200]


def test_an_exact_stretch_has_a_narrow_band_and_a_loose_one_a_wide_one(disc_job: Job) -> None:
    nodes = [Node(at=point, exact=number == 2) for number, point in enumerate(SQUARE)]
    job = contours.close_contour(contours.add_nodes(disc_job, nodes))

    zones = job.zones.read()
    across_right, across_left = zones[150, 300:360] == UNKNOWN, zones[150, 60:120] == UNKNOWN

    assert across_right.sum() == pytest.approx(6, abs=1)  # the stretch down the right side
    assert across_left.sum() == pytest.approx(22, abs=1)


def test_stretches_can_be_brushed_exact_and_loose_again(disc_job: Job) -> None:
    job = _marked(disc_job)
    stroke = Stroke(((330, 100), (330, 200)), 15)

    exact = marking.paint_kind(job, stroke, Kind.HARD)
    loose = marking.paint_kind(exact, stroke, None)

    assert (exact.zones.read()[150, 300:360] == UNKNOWN).sum() < 9
    assert np.array_equal(loose.zones.read(), job.zones.read())


def test_swapping_twice_changes_nothing_and_once_everything(disc_job: Job) -> None:
    job = marking.paint_zone(_marked(disc_job), Stroke(((200, 150),), 12), Zone.UNSURE)
    job = marking.paint_mark(job, Stroke(((40, 40),), 12), subject=True)

    swapped = swap_sides(job)
    again = swap_sides(swapped)

    assert _share(swapped) == pytest.approx(1 - _share(job), abs=0.003)
    assert swapped.zones.read()[150, 200] == UNKNOWN
    assert np.array_equal(again.zones.read(), job.zones.read())
    assert again.settings == job.settings


def test_contours_stay_editable_after_a_swap(disc_job: Job) -> None:
    swapped = swap_sides(_marked(disc_job))

    with_moved = contours.change_contour(swapped, 0, lambda old: contours.with_moved(old, 1, (400.0, 20.0)))

    assert with_moved.zones.read()[60, 360] == BACKGROUND
    assert with_moved.zones.read()[280, 400] == FOREGROUND


@pytest.mark.parametrize(
    ("change", "amount", "sign"),
    [(Change.GROW, 10, 1), (Change.SHRINK, 10, -1), (Change.FILL_HOLES, 40, 1), (Change.DROP_ISLANDS, 40, -1)],
)
def test_changes_to_all_that_is_marked(disc_job: Job, change: Change, amount: float, sign: int) -> None:
    job = contours.close_contour(
        outlined(_marked(disc_job), [(200, 140), (220, 140), (220, 160), (200, 160)], hole=True)
    )
    job = marking.paint_mark(job, Stroke(((390, 30),), 9), subject=True)

    changed = reshape(job, change, amount)
    assert np.sign(_share(changed) - _share(job)) == sign
    with pytest.raises(MarkError, match="in the drawn area"):
        reshape(job, change, amount, [(-10, 270), (60, 270), (60, 310), (-10, 310)])


def test_a_change_without_anything_to_change_says_so(disc_job: Job) -> None:
    with pytest.raises(MarkError, match="Nothing is marked yet"):
        reshape(disc_job, Change.GROW, 8)
    job = _marked(disc_job)
    with pytest.raises(MarkError, match="no hole of up to 40 × 40 px"):
        reshape(job, Change.FILL_HOLES, 40)
    with pytest.raises(MarkError, match="as small as 12 × 12 px"):
        reshape(job, Change.DROP_ISLANDS, 12)


def test_a_change_is_kept_to_its_area(disc_job: Job) -> None:
    job = _marked(disc_job)

    grown = reshape(job, Change.GROW, 12, [(200, 0), (420, 0), (420, 300), (200, 300)])

    subject = marked_subject(grown, grown.photo.bounds)
    assert subject[150, 338]
    assert not subject[150, 82]


def test_an_enclosed_area_is_filled_and_an_open_one_is_not(disc_job: Job) -> None:
    ring = tuple((210 + 80 * np.cos(t), 150 + 80 * np.sin(t)) for t in np.linspace(0, 2 * np.pi, 60))
    job = marking.paint_mark(disc_job, Stroke(ring, 12), subject=True)

    filled = marking.fill_area(job, (210, 150), Zone.SUBJECT)
    unsure = marking.fill_area(job, (210, 150), Zone.UNSURE)

    assert filled.zones.read()[100:200, 160:260].min() == FOREGROUND
    assert unsure.zones.read()[150, 210] == UNKNOWN
    with pytest.raises(MarkError, match="Nothing encloses"):
        marking.fill_area(job, (5, 5), Zone.SUBJECT)
    assert marking.fill_area(job, (-5, 900), Zone.SUBJECT) is job


def test_clearing_leaves_the_settings_and_nothing_else(disc_job: Job) -> None:
    job = marking.paint_kind(_marked(disc_job), Stroke(((330, 100), (330, 200)), 15), Kind.HARD)

    bare = marking.clear_marks(job)

    assert not bare.has_subject
    assert bare.settings.photo.contours == ()
    assert bare.settings.recipe.band == job.settings.recipe.band
    assert marking.clear_marks(bare) is bare


point = st.tuples(st.floats(-60, 160), st.floats(-60, 130))


@settings(max_examples=40)
@given(st.lists(point, max_size=12), st.booleans(), st.booleans())
def test_any_contour_closes_to_something_sensible(points: list, hole: bool, exact: bool) -> None:
    job = new_job(Photo("made-up.png", np.zeros((70, 100, 3), np.uint8)))
    for at in points:
        job = contours.add_node(job, Node(at=at, exact=exact), hole=hole)

    closed = contours.close_contour(job)

    assert contours.open_contour(closed) is None
    assert set(np.unique(closed.zones.read())) <= {BACKGROUND, UNKNOWN, FOREGROUND}
    if len(closed.settings.photo.contours) == 0:
        assert not closed.has_subject
    elif hole:  # drawn first, in a subject that is all of the photo
        across, down = (np.ptp(np.array(points)[:, axis]) for axis in (0, 1))
        assert closed.has_subject or (across > 96 and down > 66)  # a hole as large as the photo leaves nothing
    for number in range(len(closed.settings.photo.contours)):
        gone = contours.remove_contour(closed, number)
        assert len(gone.settings.photo.contours) == len(closed.settings.photo.contours) - 1


def test_ten_thousand_points_are_a_contour_like_any_other(disc_job: Job) -> None:
    turn = np.linspace(0, 2 * np.pi, 10_000, endpoint=False)
    points = [(210 + 80 * np.cos(t), 150 + 80 * np.sin(t)) for t in turn]

    job = contours.close_contour(outlined(disc_job, points))
    with_moved = contours.change_contour(job, 0, lambda old: contours.with_moved(old, 0, (300.0, 150.0)))

    assert _share(with_moved) == pytest.approx(np.pi * 80**2 / (300 * 420), rel=0.01)


def test_a_smooth_point_keeps_its_handles_in_line(disc_job: Job) -> None:
    contour = _marked(disc_job).settings.photo.contours[0]

    smooth = contours.with_smooth(contour, 1, True)
    with_curve = contours.with_handle(smooth, 1, "out", (0.0, 50.0))
    sharp = contours.with_smooth(with_curve, 1, False)

    node = with_curve.nodes[1]
    assert node.out == (0.0, 50.0)
    assert np.allclose(np.array(node.back) / np.hypot(*node.back), (0, -1))
    assert sharp.nodes[1].at == contour.nodes[1].at
    assert sharp.nodes[1].out == (0.0, 0.0)


def test_bending_a_stretch_moves_its_middle_and_not_its_ends(disc_job: Job) -> None:
    job = _marked(disc_job)

    bent = contours.change_contour(job, 0, lambda old: contours.with_bend(old, 1, 0.5, (210, 20)))

    assert marked_subject(bent, bent.photo.bounds)[24, 210]
    assert not marked_subject(job, job.photo.bounds)[24, 210]
    assert [node.at for node in bent.settings.photo.contours[0].nodes] == SQUARE


def test_the_area_that_is_filled_is_that_of_the_pixel_under_the_point(disc_job: Job) -> None:
    ring = tuple((210 + 80 * np.cos(t), 150 + 80 * np.sin(t)) for t in np.linspace(0, 2 * np.pi, 200))
    job = marking.paint_mark(disc_job, Stroke(ring, 12), subject=True)
    inside = ~marked_subject(job, job.photo.bounds)[150]
    last = int(np.flatnonzero(inside[210:])[-1] + 210 if inside[210:].all() else np.argmin(inside[210:]) + 209)

    filled = marking.fill_area(job, (last + 0.9, 150.9), Zone.SUBJECT)

    assert filled.zones.read()[150, 210] == FOREGROUND
    for at in ((-0.1, 5.0), (5.0, -0.1), (420.0, 5.0), (5.0, 300.0)):
        assert marking.fill_area(job, at, Zone.SUBJECT) is job


def test_a_kind_is_said_of_the_piece_or_the_contour_that_is_nearest(disc_job: Job) -> None:
    small = [(20, 20), (60, 20), (60, 60), (20, 60)]
    large = [(200, 100), (380, 100), (380, 280), (200, 280)]
    job = contours.close_contour(outlined(contours.close_contour(outlined(disc_job, small)), large))

    by_contour = marking.kind_of_contour(job, Kind.STRAND, (50.0, 40.0))
    by_piece = marking.kind_of_piece(job, Kind.STRAND, (300.9, 200.9))

    assert is_said(by_contour, job.photo.bounds)[20, 40]
    assert not is_said(by_contour, job.photo.bounds)[190, 380]
    assert is_said(by_piece, job.photo.bounds)[190, 380]
    assert not is_said(by_piece, job.photo.bounds)[20, 40]
    with pytest.raises(MarkError, match="no subject at that spot"):
        marking.kind_of_piece(job, Kind.STRAND, (130.0, 80.0))
    with pytest.raises(MarkError, match="no subject at that spot"):
        marking.kind_of_piece(job, Kind.STRAND, (-1.0, 80.0))
    with pytest.raises(MarkError, match="No contour is drawn"):
        marking.kind_of_contour(outlined(disc_job, small), Kind.STRAND, (50.0, 40.0))


def test_only_the_band_whose_kind_changed_waits_to_be_solved(disc_job: Job) -> None:
    job = _marked(disc_job)
    solved = job.with_planes(unsolved=job.unsolved.write(job.photo.bounds, np.zeros((300, 420), np.uint8)))

    said = marking.paint_kind(solved, Stroke(((330, 150),), 20), Kind.STRAND)

    waits = said.unsolved.read() > 0
    ys, xs = np.nonzero(waits)
    assert len(ys)
    assert np.hypot(ys + 0.5 - 150, xs + 0.5 - 330).max() < 22
    assert (said.zones.read()[waits] == UNKNOWN).all()
    assert not marking.paint_kind(said, Stroke(((20, 20),), 9), Kind.STRAND).unsolved.read()[10:30, 10:30].any()


def test_full_trust_lays_the_exact_margin_and_no_wider_one(disc_job: Job) -> None:
    job = disc_job.with_recipe(band={"lay": "laid", "kinds": "none", "margin_px": 9.0, "exact_px": 3.0, "trust": 1.0})
    loose = disc_job.with_recipe(
        band={"lay": "laid", "kinds": "none", "margin_px": 9.0, "exact_px": 3.0, "trust": 0.99}
    )

    def across(own: Job) -> int:
        return int((_marked(own).zones.read()[150, 60:120] == UNKNOWN).sum())

    assert across(job) == pytest.approx(6, abs=2)
    assert across(loose) >= 16


def test_a_contour_that_is_open_counts_for_nothing_while_another_is_changed(disc_job: Job) -> None:
    begun = outlined(_marked(disc_job), [(150, 20), (280, 20), (280, 100)])

    moved = contours.change_contour(begun, 0, lambda old: contours.with_moved(old, 0, (92.0, 62.0)))

    assert not marked_subject(moved, moved.photo.bounds)[30, 240]


def test_narrowing_gives_back_what_was_widened_and_settles_what_was_laid(disc_job: Job) -> None:
    job = marking.paint_zone(_marked(disc_job), Stroke(((200, 150),), 12), Zone.UNSURE)

    narrowed = marking.narrow_band(job, Stroke(((200, 150), (330, 150)), 15))

    zones = narrowed.zones.read()
    assert zones[150, 200] == FOREGROUND
    assert narrowed.corrections.read()[150, 200] == 0
    assert zones[150, 325] == FOREGROUND
    assert zones[150, 336] == BACKGROUND
    assert (job.zones.read()[100, :] == zones[100, :]).all()
    assert marking.narrow_band(job, Stroke(((-90, -90),), 15)) is job


def test_a_region_is_marked_where_it_lies_and_only_there(disc_job: Job) -> None:
    region = np.zeros((300, 420), bool)
    region[100:140, 50:90] = True

    as_subject = marking.mark_region(disc_job, region, Zone.SUBJECT)
    unsure = marking.mark_region(as_subject, region[100:140, 50:90], Zone.UNSURE, Rect(100, 50, 140, 90))

    assert np.array_equal(marked_subject(as_subject, as_subject.photo.bounds), region)
    assert np.array_equal(unsure.corrections.read() == Zone.UNSURE.value, region)
    assert (unsure.zones.read()[region] == UNKNOWN).all()
    assert (
        marking.clear_marks(as_subject, ((40, 90), (100, 90), (100, 150), (40, 150))).zones.read()[120, 70]
        == BACKGROUND
    )
    assert marking.clear_marks(disc_job) is disc_job
