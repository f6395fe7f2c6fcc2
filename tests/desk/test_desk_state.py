"""The desk: what registers itself, presses the other way round, photos put aside, what lies where."""

import os
import time
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QAction, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QLineEdit, QPushButton

from desk.hand import Hand
from peel.desk.controls.icons import draw_icon
from peel.desk.controls.number_field import NumberField
from peel.desk.register import STEPS, all_commands, make_tools
from peel.desk.steps import Step
from peel.files.project import ProjectFile
from peel.job.edits.values import set_value
from peel.job.marked import marked_subject
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.work.session import job_files
from peel.work.views import View

RIGHT, NONE = Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def second_file(tmp_path: Path) -> Path:
    pixels = np.full((200, 260, 3), 90, np.uint8)
    pixels[60:140, 80:180] = 220
    Image.fromarray(pixels).save(tmp_path / "second.png")
    return tmp_path / "second.png"


# the register


def test_no_key_is_given_twice_and_none_is_a_tools_own() -> None:
    tools = make_tools()
    keys = [key for command in all_commands(tools) for key in command.keys]
    own = {choice.key_name for tools_ in tools.values() for tool in tools_ for choice in tool.choices}

    assert len(keys) == len(set(keys))
    assert not own & set(keys)


def test_every_tool_has_a_name_a_key_a_sentence_and_a_drawing(qapp: QApplication) -> None:
    from PySide6.QtCore import QRectF  # drawn here only
    from PySide6.QtGui import QColor, QImage, QPainter

    for tool in {tool for own in make_tools().values() for tool in own}:
        assert tool.name
        assert tool.key_name
        assert tool.sentence()
        assert tool.sentence(reverse=True) != "" or not tool.reverses
        picture = QImage(20, 20, QImage.Format.Format_ARGB32)
        picture.fill(0)
        painter = QPainter(picture)
        draw_icon(painter, tool.name, QRectF(0, 0, 20, 20), QColor("#ff0000"))
        painter.end()
        inked = [picture.pixelColor(x, y) for x in range(20) for y in range(20) if picture.pixelColor(x, y).alpha()]
        assert len(inked) > 12, tool.name
        assert max(colour.red() for colour in inked) > 200
        assert max(colour.green() for colour in inked) == 0, "tinted"


def test_steps_share_the_tools_they_both_list() -> None:
    tools = make_tools()

    assert tools[Step.EDGE][0] is tools[Step.MATTE][0]
    assert {tool.name for tool in tools[Step.MARK]} & {tool.name for tool in tools[Step.EDGE]} == {"Key"}
    assert list(STEPS) == list(Step)


def test_the_key_sheet_lists_every_command_and_every_tool(hand: Hand) -> None:
    listed = {key for _, keys in hand.bench.key_sheet.sections for key, _ in keys}
    commands = all_commands(hand.desk.tools)

    assert {command.keys[0] for command in commands} <= listed
    assert {"right button", "Enter", "Q", "F", "T"} <= listed
    assert all(hand.window.findChild(QAction, command.name) is not None for command in commands)


def test_a_tools_key_goes_to_the_step_that_has_it(marked: Hand) -> None:
    marked.key(Qt.Key.Key_E)
    assert marked.desk.step is Step.EDGE
    marked.step("Matte")
    marked.key(Qt.Key.Key_E)
    assert (marked.desk.step, marked.desk.tool.name) == (Step.MATTE, "Band")
    marked.key(Qt.Key.Key_D)
    assert (marked.desk.step, marked.desk.tool.name) == (Step.EDGE, "Certain")
    marked.key(Qt.Key.Key_C)
    assert (marked.desk.step, marked.desk.tool.name) == (Step.MARK, "Contour")


# the other way round


def test_the_right_button_does_the_other_way_round_and_says_so(marked: Hand) -> None:
    marked.key(Qt.Key.Key_B)
    marked.desk.set_brush(30)
    assert "adds" in marked.bench.shelf.sentence

    QTest.mousePress(marked.bench.canvas, RIGHT, NONE, marked.at(190, 150))
    assert "takes away" in marked.bench.shelf.sentence
    QTest.mouseMove(marked.bench.canvas, marked.at(230, 150))
    QTest.mouseRelease(marked.bench.canvas, RIGHT, NONE, marked.at(230, 150))
    marked.settle()

    assert not marked_subject(marked.job, marked.job.photo.bounds)[150, 210]
    assert "adds" in marked.bench.shelf.sentence


def test_the_latch_turns_both_buttons_round_until_it_is_pressed_again(marked: Hand) -> None:
    marked.key(Qt.Key.Key_D)
    marked.desk.set_brush(30)
    marked.press("latch")
    assert "backdrop" in marked.bench.shelf.sentence

    marked.drag([(200, 150), (220, 150)])
    marked.settle()
    assert marked.job.zones.read()[150, 210] == BACKGROUND
    marked.drag([(200, 150), (220, 150)], right=True)
    marked.settle()
    assert marked.job.zones.read()[150, 210] == FOREGROUND

    marked.key(Qt.Key.Key_U)
    marked.drag([(200, 150), (220, 150)], right=True)
    marked.settle()
    assert marked.job.zones.read()[150, 210] == BACKGROUND


def test_alt_still_works_where_it_arrives(marked: Hand) -> None:
    marked.key(Qt.Key.Key_D)
    marked.desk.set_brush(30)

    marked.drag([(200, 150), (220, 150)], Qt.KeyboardModifier.AltModifier)
    marked.settle()

    assert marked.job.zones.read()[150, 210] == BACKGROUND


def test_a_second_button_in_mid_press_does_not_end_the_stroke(marked: Hand) -> None:
    marked.key(Qt.Key.Key_E)
    marked.desk.set_brush(20)
    canvas = marked.bench.canvas
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, NONE, marked.at(180, 150))
    QTest.mousePress(canvas, RIGHT, NONE, marked.at(180, 150))
    QTest.mouseRelease(canvas, RIGHT, NONE, marked.at(180, 150))
    QTest.mouseMove(canvas, marked.at(240, 150))
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, NONE, marked.at(240, 150))
    marked.settle()

    assert marked.job.zones.read()[150, 235] == UNKNOWN


def test_changing_the_tool_in_mid_press_lets_solving_go_on(marked: Hand) -> None:
    marked.key(Qt.Key.Key_E)
    marked.desk.set_brush(60)
    marked.drag([(120, 120), (180, 120)])
    marked.key(Qt.Key.Key_S)
    QTest.mousePress(marked.bench.canvas, Qt.MouseButton.LeftButton, NONE, marked.at(200, 150))
    QTest.mouseMove(marked.bench.canvas, marked.at(220, 150))

    marked.desk.take_up_named("Brush")
    marked.settle()

    assert marked.job.is_solved


# photos put aside


def test_opening_another_photo_puts_the_first_aside_and_going_back_finds_it_as_it_was(
    marked: Hand, second_file: Path
) -> None:
    first = marked.session
    marked.step("Matte")
    marked.desk.show_view(View.BLACK)

    marked.window.open_path(second_file)
    marked.wait(lambda: marked.session is not first)
    marked.settle()
    assert not marked.job.has_subject
    assert marked.desk.step is Step.MARK
    assert first in marked.bench.files.assignment.sessions

    marked.window.open_path(first.project.path)
    marked.wait(lambda: marked.session is first)
    marked.settle()
    assert (marked.desk.step, marked.desk.view) == (Step.MATTE, View.BLACK)
    assert marked.job.is_solved


def test_a_file_that_cannot_be_opened_leaves_the_photo_on_the_desk(marked: Hand, tmp_path: Path) -> None:
    session = marked.session
    # its header is whole, so that a first look is shown before the rest turns out to be missing
    Image.effect_noise((900, 900), 90).convert("RGB").save(tmp_path / "cut.jpg", quality=95)
    content = (tmp_path / "cut.jpg").read_bytes()
    (tmp_path / "cut.jpg").write_bytes(content[: len(content) // 3])

    marked.window.open_path(tmp_path / "cut.jpg")
    marked.wait(lambda: marked.window.message.isVisible())

    assert "damaged" in marked.window.message.text
    assert marked.session is session
    marked.key(Qt.Key.Key_E)
    assert marked.desk.step is Step.EDGE


def test_of_files_opened_quickly_the_last_one_is_shown(hand: Hand, disc_file: Path, second_file: Path) -> None:
    for path in (disc_file, second_file, disc_file, second_file):
        hand.window.open_path(path)

    hand.wait(lambda: hand.desk.bridge is not None)
    hand.settle()
    hand.rest()

    assert hand.job.photo.name == "second.png"


def test_closing_the_photo_shows_the_empty_window_and_another_can_be_opened(marked: Hand, second_file: Path) -> None:
    marked.command("Close the photo")
    assert marked.window.welcome.isVisible()
    assert marked.desk.job is None
    marked.wait(lambda: marked.bench.files.assignment.sessions == [])

    marked.open(second_file)

    assert marked.job.photo.name == "second.png"


# what lies where


def test_a_message_lies_over_the_picture_and_moves_nothing(marked: Hand) -> None:
    canvas = marked.bench.canvas
    before, origin = canvas.geometry(), QPointF(canvas.frame.origin)

    marked.desk.say("Something happened.", "Do something about it.")
    marked.rest()

    message = marked.window.message
    assert message.isVisible()
    assert canvas.geometry() == before
    assert canvas.frame.origin == origin
    corner = canvas.mapTo(marked.window, canvas.rect().topLeft())
    assert message.mapTo(marked.window, message.rect().topLeft()) == corner
    assert message.width() == canvas.width()


def test_what_is_said_is_never_taken_for_markup(marked: Hand) -> None:
    marked.desk.say("<img src=/dev/zero> is not a photo.")

    assert marked.window.message.text.startswith("<img")
    for label in marked.window.findChildren(QLabel):
        assert label.textFormat() is Qt.TextFormat.PlainText or "<" not in label.text()


def test_the_proofs_fold_away_and_come_back_at_their_width(marked: Hand) -> None:
    columns, proofs = marked.bench.columns, marked.bench.proofs
    width = columns.sizes()[0]
    assert width > 100

    marked.key(Qt.Key.Key_H)
    marked.rest()
    assert columns.sizes()[0] == 0
    marked.key(Qt.Key.Key_H)
    marked.wait(lambda: columns.sizes()[0] == width)

    assert all(proof.isVisible() for proof in proofs.proofs)


def test_a_message_takes_one_line_and_is_left_behind_with_its_step(marked: Hand) -> None:
    message = marked.window.message
    marked.desk.say("A sentence that is short.")
    marked.rest()
    assert message.isVisible()
    assert message.height() < 60
    marked.desk.say("A sentence that is long. " * 30)
    assert message.height() > 60
    marked.step("Deliver")
    assert not message.isVisible()


def test_the_settings_have_the_full_height_and_deliver_needs_no_scrolling(marked: Hand) -> None:
    marked.step("Deliver")
    marked.rest()
    panel = marked.panel(Step.DELIVER)

    assert panel.go.isVisible()
    assert not panel.go.visibleRegion().isEmpty()
    foot = panel.foot.height()  # with the button, below what scrolls
    assert panel.visibleRegion().boundingRect().height() + foot >= marked.bench.canvas.height() - 60
    assert panel.go.window() is panel.foot.window() is marked.window


def test_the_reading_says_what_lies_under_the_cursor(marked: Hand) -> None:
    QTest.mouseMove(marked.bench.canvas, marked.at(210, 150))
    marked.wait(lambda: "subject" in marked.bench.proofs.reading)
    assert "matte 100 %" in marked.bench.proofs.reading

    QTest.mouseMove(marked.bench.canvas, marked.at(12, 12))
    marked.wait(lambda: "backdrop" in marked.bench.proofs.reading)


# values that are dragged


def _field(hand: Hand) -> NumberField:
    hand.step("Colour")
    return hand.panel(Step.COLOUR).fields["clean"]


def test_dragging_a_value_is_one_step_of_undo_and_shows_as_it_goes(marked: Hand) -> None:
    field = _field(marked)
    steps = len(marked.session.history.states)
    middle = field.rect().center()
    QTest.mousePress(field, Qt.MouseButton.LeftButton, NONE, middle)
    for x in range(middle.x(), 20, -20):
        QTest.mouseMove(field, field.rect().topLeft() + QPointF(x, middle.y()).toPoint())
        marked.session.wait_idle()
    assert marked.job.settings.recipe.colour.clean < 0.4
    QTest.mouseRelease(
        field, Qt.MouseButton.LeftButton, NONE, field.rect().topLeft() + QPointF(20, middle.y()).toPoint()
    )
    marked.settle()

    assert len(marked.session.history.states) == steps + 1
    assert marked.session.is_stored
    marked.desk.undo()
    marked.settle()
    assert marked.job.settings.recipe.colour.clean == 1
    assert field.value == 100


def test_turns_of_the_wheel_that_follow_each_other_are_one_step(marked: Hand) -> None:
    field = _field(marked)
    steps = len(marked.session.history.states)

    for _ in range(5):
        at = QPointF(field.rect().center())
        wheel = QWheelEvent(
            at, field.mapToGlobal(at), QPointF(0, -120).toPoint(), QPointF(0, -120).toPoint(), Qt.MouseButton.NoButton,
            NONE, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(field, wheel)
    marked.wait(lambda: marked.session.is_stored and len(marked.session.history.states) == steps + 1)

    assert marked.job.settings.recipe.colour.clean == pytest.approx(0.95)


@pytest.mark.parametrize("typed", ["inf", "nan", "-inf", "ten", ""])
def test_what_is_typed_and_is_no_number_changes_nothing(marked: Hand, typed: str) -> None:
    field = _field(marked)
    before = marked.job
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_Return)
    edit = marked.window.focusWidget()
    edit.clear()
    QTest.keyClicks(edit, typed)
    QTest.keyClick(edit, Qt.Key.Key_Return)
    marked.settle()

    assert marked.job is before


# what takes time


def test_closing_hides_the_window_at_once_and_loses_nothing(marked: Hand, monkeypatch: pytest.MonkeyPatch) -> None:
    window, session, real = marked.window, marked.session, ProjectFile.append

    def slowly(project: ProjectFile, label: str, job: object) -> int:
        time.sleep(0.1)
        return real(project, label, job)  # type: ignore[arg-type]

    monkeypatch.setattr(ProjectFile, "append", slowly)
    for number in range(8):
        session.apply(f"{number}", lambda job, n=number: set_value(job, "recipe.band.outward_px", 20 + n))

    window.close()
    assert not window.isVisible()
    assert not window.is_closed  # what is still being written is waited for elsewhere
    marked.wait(lambda: window.is_closed)

    again = ProjectFile.open(session.project.path)
    assert [state.label for state in again.history().states][-8:] == [str(number) for number in range(8)]
    again.close()


def test_the_steps_of_undo_can_be_forgotten(marked: Hand) -> None:
    marked.step("Deliver")
    panel = marked.panel(Step.DELIVER)
    assert marked.sees(panel, "can be undone")

    marked.press_text(panel, "Forget the steps of undo")
    marked.wait(lambda: "forgotten" in marked.window.message.text)
    marked.settle()

    assert marked.session.history.undo_label is None
    (forget,) = [own for own in panel.findChildren(QPushButton) if own.text() == "Forget the steps of undo"]
    assert not forget.isEnabled()
    assert marked.job.is_solved


def test_old_jobs_are_offered_to_be_cleared_with_their_size(hand: Hand) -> None:
    path = job_files.new_working_path("forgotten.png")
    path.write_bytes(bytes(3_000_000))
    then = time.time() - 60 * 24 * 3600
    os.utime(path, (then, then))
    hand.window.show_welcome()

    def offered() -> list[QPushButton]:
        return [
            b
            for b in hand.window.welcome.findChildren(QPushButton)
            if b.text().startswith("Clear the") and b.isVisible()
        ]

    hand.wait(lambda: bool(offered()))
    assert "(3 MB)" in offered()[0].text()
    offered()[0].click()

    hand.wait(lambda: not path.exists() and not offered())


def _deliver_into(hand: Hand, folder: str) -> None:
    hand.step("Deliver")
    panel = hand.panel(Step.DELIVER)
    (line,) = [own for own in panel.findChildren(QLineEdit) if own.accessibleName() == "Folder to deliver into"]
    hand.enter(line, folder)
    hand.settle()
    panel.go.click()


@pytest.mark.parametrize("folder", ["/proc/no", "x" * 400])
def test_a_folder_that_cannot_be_is_explained_when_delivering(marked: Hand, folder: str) -> None:
    _deliver_into(marked, folder)
    marked.wait(lambda: marked.window.message.isVisible())

    assert "could not be written" in marked.window.message.text


@pytest.mark.parametrize("folder", ["~nobody-of-that-name/x", ""])
def test_a_folder_of_nobody_or_of_no_name_lies_below_the_present_one(
    marked: Hand, folder: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "here").mkdir()
    monkeypatch.chdir(tmp_path / "here")

    _deliver_into(marked, folder)
    marked.wait(lambda: "Written" in marked.panel(Step.DELIVER).written)

    assert len(list((tmp_path / "here" / folder).glob("disc-*"))) == 3
