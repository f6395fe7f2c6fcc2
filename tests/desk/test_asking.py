"""Asking workers: what is answered, what is dropped, and that nothing that fails goes unsaid or stops the window."""

import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QObject, QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from desk.hand import Hand
from peel.desk.asking import TASKS, Asker, Task
from peel.desk.backing.backing_desk import BackingDesk
from peel.desk.clipboard import ClipboardDesk
from peel.desk.colour.colour_desk import ColourDesk
from peel.desk.deliver.deliver_desk import DeliverDesk
from peel.desk.mark.frame_desk import FrameDesk
from peel.desk.mark.marking_desk import MarkingDesk
from peel.desk.mark.mask_desk import MaskDesk
from peel.desk.matte.again_desk import AgainDesk
from peel.desk.matte.measure_desk import MeasureDesk
from peel.desk.matte.snag_desk import SnagDesk
from peel.desk.matte.snag_feed import SnagFeed
from peel.desk.matte.snag_walk import SnagWalk
from peel.desk.matte.version_desk import VersionDesk
from peel.desk.steps import Step
from peel.errors import MarkError
from peel.files.assets import read_asset
from peel.job.edits.touching import Touch, lay_over, touch_area
from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.parallel import checkpoint
from peel.work.framing.frames import give_frame, without_frame
from peel.work.scheduler import Lane
from peel.work.solving.measured_ways import confirm
from peel.work.views import View

_SLOW, _STOPS = Task("slow", "It could not be done."), Task("stops", "It could not be stopped.", stops=True)


class Heard(list[tuple[str, str, str]]):
    """What was said."""

    def say(self, message: str, hint: str, trace: str) -> None:
        self.append((message, hint, trace))


@pytest.fixture
def heard() -> Heard:
    return Heard()


@pytest.fixture
def asker(qtbot: QtBot, heard: Heard) -> Iterator[Asker]:
    lane = Lane("test")
    yield Asker(lane, heard.say)
    lane.close()


def test_an_answer_comes_on_the_windows_thread(qtbot: QtBot, asker: Asker) -> None:
    seen: list[object] = []

    asker.ask(_SLOW, threading.current_thread, lambda there: seen.extend((there, threading.current_thread())))

    qtbot.waitUntil(lambda: asker.is_idle)
    assert seen[0] is not seen[1]
    assert seen[1] is threading.main_thread()


def test_only_the_newest_is_answered_and_what_shows_that_it_is_under_way_is_cleared_once(
    qtbot: QtBot, asker: Asker
) -> None:
    gate, seen, ends = threading.Event(), [], []
    asker.ask(_SLOW, lambda: gate.wait(20), seen.append, ended=lambda: ends.append(1))
    for number in range(3):
        asker.ask(_SLOW, lambda number=number: number, seen.append, ended=lambda: ends.append(2))
    gate.set()

    qtbot.waitUntil(lambda: asker.is_idle)
    assert seen == [2]
    assert ends == [2]


def test_without_a_key_each_is_answered(qtbot: QtBot, asker: Asker) -> None:
    seen: list[int] = []
    for number in range(5):
        asker.ask(_SLOW, lambda number=number: number, seen.append, key=None)

    qtbot.waitUntil(lambda: len(seen) == 5)
    assert sorted(seen) == [0, 1, 2, 3, 4]


def test_what_is_dropped_ends_at_once_and_its_work_stops_if_it_may(qtbot: QtBot, asker: Asker) -> None:
    begun, ended, answered = threading.Event(), [], []

    def work() -> None:
        begun.set()
        while True:
            checkpoint()

    asker.ask(_STOPS, work, answered.append, ended=lambda: ended.append(True))
    assert begun.wait(20)
    asker.forget()

    assert ended == [True]
    qtbot.waitUntil(lambda: asker.is_idle)
    assert answered == []


def test_an_answer_that_is_no_longer_wanted_is_not_used_but_what_is_under_way_is_cleared(
    qtbot: QtBot, asker: Asker
) -> None:
    ended, answered = [], []

    asker.ask(_SLOW, lambda: 1, answered.append, wanted=lambda: False, ended=lambda: ended.append(True))

    qtbot.waitUntil(lambda: asker.is_idle)
    assert (ended, answered) == ([True], [])


def test_every_failure_is_said_and_the_worker_goes_on(qtbot: QtBot, asker: Asker, heard: Heard) -> None:
    def fails(error: BaseException) -> Callable[[], None]:
        def work() -> None:
            raise error

        return work

    def fails_when_used(_answer: object) -> None:
        raise KeyError("used")

    asker.ask(_SLOW, fails(MarkError("There is nothing.", "Mark it.")), list.clear, key=1)  # type: ignore[arg-type]
    asker.ask(_SLOW, fails(ZeroDivisionError("by hand")), list.clear, key=2)  # type: ignore[arg-type]
    asker.ask(_SLOW, fails(SystemExit()), list.clear, key=3)  # type: ignore[arg-type]
    asker.ask(_SLOW, lambda: 1, fails_when_used, key=4)
    qtbot.waitUntil(lambda: asker.is_idle)

    assert ("There is nothing.", "Mark it.", "") in heard
    assert [said for said, _, _ in heard].count(_SLOW.failure) == 3
    traces = " ".join(trace for _, _, trace in heard)
    assert all(word in traces for word in ("ZeroDivisionError: by hand", "SystemExit", "KeyError: 'used'"))
    answered: list[int] = []
    asker.ask(_SLOW, lambda: 7, answered.append)
    qtbot.waitUntil(lambda: answered == [7])


class Recorded:
    """The last request of each task that was made while the window was worked with."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.requests: dict[str, tuple[Asker, Task, dict[str, Any]]] = {}
        ask = Asker.ask

        def recording(asker: Asker, task: Task, work: Any, then: Any, **more: Any) -> Any:
            self.requests[task.name] = asker, task, more
            return ask(asker, task, work, then, **more)

        monkeypatch.setattr(Asker, "ask", recording)


def _photo(folder: Path, name: str, shift: int = 0) -> Path:
    ys, xs = np.mgrid[:300, :420]
    inside = np.hypot(ys - 150, xs - 200 - shift) < 80
    picture = np.where(inside[..., None], (210, 120, 50), (40, 80, 150)).astype(np.uint8)
    folder.mkdir(exist_ok=True)
    Image.fromarray(picture).save(folder / name)
    return folder / name


def _rest(hand: Hand) -> None:
    hand.settle()
    bench = hand.bench
    hand.wait(
        lambda: bench.part(SnagFeed).is_idle and bench.part(DeliverDesk).is_idle and bench.part(ColourDesk).is_idle
    )
    hand.rest()


def _mark_and_read_the_edge(hand: Hand) -> None:
    hand.command("Alike")
    hand.drag([(200, 150), (260, 150)])
    _rest(hand)
    hand.command("Propose")
    _rest(hand)
    hand.command("Contour")
    hand.key(Qt.Key.Key_F)  # follow the edge
    hand.click(40, 40)
    hand.settle()
    QTest.mouseMove(hand.bench.canvas, hand.at(80, 60))
    _rest(hand)
    hand.key(Qt.Key.Key_Escape)
    hand.press("change GROW")
    hand.wait(lambda: hand.bench.part(MarkingDesk).is_idle)
    hand.rest()
    hand.press("change GROW")
    hand.command("Brush")
    hand.drag([(60, 250), (66, 250)])  # in the backdrop: wherever it was marked before, nothing might change
    _rest(hand)
    hand.step("Edge")
    _rest(hand)
    hand.panel(Step.EDGE).turn_page(separation=True)
    _rest(hand)


def _give_a_second_frame(hand: Hand, folder: Path) -> None:
    hand.step("Mark")
    other = _photo(folder / "frames", "other.png", 9)
    hand.bench.part(FrameDesk).take(other)  # whether it is one does not matter here
    hand.wait(lambda: hand.bench.part(FrameDesk).is_idle)
    asset = read_asset(other)
    hand.desk.edit("Second frame", lambda job: give_frame(job, asset, "empty"))
    _rest(hand)
    hand.wait(lambda: hand.bench.part(FrameDesk).is_idle)
    hand.desk.edit("Take the second frame away", without_frame)
    _rest(hand)


def _work_on_the_matte(hand: Hand) -> None:
    area = ((120.0, 60.0), (300.0, 60.0), (300.0, 240.0), (120.0, 240.0))
    hand.step("Matte")
    speck = ((20.0, 20.0), (32.0, 20.0), (32.0, 32.0), (20.0, 32.0))
    hand.desk.edit("Solid", lambda job: touch_area(job, speck, Touch.SOLID, 1.0))
    _rest(hand)
    hand.panel(Step.MATTE).turn_page(snags=True)
    hand.bench.part(SnagWalk).walk(1)
    held = hand.bench.part(SnagDesk).page.show_mended
    QTest.mousePress(held, Qt.MouseButton.LeftButton)
    QTest.mouseRelease(held, Qt.MouseButton.LeftButton)
    hand.command("Round the edge")
    hand.rest()
    hand.command("Round the edge")
    hand.panel(Step.MATTE).repairs.show_touched.click()
    hand.bench.part(AgainDesk).begin(area)
    hand.wait(lambda: hand.bench.part(AgainDesk).is_idle)
    hand.bench.part(AgainDesk).leave()
    _measure(hand)
    hand.panel(Step.MATTE).turn_page(snags=False)
    dial = hand.panel(Step.MATTE).profile.hair
    QTest.mouseClick(dial, Qt.MouseButton.LeftButton, pos=QPoint(round(dial.x_of(-0.3)), 20))
    _rest(hand)
    QTest.mouseDClick(dial, Qt.MouseButton.LeftButton, pos=QPoint(20, 20))
    _rest(hand)
    hand.command("Wisp")
    hand.click(60, 60)
    hand.rest()


def _measure(hand: Hand) -> None:
    """Make the left half of the edge soft by hand, take it for right, and measure ways for the other one."""
    part = Rect(40, 100, 260, 200)

    def soft(job: Job) -> Job:
        alpha = cv2.GaussianBlur(job.alpha(part), (0, 0), 2.0)
        return confirm(
            lay_over(job, part, alpha, np.ones(alpha.shape, np.float32)), ((100, 40), (200, 40), (200, 260), (100, 260))
        )

    hand.desk.edit("By hand", soft)
    _rest(hand)
    measured = hand.bench.part(MeasureDesk)
    measured.begin(((220, 40), (300, 40), (300, 260), (220, 260)))
    hand.wait(lambda: measured.is_idle)
    hand.rest()
    hand.wait(lambda: measured.is_idle)
    measured.leave()


def _colour_and_back(hand: Hand, folder: Path) -> None:
    hand.step("Colour")
    for propose in [own for own in hand.panel(Step.COLOUR).findChildren(QPushButton) if own.text() == "Propose"]:
        propose.click()
        _rest(hand)
    hand.step("Backing")
    hand.bench.part(BackingDesk).take_file(_photo(folder / "backing", "wall.png"))
    hand.wait(lambda: hand.bench.part(BackingDesk).is_idle)
    hand.panel(Step.BACKING).behind.kinds["colour"].click()
    hand.press("pick Colour")
    hand.click(100, 100)
    hand.wait(lambda: hand.bench.part(BackingDesk).is_idle)


def _masks_and_clipboard(hand: Hand, folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    hand.panel(Step.BACKING).behind.kinds["gradient"].click()
    _rest(hand)
    hand.wait(lambda: hand.bench.part(BackingDesk).is_idle)
    hand.step("Mark")
    saved = folder / "saved.png"
    monkeypatch.setattr("peel.desk.mark.mask_desk.ask_mask_name", lambda *_given: saved)
    masks = hand.bench.part(MaskDesk)
    hand.choose_in_menu(hand.panel(Step.MARK).masks, "Save the mark…")
    hand.wait(lambda: masks.is_idle and saved.exists())
    masks.take(saved, only_masks=True)
    hand.wait(lambda: masks.is_idle)
    hand.rest()
    hand.press("leave mask")
    hand.bench.proofs.follow(QPointF(60, 60))
    hand.command("Why")
    hand.wait(lambda: hand.bench.proofs.is_idle)
    monkeypatch.setattr("peel.desk.matte.version_desk.ask_picture", lambda *_given: saved)
    versions = hand.bench.part(VersionDesk)
    versions.begin()
    hand.wait(lambda: versions.is_idle)
    versions.answers.buttons[-1].click()
    hand.wait(lambda: versions.is_idle)
    hand.rest()
    board = hand.bench.part(ClipboardDesk)
    hand.command("Copy the cutout")
    hand.wait(lambda: board.is_idle)
    hand.rest()
    hand.command("Paste")
    hand.wait(lambda: board.is_idle)
    hand.rest()
    assert board.dialog is not None
    board.dialog.reject()


def _deliver(hand: Hand, folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    hand.step("Deliver")
    panel = hand.panel(Step.DELIVER)
    panel.set_folder(folder / "out")
    _rest(hand)
    presets = hand.bench.part(DeliverDesk).presets
    shelf = panel.presets
    shelf.choose("Web, transparent")
    hand.press_text(shelf, "Change it")
    shelf.form.name.setText("Own")
    hand.press_text(shelf, "Keep it")
    hand.wait(lambda: presets.is_idle)
    _rest(hand)
    monkeypatch.setattr("peel.desk.deliver.preset_desk.ask_preset_name", lambda *_given: folder / "own.json")
    hand.press_text(shelf, "Change it")
    hand.press_text(shelf, "Share it…")
    hand.wait(lambda: presets.is_idle and (folder / "own.json").exists())
    hand.press_text(shelf, "Remove it")
    hand.wait(lambda: presets.is_idle)
    presets.add(folder / "own.json")
    hand.wait(lambda: presets.is_idle)
    _rest(hand)
    hand.wait(lambda: panel.go.isEnabled())
    panel.go.click()
    hand.wait(lambda: "Written" in panel.written)
    panel.compare.click()
    hand.wait(lambda: hand.bench.part(DeliverDesk).is_idle)
    hand.press_text(panel, "Forget the steps of undo")
    _rest(hand)


def _work_the_board(hand: Hand, folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    hand.bench.files.keep_as(folder / "kept.peel")
    hand.wait((folder / "kept.peel").exists)
    hand.window.open_paths([folder / "board"])
    hand.wait(lambda: hand.window.board is not None and len(hand.window.board.entries) == 3)
    board = hand.window.board
    page, photos = board.page, [entry.photo for entry in board.entries]
    page.choose(photos)
    hand.press("show carry")
    hand.wait(lambda: board.is_idle)
    hand.press("carry")
    hand.wait(lambda: board.is_idle)
    hand.rest()
    board.scan()
    hand.wait(lambda: board.is_idle)
    page.choose(photos)
    hand.press("seen")
    hand.wait(lambda: board.is_idle)
    monkeypatch.setattr("peel.desk.board.board_desk.ask_picture", lambda *_given: photos[1])
    page.choose(photos[:1])
    hand.press("give set")  # it is none, and that is said on the card
    hand.wait(lambda: board.is_idle)
    board.add([_photo(folder / "more", "late.png")])
    hand.wait(lambda: board.is_idle)
    page.choose(photos[:1])
    page.to.setText(str(folder / "run"))
    hand.press("deliver run")
    hand.wait(lambda: board.is_idle)
    hand.rest()
    board.leave()


def _fails() -> None:
    raise ZeroDivisionError("injected")


def _failed(hand: Hand, asker: Asker, task: Task, more: dict[str, Any]) -> list[str]:
    """Let a task fail as it was asked for, and another one succeed after it; return what was said."""
    said: list[str] = []
    opener = hand.bench.files.opener
    heard = [
        told.connect(lambda trouble: said.append(trouble.message))
        for told in (hand.desk.said, opener.failed, opener.failed_to_keep)
    ]
    answered: list[int] = []
    asker.ask(task, _fails, lambda _none: None, **{**more, "wanted": lambda: True})
    asker.ask(_SLOW, lambda: 1, answered.append)
    hand.wait(lambda: answered == [1] and asker.is_idle)
    for connection in heard:
        QObject.disconnect(connection)
    return said


def test_a_failure_in_any_task_is_said_and_the_window_goes_on(
    make_window: Callable[[], Hand], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Work through the window once, then let every task that was asked for fail."""
    recorded = Recorded(monkeypatch)
    hand = make_window()
    for number in range(3):
        _photo(tmp_path / "board", f"{number}.png", 4 * number)
    hand.open(_photo(tmp_path, "first.png"))
    _mark_and_read_the_edge(hand)
    _give_a_second_frame(hand, tmp_path)
    _work_on_the_matte(hand)
    _colour_and_back(hand, tmp_path)
    _masks_and_clipboard(hand, tmp_path, monkeypatch)
    _deliver(hand, tmp_path, monkeypatch)
    hand.desk.show_view(View.LOUD)
    hand.bench.canvas.look_around(QPointF(100, 100), 50)
    _rest(hand)
    _work_the_board(hand, tmp_path, monkeypatch)
    hand.command("Close the photo")
    hand.wait(lambda: hand.desk.bridge is None)
    hand.open(_photo(tmp_path, "second.png"))
    _rest(hand)
    requests = dict(recorded.requests)
    assert set(TASKS) - set(requests) == set(), "never asked for: this is what the window was worked through for"

    unsaid = [
        task.name for asker, task, more in requests.values() if task.failure not in _failed(hand, asker, task, more)
    ]
    assert unsaid == []
    hand.step("Mark")
    _rest(hand)
    assert hand.bench.is_drawn
