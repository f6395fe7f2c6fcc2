"""Contours as numbers: what each edit makes of points and handles, worked out by hand."""

import numpy as np
import pytest

from conftest import outlined
from peel.errors import MarkError
from peel.job.edits import contours, marking
from peel.job.edits.marking import Stroke, Zone
from peel.job.job import Job
from peel.job.marked import marked_subject, trust_code
from peel.job.settings import MOST_CONTOURS, Contour, Node
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN

CORNERS = ((100.0, 60.0), (300.0, 80.0), (290.0, 240.0), (110.0, 220.0))
SQUARE = Contour(nodes=tuple(Node(at=at) for at in CORNERS), closed=True)


def _closed(job: Job, corners: tuple = CORNERS) -> Job:
    return contours.close_contour(outlined(job, list(corners)))


def _corners(contour: Contour) -> tuple:
    return tuple(node.at for node in contour.nodes)


def test_a_piece_leads_to_its_point_with_the_handles_of_both_its_ends() -> None:
    bent = SQUARE.model_copy(
        update={
            "nodes": (Node(at=(1, 2), out=(3, 4)), Node(at=(50, 60), back=(-5, -6), out=(7, 8)), Node(at=(9, 90))),
        }
    )

    assert contours.piece_of(bent, 1).tolist() == [[1, 2], [4, 6], [45, 54], [50, 60]]
    assert contours.piece_of(bent, 0).tolist() == [[9, 90], [9, 90], [1, 2], [1, 2]]


def test_an_outline_of_straight_runs_is_its_points_and_a_closed_one_comes_back() -> None:
    open_one = SQUARE.model_copy(update={"closed": False})

    assert contours.outline_of(open_one).tolist() == [list(at) for at in CORNERS]
    assert contours.outline_of(SQUARE).tolist() == [list(at) for at in (*CORNERS, CORNERS[0])]
    assert contours.outline_of(Contour(nodes=())).shape == (0, 2)


def test_a_straight_hand_gives_one_point_and_a_round_one_gives_smooth_ones_that_were_fitted() -> None:
    out, straight = contours.nodes_along([(float(x), 10.0 + (x % 2) * 0.2) for x in range(0, 200, 2)], 2.0, exact=True)
    turn = np.linspace(0, 1.9 * np.pi, 200)
    _, rounded = contours.nodes_along(list(zip(100 + 90 * np.cos(turn), 90 * np.sin(turn), strict=True)), 0.1)

    assert out == (0.0, 0.0)
    assert [(node.back, node.out, node.trust, node.fitted) for node in straight] == [((0, 0), (0, 0), 1.0, False)]
    assert straight[0].at == pytest.approx((198, 10), abs=0.3)
    assert len(rounded) > 2
    assert [node.fitted for node in rounded] == [True] * (len(rounded) - 1) + [False]
    assert all(node.smooth for node in rounded[:-1])
    assert all(node.trust is None for node in rounded)
    drawn = contours.outline_of(Contour(nodes=(Node(at=(190.0, 0.0)), *rounded)))
    assert np.abs(np.hypot(drawn[:, 0] - 100, drawn[:, 1]) - 90)[len(drawn) // 2 :].max() < 0.5
    assert contours.nodes_along([(5.0, 5.0)], 1.0) == ((0.0, 0.0), ())


def test_a_sharp_turn_of_the_hand_stays_sharp() -> None:
    turn = np.linspace(np.pi, 0, 40)
    arches = [(50 + 50 * np.cos(t), -50 * np.sin(t)) for t in turn] + [
        (150 + 50 * np.cos(t), -50 * np.sin(t)) for t in turn
    ]

    _, nodes = contours.nodes_along(arches, 1.0)

    [where] = [node for node in nodes if np.hypot(node.at[0] - 100, node.at[1]) < 4]
    assert not where.smooth


def test_a_press_on_the_last_point_adds_nothing_and_one_beside_it_does(disc_job: Job) -> None:
    job = outlined(disc_job, [(50, 50), (80, 50)])

    assert contours.add_node(job, Node(at=(80.2, 50))) is job
    assert len(contours.open_contour(contours.add_node(job, Node(at=(80.25, 50)))).nodes) == 3
    assert len(contours.open_contour(contours.add_node(job, Node(at=(80, 50.4)))).nodes) == 3
    assert contours.open_contour(contours.add_node(disc_job, Node(at=(1, 1)), hole=True)).hole


def test_a_handle_with_which_a_run_goes_on_belongs_to_the_last_point(disc_job: Job) -> None:
    job = contours.add_nodes(outlined(disc_job, [(50, 50), (80, 50)]), [Node(at=(90, 90))], out=(4.0, 5.0))

    assert [node.out for node in contours.open_contour(job).nodes] == [(0, 0), (4, 5), (0, 0)]


def test_there_is_an_end_to_how_many_contours_there_can_be(disc_job: Job) -> None:
    small = Contour(nodes=SQUARE.nodes[:3], closed=True)
    almost = disc_job.with_photo_settings(contours=(small,) * (MOST_CONTOURS - 1))

    full = contours.close_contour(outlined(almost, list(CORNERS)))

    assert len(full.settings.photo.contours) == MOST_CONTOURS
    with pytest.raises(MarkError, match=f"{MOST_CONTOURS} contours already"):
        contours.add_node(full, Node(at=(5, 5)))


def test_taking_back_takes_what_was_fitted_to_the_run_along(disc_job: Job) -> None:
    run = [Node(at=(60, 40), fitted=True), Node(at=(70, 60), fitted=True), Node(at=(80, 90), back=(0, -9))]
    job = contours.add_nodes(outlined(disc_job, [(20, 20), (50, 20)]), run, out=(5.0, 0.0))

    once = contours.take_back_node(job)
    twice = contours.take_back_node(once)
    none = contours.take_back_node(twice)

    assert [(node.at, node.out) for node in contours.open_contour(once).nodes] == [
        ((20, 20), (0, 0)),
        ((50, 20), (0, 0)),
    ]
    assert _corners(contours.open_contour(twice)) == ((20, 20),)
    assert none.settings.photo.contours == ()
    assert contours.take_back_node(none) is none


@pytest.mark.parametrize(
    ("points", "closing", "kept"), [(2, 0, 0), (2, 1, 0), (2, 2, 3), (3, 0, 3), (3, 1, 3), (1, 3, 3)]
)
def test_three_points_make_a_contour_and_the_last_of_a_closing_run_is_the_first(
    disc_job: Job, points: int, closing: int, kept: int
) -> None:
    job = outlined(disc_job, [(20.0, 20.0), (220.0, 20.0), (220.0, 200.0)][:points])
    run = [Node(at=(100.0, 250.0)), Node(at=(30.0, 120.0), back=(2, 3)), Node(at=(20.0, 20.0), back=(6.0, 7.0))]

    closed = contours.close_contour(job, run[3 - closing :], out=(8.0, 9.0), exact=True)

    assert [len(contour.nodes) for contour in closed.settings.photo.contours] == ([kept] if kept else [])
    if kept:
        nodes = closed.settings.photo.contours[0].nodes
        assert nodes[0].exact
        assert nodes[0].back == ((6, 7) if closing else (0, 0))
        if points > 1:
            assert nodes[points - 1].out == ((8, 9) if closing else (0, 0))


def test_a_hole_drawn_first_is_one_in_a_subject_that_is_all_of_the_photo(disc_job: Job) -> None:
    first = contours.close_contour(outlined(disc_job, list(CORNERS), hole=True))
    brushed = marking.paint_mark(disc_job, Stroke(((200, 150),), 80), subject=True)
    later = contours.close_contour(outlined(brushed, list(CORNERS), hole=True))
    second = contours.close_contour(outlined(first, [(150.0, 100.0), (250.0, 100.0), (200.0, 180.0)]))

    assert first.zones.read()[10, 10] == FOREGROUND
    assert first.zones.read()[150, 200] == BACKGROUND
    assert later.zones.read()[10, 10] == BACKGROUND
    assert later.zones.read()[150, 200] == BACKGROUND
    assert second.zones.read()[120, 200] == FOREGROUND
    assert second.zones.read()[200, 200] == BACKGROUND


def test_a_contour_with_too_few_points_left_goes(disc_job: Job) -> None:
    three, begun = _closed(disc_job, CORNERS[:3]), outlined(disc_job, [(50, 50)])

    gone = contours.change_contour(three, 0, lambda old: contours.without_point(old, 1))

    assert gone.settings.photo.contours == ()
    assert not gone.has_subject
    assert contours.change_contour(begun, 0, lambda old: contours.without_point(old, 0)).settings.photo.contours == ()
    moved = contours.change_contour(begun, 0, lambda old: contours.with_moved(old, 0, (60.0, 70.0)))
    assert _corners(moved.settings.photo.contours[0]) == ((60, 70),)
    assert contours.change_contour(three, 1, lambda old: contours.without_point(old, 1)) is three
    left = contours.change_contour(_closed(disc_job), 0, lambda old: contours.without_point(old, 1))
    assert _corners(left.settings.photo.contours[0]) == (CORNERS[0], CORNERS[2], CORNERS[3])


def test_curves_handles_and_smooth_points_are_these_numbers() -> None:
    pulled = contours.with_curve(SQUARE, 1, (12.0, -5.0)).nodes[1]
    assert (pulled.out, pulled.back, pulled.smooth) == ((12, -5), (-12, 5), True)

    turned = contours.with_handle(contours.with_curve(SQUARE, 1, (0.0, 10.0)), 1, "back", (-30.0, 0.0)).nodes[1]
    assert turned.back == (-30, 0)
    assert turned.out == pytest.approx((10, 0))
    assert contours.with_handle(SQUARE, 1, "back", (-30.0, 0.0)).nodes[1].out == (0, 0)
    assert contours.with_handle(contours.with_curve(SQUARE, 1, (0.0, 10.0)), 1, "out", (0.0, 0.0)).nodes[1].back == (
        0,
        -10,
    )

    smooth = contours.with_smooth(SQUARE, 1, True).nodes[1]
    along = np.subtract(CORNERS[2], CORNERS[0]) / np.hypot(*np.subtract(CORNERS[2], CORNERS[0]))
    assert np.allclose(smooth.back, -along * np.hypot(200, 20) / 3)
    assert np.allclose(smooth.out, along * np.hypot(10, 160) / 3)
    last = contours.with_smooth(SQUARE, 3, True).nodes[3]
    assert np.dot(last.out, np.subtract(CORNERS[0], CORNERS[2])) > 0
    assert contours.with_smooth(contours.with_smooth(SQUARE, 1, True), 1, False) == SQUARE


def test_a_point_that_is_inserted_changes_no_course_and_trusts_what_it_divides() -> None:
    trusting = contours.with_trust(contours.with_curve(SQUARE, 2, (30.0, 40.0)), 2, 0.75)

    more = contours.with_point(trusting, 2, 0.4)
    closing = contours.with_point(SQUARE, 0, 0.5)

    assert len(more.nodes) == 5
    assert (more.nodes[2].trust, more.nodes[2].smooth) == (0.75, True)
    before = [np.array(contours.piece_of(trusting, 2)), *(contours.piece_of(more, k) for k in (2, 3))]
    t, weights = np.linspace(0, 1, 9), np.array([1, 3, 3, 1])

    def on(piece: np.ndarray, at: np.ndarray) -> np.ndarray:
        return (weights * (1 - at[:, None]) ** [3, 2, 1, 0] * at[:, None] ** [0, 1, 2, 3]) @ piece

    assert np.allclose(on(before[1], t), on(before[0], 0.4 * t))
    assert np.allclose(on(before[2], t), on(before[0], 0.4 + 0.6 * t))
    assert _corners(closing) == (*CORNERS, (105, 140))
    assert not closing.nodes[4].smooth
    assert [node.out for node in closing.nodes] == [(0, 0)] * 5


def test_a_stretch_that_is_bent_goes_through_the_point_and_its_ends_become_sharp() -> None:
    rounded = contours.with_curve(contours.with_curve(SQUARE, 0, (9.0, 9.0)), 1, (9.0, 9.0))

    bent = contours.with_bend(rounded, 1, 0.5, (200.0, 10.0))

    assert np.allclose(contours.piece_of(bent, 1).T @ [1 / 8, 3 / 8, 3 / 8, 1 / 8], (200, 10))
    assert [node.smooth for node in bent.nodes] == [False] * 4
    assert bent.nodes[0].back == (-9, -9)
    assert bent.nodes[1].out == (9, 9)


def test_trust_is_said_of_one_stretch_or_of_all() -> None:
    assert [node.trust for node in contours.with_trust(SQUARE, 2, 0.3).nodes] == [None, None, 0.3, None]
    assert [node.trust for node in contours.with_trust(SQUARE, None, 0.3).nodes] == [0.3] * 4
    assert contours.with_trust(contours.with_trust(SQUARE, None, 0.3), None, None) == SQUARE


def test_a_point_far_outside_the_photo_is_refused() -> None:
    with pytest.raises(MarkError, match="too far outside"):
        contours.make_node((1e9, 0.0))


def test_a_contour_overrules_what_was_brushed_where_it_changes_and_nowhere_else(disc_job: Job) -> None:
    job = marking.paint_mark(_closed(disc_job), Stroke(((105.0, 90.0),), 4), subject=False)
    job = marking.paint_zone(job, Stroke(((295.0, 200.0),), 4), Zone.UNSURE)
    job = marking.paint_mark(job, Stroke(((20.0, 280.0),), 6), subject=True)

    moved = contours.change_contour(job, 0, lambda old: contours.with_moved(old, 0, (104.0, 110.0)))
    removed = contours.remove_contour(job, 0)

    assert job.marks.read()[90, 105] == 1
    assert moved.marks.read()[90, 105] == 0
    assert moved.corrections.read()[200, 295] == Zone.UNSURE.value
    assert removed.corrections.read()[200, 288] == 0
    assert removed.marks.read()[280, 20] == moved.marks.read()[280, 20] == 2
    assert marked_subject(removed, removed.photo.bounds).sum() == (removed.marks.read() == 2).sum()
    assert removed.zones.read()[150, 200] == BACKGROUND


def test_trust_is_drawn_nine_pixels_wide_along_its_stretch_and_stays_elsewhere(disc_job: Job) -> None:
    upright = _closed(disc_job, ((100.0, 60.0), (300.0, 60.0), (300.0, 240.0), (100.0, 240.0)))
    job = marking.paint_trust(upright, Stroke(((100.0, 150.0),), 12), 0.2)

    said = contours.change_contour(job, 0, lambda old: contours.with_trust(old, 2, 0.9))
    taken_back = contours.change_contour(said, 0, lambda old: contours.with_trust(old, 2, None))

    across = said.trusted.read()[150, 280:320]
    assert set(across.tolist()) == {0, trust_code(0.9)}
    assert np.flatnonzero(across).tolist() == list(range(16, 25))
    assert said.trusted.read()[150, 95] == trust_code(0.2)
    assert said.trusted.read()[150, 90] == trust_code(0.2)
    assert not taken_back.trusted.read()[150, 280:320].any()


def test_an_exact_stretch_is_hard_and_a_brushed_kind_outlives_it(disc_job: Job) -> None:
    job = marking.paint_kind(_closed(disc_job), Stroke(((200.0, 70.0),), 20), Kind.STRAND)
    nodes = [Node(at=at, exact=number == 1) for number, at in enumerate(CORNERS)]

    exact = contours.close_contour(contours.add_nodes(contours.remove_contour(job, 0), nodes))

    kinds = exact.kinds.read()
    assert kinds[62, 120] == 1
    assert kinds[70, 200] == job.kinds.read()[70, 200] != 1
    assert not kinds[150, 80:130].any()
    band = exact.zones.read() == UNKNOWN
    assert band[50:80, 130].sum() < band[150, 80:130].sum()
    assert not contours.remove_contour(exact, 0).kinds.read()[62, 120]


def test_contours_of_another_job_take_the_place_of_all(disc_job: Job) -> None:
    hole = Contour(
        nodes=tuple(Node(at=at) for at in ((150.0, 100.0), (250.0, 100.0), (200.0, 180.0))), closed=True, hole=True
    )

    job = contours.with_contours(_closed(disc_job, CORNERS[1:]), [SQUARE, hole], "subject")

    assert job.settings.photo.contours == (SQUARE, hole)
    inside = marked_subject(job, job.photo.bounds)
    assert inside[5, 5]
    assert inside[200, 200]
    assert not inside[120, 200]
