"""Believing the hand, in a real window: trust, gaps in doubt, strokes that act where they are, guesses that are guesses."""

from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from conftest import soft_disc
from desk.hand import Hand
from peel.desk.edge.edge_desk import EdgeDesk
from peel.desk.steps import Step
from peel.job.marked import marked_subject
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.work.many.batches import propose_job

_ROWS, _COLUMNS = np.mgrid[:300, :420]
_DISC = np.hypot(_ROWS - 150, _COLUMNS - 210) < 90
_INSIDE = np.hypot(_ROWS - 150, _COLUMNS - 210) < 70


def _pierced_file(folder: Path) -> Path:
    """Write the disc with two holes through which the backdrop shows."""
    photo, _, _ = soft_disc(300, 420, 90)
    for column in (180, 240):
        photo[np.hypot(_ROWS - 150, _COLUMNS - column) < 12] = photo[5, 5]
    path = folder / "pierced.png"
    Image.fromarray(np.round(photo * 255).astype(np.uint8)).save(path)
    return path


def _around_the_disc(hand: Hand, radius: float = 92) -> None:
    for turn in np.linspace(0, 2 * np.pi, 24, endpoint=False):
        hand.click(210 + radius * np.cos(turn), 150 + radius * np.sin(turn))
    hand.key(Qt.Key.Key_Return)
    hand.settle()


@pytest.fixture
def pierced(hand: Hand, tmp_path: Path) -> Hand:
    hand.open(_pierced_file(tmp_path))
    hand.settle()
    _around_the_disc(hand)
    hand.step("Edge")
    hand.wait(lambda: hand.bench.part(EdgeDesk).is_idle)
    hand.settle()
    return hand


def _zones(hand: Hand) -> np.ndarray:
    return hand.job.zones.read()


def test_enclosed_gaps_stay_solid_until_a_key_opens_one_and_then_all(pierced: Hand) -> None:
    assert (_zones(pierced)[_INSIDE] == FOREGROUND).all()
    assert pierced.panel(Step.EDGE).open_gap.isEnabled()

    pierced.command("Next place")
    pierced.command("Mend the snag")
    pierced.settle()
    opened = [bool((_zones(pierced)[148:152, column - 2 : column + 2] == BACKGROUND).all()) for column in (180, 240)]
    assert sorted(opened) == [False, True]

    pierced.wait(lambda: pierced.bench.part(EdgeDesk).is_idle)
    pierced.settle()
    pierced.press_text(pierced.panel(Step.EDGE), "Open all gaps")
    pierced.settle()
    assert (_zones(pierced)[148:152, 178:182] == BACKGROUND).all()
    assert (_zones(pierced)[148:152, 238:242] == BACKGROUND).all()


def test_the_dial_at_exact_leaves_a_band_of_a_few_pixels_everywhere(pierced: Hand) -> None:
    rough = (_zones(pierced) == UNKNOWN).sum()

    pierced.panel(Step.EDGE).trust.set_value(100)
    pierced.settle()

    band = _zones(pierced) == UNKNOWN
    outline = marked_subject(pierced.job, pierced.job.photo.bounds).astype(np.uint8)
    edge = cv2.dilate(outline, np.ones((3, 3), np.uint8)) != cv2.erode(outline, np.ones((3, 3), np.uint8))
    away = cv2.distanceTransform(1 - edge.astype(np.uint8), cv2.DIST_L2, 5)
    assert 0 < band.sum() < rough
    assert not band[away > 5].any()


def test_trust_is_said_of_one_stretch_by_hand_and_by_brush(pierced: Hand) -> None:
    pierced.desk.take_up_named("Trust")
    pierced.desk.set_brush(60)
    before = _zones(pierced)

    pierced.drag([(300, 60), (310, 150), (300, 240)])
    pierced.settle()

    away = np.abs(np.hypot(_ROWS - 150, _COLUMNS - 210) - 92)
    right = _COLUMNS > 285
    assert not (_zones(pierced) == UNKNOWN)[right & (away > 6)].any()
    left = _COLUMNS < 150
    assert np.array_equal(_zones(pierced)[left], before[left])

    pierced.drag([(300, 60), (310, 150), (300, 240)], right=True)
    pierced.settle()
    assert np.array_equal(_zones(pierced), before)


def test_a_stretch_of_a_contour_has_a_trust_of_its_own(pierced: Hand) -> None:
    pierced.step("Mark")
    pierced.desk.take_up_named("Contour")
    pierced.click(302, 150)
    panel = pierced.panel(Step.MARK)
    pierced.wait(panel.trust.isVisible)

    panel.trust.set_value(100)
    pierced.settle()
    assert [node.trust for node in pierced.job.settings.photo.contours[0].nodes].count(1.0) == 1

    pierced.press_text(panel, "All of the contour")
    pierced.settle()
    assert all(node.exact for node in pierced.job.settings.photo.contours[0].nodes)
    pierced.press_text(panel, "As the dial")
    pierced.settle()
    assert all(node.trust is None for node in pierced.job.settings.photo.contours[0].nodes)


def test_the_right_button_narrows_the_band_and_touches_nothing_else(pierced: Hand) -> None:
    before, unsolved = _zones(pierced), (_zones(pierced) == UNKNOWN).sum()
    pierced.desk.take_up_named("Band")
    pierced.desk.set_brush(30)

    pierced.drag([(300, 130), (302, 170)], right=True)
    pierced.settle()

    after = _zones(pierced)
    touched = np.zeros(after.shape, np.uint8)
    cv2.line(touched, (300, 130), (302, 170), 1, 34)
    assert (after == UNKNOWN).sum() < unsolved
    assert np.array_equal(after[touched == 0], before[touched == 0])
    assert not (after[140:160, 296:306] == UNKNOWN).any()


def test_a_stroke_that_changes_something_far_off_says_so_and_a_key_takes_that_back(pierced: Hand) -> None:
    before = _zones(pierced)
    pierced.desk.stroke_made.emit(((210.0, 150.0),), 8.0)
    pierced.session.apply("Far", lambda job: job.with_planes(zones=job.zones.write(job.photo.bounds, 255 - before)))
    pierced.wait(lambda: pierced.desk.overlay.image is not None)

    pierced.command("Keep only what is near")
    pierced.settle()

    far = np.hypot(_ROWS - 150, _COLUMNS - 210) > 12
    assert np.array_equal(_zones(pierced)[far], before[far])
    assert pierced.desk.overlay.image is None


def test_pressing_a_kind_gives_it_to_the_whole_edge(pierced: Hand) -> None:
    pierced.press("kind hard")
    pierced.settle()

    band = _zones(pierced) == UNKNOWN
    assert (pierced.job.kinds.read()[band] == 3).all()

    pierced.command("Undo")
    pierced.settle()
    pierced.press("kind to contour")
    pierced.press("kind soft")
    pierced.settle()
    assert (pierced.job.kinds.read()[_zones(pierced) == UNKNOWN] == 4).mean() > 0.95


def test_a_click_that_shakes_sets_a_point_and_a_short_run_joins_without_a_bend(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    hand.settle()
    hand.click(60, 60)
    spot = hand.at(200, 60)
    QTest.mousePress(hand.bench.canvas, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, spot)
    for step in ((4, 3), (-3, 4), (5, -4), (2, 5)):
        QTest.mouseMove(hand.bench.canvas, spot + QPoint(*step))
    QTest.mouseRelease(hand.bench.canvas, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, spot)
    hand.drag([(330, 100), (330, 120), (330, 140), (330, 160)])
    hand.settle()

    nodes = hand.job.settings.photo.contours[0].nodes
    assert len(nodes) == 4
    assert all(node.back == (0.0, 0.0) for node in nodes)
    assert nodes[1].out == (0.0, 0.0)


def test_a_hole_drawn_first_is_a_hole_in_a_subject_that_is_all_of_the_photo(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    hand.settle()
    for number, (x, y) in enumerate(((120, 60), (300, 60), (300, 240), (120, 240))):
        hand.click(x, y, right=number == 0)
    hand.key(Qt.Key.Key_Return)
    hand.settle()

    subject = marked_subject(hand.job, hand.job.photo.bounds)
    assert subject[5, 5]
    assert not subject[150, 210]
    assert (_zones(hand)[:20] == FOREGROUND).all()


def test_brushing_the_backdrop_first_takes_all_the_rest_for_subject(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    hand.settle()
    hand.desk.take_up_named("Brush")
    hand.desk.set_brush(40)

    hand.drag([(20, 20), (400, 20)], right=True)
    hand.settle()

    subject = marked_subject(hand.job, hand.job.photo.bounds)
    assert not subject[20, 200]
    assert subject[150, 210]
    assert (_zones(hand)[200:] == FOREGROUND).all()


def test_an_outline_that_is_only_a_limit_finds_the_subject_within(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    hand.settle()
    hand.desk.tool.inside.next()
    for x, y in ((100, 45), (320, 45), (320, 255), (100, 255)):
        hand.click(x, y)
    hand.key(Qt.Key.Key_Return)
    hand.settle()

    subject = marked_subject(hand.job, hand.job.photo.bounds)
    assert (subject & _DISC).sum() / (subject | _DISC).sum() > 0.95
    assert hand.job.settings.photo.contours == ()


def test_sweep_changes_nothing_beyond_its_reach(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    hand.settle()
    hand.desk.take_up_named("Sweep")
    hand.desk.set_brush(20)

    hand.drag([(210, 140), (210, 150), (210, 160)])
    hand.settle()

    subject = marked_subject(hand.job, hand.job.photo.bounds)
    away = np.hypot(np.maximum(np.abs(_ROWS - 150) - 10, 0), _COLUMNS - 210)
    assert subject[150, 210]
    assert subject.sum() > 1500
    assert not subject[away > 52].any()


def test_proposing_again_says_that_there_is_no_other_subject(hand: Hand, disc_file: Path) -> None:
    said: list[str] = []
    hand.desk.said.connect(lambda trouble: said.append(trouble.message))
    hand.open(disc_file)
    hand.settle()
    hand.command("Propose")
    hand.wait(lambda: hand.job.has_subject)
    hand.settle()
    assert "% sure" in said[-1]

    hand.command("Propose")
    hand.wait(lambda: "no other subject" in said[-1] or "Guess 2" in said[-1])


def test_a_guess_made_without_anybody_is_called_so_until_it_is_taken_over(
    hand: Hand, disc_file: Path, tmp_path: Path
) -> None:
    propose_job(disc_file, tmp_path / "disc.peel")
    hand.open(tmp_path / "disc.peel")
    hand.settle()
    hand.step("Mark")
    panel = hand.panel(Step.MARK)
    assert panel.seen.isVisible()

    hand.press_text(panel, "It is right")
    hand.settle()

    assert hand.job.settings.photo.guess is None
    assert not panel.seen.isVisible()
