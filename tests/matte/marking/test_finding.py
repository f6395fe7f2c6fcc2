"""Alike, Sweep, Propose and the lines that follow edges, on made-up scenes whose truth is known."""

import cv2
import numpy as np
import pytest

from peel.matte.marking.alike import colour_distance, lab_of, within
from peel.matte.marking.boundary import outlines_of, traced
from peel.matte.marking.coverage import coverage
from peel.matte.marking.edge_line import EdgePaths, resampled, snap_line
from peel.matte.marking.proposal import CANNOT_TELL, propose
from peel.matte.marking.sweep import found_within, sweep


def _scene(height: int = 180, width: int = 240, seed: int = 0) -> tuple[np.ndarray, np.ndarray]:
    """Give a photo of a two-coloured ellipse on a grainy wall, and where the ellipse is."""
    rows, columns = np.mgrid[:height, :width]
    inside = ((rows - height / 2) / (0.34 * height)) ** 2 + ((columns - width / 2) / (0.28 * width)) ** 2 < 1
    photo = np.empty((height, width, 3), np.float32)
    photo[:] = (120, 150, 160)
    photo += (columns / width * 24)[..., None]
    photo[inside] = (200, 90, 60)
    photo[inside & (rows > height / 2)] = (90, 40, 120)
    photo += np.random.default_rng(seed).normal(0, 4, photo.shape)
    return np.clip(photo, 0, 255).astype(np.uint8), inside


def _overlap(a: np.ndarray, b: np.ndarray) -> float:
    return float((a & b).sum() / max((a | b).sum(), 1))


def test_distance_in_colour_is_that_of_lab() -> None:
    picture = np.array([[[255, 255, 255], [0, 0, 0], [119, 119, 119]]], np.uint8)

    distance = colour_distance(picture, lab_of(picture)[0, :1])

    assert distance[0].tolist() == pytest.approx([0, 100, 50], abs=0.3)


def test_alike_is_connected_only_when_asked() -> None:
    distance = np.full((9, 9), 50, np.float32)
    distance[:, :3], distance[:, 6:] = 1, 1

    assert within(distance, 5, []).sum() == 54
    assert within(distance, 5, [(4, 1)]).sum() == 27
    assert within(distance, 5, [(4, 4)]).sum() == 0
    assert within(distance, 60, [(4, 1)]).all()


def test_a_sweep_across_both_colours_finds_all_of_the_subject_and_no_more() -> None:
    photo, truth = _scene()
    stroke = np.zeros_like(truth)
    stroke[60:120, 116:124] = True
    nothing = np.zeros_like(truth)

    found = sweep(photo, stroke, nothing, nothing)

    assert _overlap(found, truth) > 0.96
    assert (found >= stroke).all()


def test_sweeping_one_colour_stops_at_the_other_and_keeps_what_was_there() -> None:
    photo, truth = _scene()
    rows = np.mgrid[: truth.shape[0], : truth.shape[1]][0]
    stroke, nothing = np.zeros_like(truth), np.zeros_like(truth)
    stroke[55:70, 110:130] = True

    upper = sweep(photo, stroke, nothing, nothing)
    lower = np.zeros_like(truth)
    lower[105:125, 110:130] = True
    both = sweep(photo, lower, upper, nothing)

    assert _overlap(upper, truth & (rows <= 90)) > 0.95
    assert (both >= upper).all()
    assert _overlap(both, truth) > 0.95


@pytest.mark.parametrize("fill", [0, 128, 255])
def test_sweeping_a_photo_of_one_colour_gives_at_least_the_stroke(fill: int) -> None:
    photo = np.full((60, 80, 3), fill, np.uint8)
    stroke = np.zeros((60, 80), bool)
    stroke[20:30, 20:40] = True

    assert (sweep(photo, stroke, np.zeros_like(stroke), np.zeros_like(stroke)) >= stroke).all()
    assert sweep(photo, ~np.zeros_like(stroke), np.zeros_like(stroke), np.zeros_like(stroke)).all()


def test_a_proposal_finds_what_differs_from_the_border() -> None:
    photo, truth = _scene()

    proposal = propose(photo)[0]

    assert _overlap(proposal.region, truth) > 0.95
    assert proposal.confidence > 0.7
    assert proposal.unsure.mean() < 0.1


def test_a_proposal_keeps_a_subject_that_the_frame_cuts_off() -> None:
    photo, truth = _scene()

    proposal = propose(photo[:130])[0]

    assert _overlap(proposal.region, truth[:130]) > 0.93


def test_a_proposal_sees_the_backdrop_through_a_gap() -> None:
    photo, _ = _scene()
    wall = np.array((128, 158, 168)) + np.random.default_rng(5).normal(0, 4, (40, 8, 3))
    photo[70:110, 90:98] = np.clip(wall, 0, 255)

    region = propose(photo)[0].region

    assert not region[76:104, 93:95].any()
    assert region[80:100, 110:130].all()


@pytest.mark.parametrize("fill", [0, 90, 255])
def test_a_proposal_for_a_photo_of_one_colour_is_none(fill: int) -> None:
    assert propose(np.full((80, 100, 3), fill, np.uint8)) == ()


def test_a_proposal_for_noise_is_not_confident() -> None:
    noise = np.random.default_rng(3).integers(0, 256, (120, 160, 3)).astype(np.uint8)

    assert all(guess.confidence < CANNOT_TELL for guess in propose(noise))


def test_two_subjects_are_offered_together_and_one_by_one() -> None:
    photo = np.full((160, 240, 3), (128, 158, 168), np.uint8)
    photo[40:120, 40:90], photo[60:120, 150:190] = (200, 40, 30), (190, 60, 20)
    photo = np.clip(photo + np.random.default_rng(2).normal(0, 3, photo.shape), 0, 255).astype(np.uint8)

    regions = [guess.region for guess in propose(photo)]

    assert regions[0][80, 60]
    assert regions[0][90, 170]
    alone = [(bool(region[80, 60]), bool(region[90, 170])) for region in regions[1:]]
    assert (True, False) in alone
    assert (False, True) in alone


def test_a_sweep_takes_nothing_beyond_its_reach() -> None:
    photo, truth = _scene()
    stroke = np.zeros_like(truth)
    stroke[60:70, 116:124] = True
    nothing = np.zeros_like(truth)

    grown = sweep(photo, stroke, nothing, nothing, 12.0)
    taken = sweep(photo, stroke, ~truth, nothing, 12.0)

    away = cv2.distanceTransform((~stroke).astype(np.uint8), cv2.DIST_L2, 5)
    assert grown.sum() > 2 * stroke.sum()
    assert not grown[away > 13].any()
    assert not (taken & truth)[away > 13].any()


def test_an_outline_that_is_only_a_limit_finds_the_subject_within() -> None:
    photo, truth = _scene()
    limit = cv2.dilate(truth.astype(np.uint8), np.ones((31, 31), np.uint8)) > 0

    found = found_within(photo, limit)

    assert _overlap(found, truth) > 0.95
    assert not found[~limit].any()


def test_outlines_enclose_what_they_came_from() -> None:
    region = np.zeros((20, 30), bool)
    region[3:15, 4:26] = True
    region[7:11, 10:18] = False

    again = coverage(outlines_of(region), (0, 0, 20, 30)) >= 128

    assert _overlap(again, region) > 0.97


def test_a_rough_region_is_traced_back_to_the_photos_edge() -> None:
    photo, truth = _scene(720, 960)
    small = cv2.resize(truth.astype(np.uint8), (96, 72), interpolation=cv2.INTER_AREA) > 0
    middle = cv2.resize(photo, (240, 180), interpolation=cv2.INTER_AREA)
    blocky = cv2.resize(small.astype(np.uint8), (960, 720), interpolation=cv2.INTER_NEAREST) > 0

    exact = traced([(4, middle), (1, photo)], small, (0, 0, 720, 960))
    window = traced([(4, middle), (1, photo)], small, (200, 300, 500, 700))

    assert _overlap(exact, truth) > 0.993
    assert _overlap(exact, truth) > _overlap(blocky, truth)
    assert np.array_equal(window, exact[200:500, 300:700])


def test_a_path_follows_the_edge_around_the_subject() -> None:
    photo, truth = _scene()
    edge = cv2.distanceTransform(
        (cv2.morphologyEx(truth.astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) == 0).astype(np.uint8),
        cv2.DIST_L2,
        5,
    )

    line = EdgePaths(photo, (120.5, 29.5)).to((187.0, 90.5))

    x, y = line.T.astype(int)
    assert np.allclose(line[[0, -1]], [(120.5, 29.5), (187.5, 90.5)])
    assert np.percentile(edge[y, x], 95) < 3


def test_a_line_beside_an_edge_snaps_onto_it_and_keeps_its_ends() -> None:
    photo = np.full((60, 200, 3), 60, np.uint8)
    photo[30:] = 190

    line = snap_line(photo, [(5, 27), (195, 33)], 6)

    assert np.allclose(line[[0, -1]], [(5, 27), (195, 33)])
    assert np.abs(line[30:-30, 1] - 30).max() < 1


def test_resampling_is_even() -> None:
    line = resampled([(0, 0), (30, 0), (30, 40)])

    steps = np.hypot(*np.diff(line, axis=0).T)
    assert len(line) == 71
    assert np.abs(steps - 1).max() < 0.3
