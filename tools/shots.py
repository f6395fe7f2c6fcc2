"""Take the pictures in docs/screenshots from the demo data: ``make shots``."""

import os
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp(prefix="peel-shots-")

import numpy as np
from PIL import Image
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication

from peel.demo.arriving import write_variants
from peel.demo.backings import backing_file
from peel.demo.photos import demo_photo
from peel.desk.app import make_app
from peel.desk.backing.backing_desk import BackingDesk
from peel.desk.backing.place_tool import PlaceTool
from peel.desk.bench import Bench
from peel.desk.colour.colour_desk import ColourDesk
from peel.desk.controls.number_field import NumberField
from peel.desk.deliver.deliver_desk import DeliverDesk
from peel.desk.desk_state import DeskState
from peel.desk.edge.edge_desk import EdgeDesk
from peel.desk.edge.separation_desk import SeparationDesk
from peel.desk.mark.frame_desk import FrameDesk
from peel.desk.matte.finish_desk import FinishDesk
from peel.desk.matte.snag_feed import SnagFeed
from peel.desk.matte.strip_desk import StripDesk
from peel.desk.matte.wisp import WispTool
from peel.desk.steps import Step
from peel.desk.window import Window
from peel.files.photo import read_photo
from peel.job.edits.colouring import without_colours
from peel.job.edits.marking import Zone, mark_region
from peel.job.edits.values import use_zones, with_matte
from peel.job.job import new_job
from peel.job.rect import Rect
from peel.matte.composite.over import composite_over
from peel.matte.edge.trimap import trimap_from_gray
from peel.matte.edge.zones import FOREGROUND
from peel.work.solving.spilling import with_spill
from peel.work.stages import Cache, Stages
from peel.work.views import View

SHOTS = Path(__file__).parent.parent / "docs" / "screenshots"
PLUME = (288, 1164, 708, 1584)
"""Rows and columns of the tin drummer's plume: top, left, bottom, right."""


class Visit:
    """A window being walked through."""

    def __init__(self) -> None:
        self.app = make_app()
        self.window = Window()
        self.window.show_welcome()
        self.window.resize(1280, 800)  # whatever the screen is
        self.window.show()
        self.until(lambda: self.window.bench is not None)

    @property
    def bench(self) -> Bench:
        """The page that is worked on."""
        assert self.window.bench is not None
        return self.window.bench

    @property
    def desk(self) -> DeskState:
        """The state of the desk."""
        return self.bench.desk

    def panel(self, step: Step) -> Any:
        """Return a step's panel."""
        return self.bench.panels[step]

    def until(self, condition: Callable[[], bool], seconds: float = 180) -> None:
        """Let the window work until something is so."""
        end = time.monotonic() + seconds
        while not condition() and time.monotonic() < end:
            QApplication.processEvents()
            time.sleep(0.004)

    def settle(self) -> None:
        """Let everything be solved and drawn."""
        desk, bench = self.desk, self.bench
        if desk.bridge is not None:
            self.until(lambda: desk.bridge.session.wait_idle(0.01))
        self.until(lambda: False, 0.25)
        self.until(lambda: bench.is_drawn and bench.proofs.is_idle)
        self.until(lambda: False, 0.25)

    def shoot(self, name: str) -> None:
        """Take a picture."""
        self.settle()
        self.window.grab().save(str(SHOTS / f"{name}.png"))
        print(name)

    def at(self, x: float, y: float) -> QPoint:
        """Give the canvas point of a photo point."""
        return self.bench.canvas.frame.to_widget(QPointF(x, y)).toPoint()

    def point_at(self, x: float, y: float) -> None:
        """Move the cursor over a photo point."""
        QTest.mouseMove(self.bench.canvas, self.at(x, y))

    def drag(self, points: list[tuple[float, float]], *, right: bool = False, ctrl: bool = False) -> None:
        """Draw a stroke, with the left button or the right one."""
        canvas, button = self.bench.canvas, Qt.MouseButton.RightButton if right else Qt.MouseButton.LeftButton
        held = Qt.KeyboardModifier.ControlModifier if ctrl else Qt.KeyboardModifier.NoModifier
        QTest.mousePress(canvas, button, held, self.at(*points[0]))
        for point in points[1:]:
            QTest.mouseMove(canvas, self.at(*point))
        QTest.mouseRelease(canvas, button, held, self.at(*points[-1]))

    def press(self, name: str) -> None:
        """Press a button."""
        button = self.window.findChild(QAbstractButton, name)
        assert button is not None, name
        button.click()

    def click(self, x: float, y: float) -> None:
        """Click, and wait for what comes of it."""
        QTest.mouseClick(self.bench.canvas, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, self.at(x, y))
        self.settle()

    def do(self, name: str) -> None:
        """Carry out a command."""
        action = self.window.findChild(QAction, name)
        assert action is not None, name
        action.trigger()

    def open_demo(self, name: str) -> None:
        """Open a demo photo, from the empty window."""
        self.bench.files.close_photo()
        self.press(f"demo {name}")
        self.until(lambda: self.desk.bridge is not None)
        self.settle()


def shoot_marking(visit: Visit) -> None:
    """Take a picture of each tool of Mark at work."""
    window, desk, bench = visit.window, visit.desk, visit.bench
    visit.open_demo("lamplighter")
    visit.do("Contour")
    visit.press("way Follow the edge")
    visit.press("way Exact")
    for x, y in ((1000, 870), (545, 1450), (620, 1560), (600, 2330)):
        visit.click(x, y)
        visit.point_at(x - 30, y + 60)
    visit.point_at(470, 2480)
    visit.until(lambda: False, 0.5)
    visit.shoot("mark-contour")
    visit.open_demo("bramble")
    visit.do("Propose")
    visit.until(lambda: desk.bridge is not None and desk.bridge.job.has_subject)
    visit.do("Fill")
    visit.shoot("mark-propose")
    shoot_second_frame(visit)
    window.message.hide()
    bench.files.close_photo()


def shoot_second_frame(visit: Visit) -> None:
    """Take a picture of Bramble with the set that was photographed after her, against the photo."""
    desk, bench, demo = visit.desk, visit.bench, demo_photo("bramble")
    assert demo.second_frame is not None
    bench.part(FrameDesk).take(demo.second_frame)
    visit.until(lambda: desk.job is not None and desk.job.settings.recipe.second_frame.picture is not None)
    visit.settle()
    visit.until(lambda: bench.part(FrameDesk).is_idle)
    desk.show_view(View.SECOND)
    desk.show_wipe(True)
    visit.settle()
    visit.shoot("mark-second-frame")
    desk.show_wipe(False)


def shoot_hair(visit: Visit) -> None:
    """Take a picture of Bramble with her shorter strands left out, and of one that is followed."""
    desk, bench = visit.desk, visit.bench
    page = visit.panel(Step.MATTE).profile
    bench.canvas.look_at(QPointF(620, 560), 1.0)
    page.hair.setFocus()
    page.hair.changed.emit({"shortest_px": 80.0, "faint": 0.0}, False)
    visit.settle()
    visit.until(lambda: "left out" in page.counted.text())
    visit.do("Wisp")
    visit.click(690, 560)
    visit.until(lambda: isinstance(desk.tool, WispTool) and desk.tool.strand is not None, 10)
    visit.shoot("hair")
    page.as_solved.click()
    visit.do("Band")
    visit.settle()


def shoot_separation(visit: Visit) -> None:
    """Take a picture of the sheet, and of a cloth that was keyed by one press."""
    desk, bench = visit.desk, visit.bench
    edge = visit.panel(Step.EDGE)
    visit.open_demo("ivy-king")
    with Image.open(demo_photo("ivy-king").zones) as zones:
        subject = np.asarray(zones) == FOREGROUND
    desk.edit("Mark", lambda job: mark_region(job, subject, Zone.SUBJECT))  # Propose cannot tell here
    visit.until(lambda: desk.job is not None and desk.job.has_subject)
    visit.settle()
    visit.window.message.hide()
    desk.show_step(Step.EDGE)
    edge.turn_page(separation=True)
    visit.until(lambda: bench.part(SeparationDesk).is_idle and bool(edge.separation.rows))
    visit.press("rendering blue")
    visit.until(lambda: bench.part(SeparationDesk).is_idle)
    visit.settle()
    visit.point_at(640, 900)
    visit.shoot("separation")
    edge.turn_page(separation=False)
    bench.files.close_photo()


def shoot_backing(visit: Visit) -> None:
    """Take pictures of Backing: a gradient being laid, cutouts in perspective before a curtain, a made shadow."""
    desk, bench = visit.desk, visit.bench
    desk.show_step(Step.BACKING)
    backing = visit.panel(Step.BACKING)
    backing.behind.kinds["gradient"].click()
    backing.frame.margins["top"].set_value(160)
    backing.frame.margins["right"].set_value(400)
    visit.settle()
    bench.canvas.fit()
    visit.settle()
    visit.do("Gradient")
    visit.drag([(300, 100), (1500, 900), (2700, 1900)])
    visit.settle()
    backing.behind.kinds["photo"].click()
    visit.until(lambda: bench.part(BackingDesk).is_idle)
    visit.settle()
    visit.do("Place")
    visit.click(1500, 1300)
    backing.turn_to("Cutouts")
    backing.cutouts.copy_asked.emit()
    visit.settle()
    backing.cutouts.number_changed.emit({"width": 0.62}, False)
    visit.settle()
    for points in ([(2500, 900), (2600, 980), (2700, 1060)],):
        visit.drag(points)
        visit.settle()
    place = desk.tool
    assert isinstance(place, PlaceTool)
    assert desk.job is not None
    quad = place.around(desk.job)
    assert quad is not None
    for number, by in ((1, (-60.0, 150.0)), (2, (-60.0, -90.0))):  # its right side leans away
        corner = (float(quad[number][0]), float(quad[number][1]))
        visit.drag(
            [corner, (corner[0] + by[0] / 2, corner[1] + by[1] / 2), (corner[0] + by[0], corner[1] + by[1])], ctrl=True
        )
        visit.settle()
    visit.shoot("backing-photo")
    shoot_shadow(visit)


def shoot_shadow(visit: Visit) -> None:
    """Take a picture of a shadow that was made, on plain paper."""
    desk, bench = visit.desk, visit.bench
    visit.open_demo("lamplighter")
    visit.do("Propose")
    visit.until(lambda: desk.job is not None and desk.job.has_subject)
    visit.settle()
    visit.window.message.hide()
    desk.show_step(Step.BACKING)
    backing = visit.panel(Step.BACKING)
    backing.behind.picture_asked.emit("photo", backing_file("plain-paper"))
    visit.until(lambda: bench.part(BackingDesk).is_idle)
    backing.frame.margins["right"].set_value(900)
    backing.turn_to("Shadow")
    visit.press("shadow contact")
    visit.press("propose light")
    visit.settle()
    height = visit.window.findChild(NumberField, "shadow cast.light_deg")
    assert height is not None
    height.set_value(62)
    visit.settle()
    bench.canvas.fit()
    visit.do("Ground")
    visit.shoot("backing-shadow")
    bench.files.close_photo()
    visit.open_demo("bramble")


def shoot_board(visit: Visit) -> None:
    """Take pictures of an assignment on the board, and of what would be carried to some of its photos."""
    folder = Path(tempfile.mkdtemp(prefix="peel-")) / "Autumn programme"
    write_variants(folder, 14, names=("lamplighter", "tin-drummer", "bramble"), scale=0.3)
    visit.window.open_paths([folder])
    visit.until(lambda: visit.window.board is not None and len(visit.window.board.entries) == 14)
    board = visit.window.board
    assert board is not None
    for row, colour in ((5, "#e8c9a0"), (9, "#3f6c8f")):
        entry = board.page.model.entries[row]
        board.open(entry)
        visit.until(partial(_is_open, visit, entry.job))
        visit.settle()
        visit.do("Propose")
        visit.until(lambda: visit.desk.job is not None and visit.desk.job.has_subject)
        visit.settle()
        visit.desk.show_step(Step.BACKING)
        visit.panel(Step.BACKING).behind._apply(
            lambda own, c=colour: own.model_copy(update={"kind": "colour", "colour": c})
        )
        visit.settle()
        visit.until(lambda: visit.bench.part(SnagFeed).is_idle)
        visit.do("Board")
        visit.until(lambda: board.page.isVisible() and board.is_idle)
    visit.until(lambda: False, 2.5)
    visit.shoot("board")
    chosen = [
        entry.photo for entry in board.entries if entry.name.startswith("tin") and entry.photo != board.entries[9].photo
    ]
    board.page.choose(chosen)
    visit.press("show carry")
    visit.until(lambda: board.is_idle)
    visit.until(lambda: False, 1.0)
    visit.shoot("carrying")


def save_before_after() -> None:
    """Lay the tin drummer's plume on light grey, in the photo's colours and in those that a new job gives it."""
    shot = demo_photo("tin-drummer")
    photo = read_photo(shot.photo)
    alpha = np.asarray(Image.open(shot.matte).convert("L"), np.float32) / 255
    zones = trimap_from_gray(np.asarray(Image.open(shot.zones).convert("L")))
    job = with_spill(with_matte(use_zones(new_job(photo), zones), photo.bounds, alpha))
    stages, part = Stages(photo, Cache(200_000_000)), Rect(*PLUME)
    share = alpha[part.slices]
    pair = [
        composite_over(stages.foreground(each, part, 0), (0.93, 0.93, 0.93), share)
        for each in (without_colours(job), job)
    ]
    Image.fromarray(np.round(np.concatenate(pair, axis=1) * 255).astype(np.uint8)).save(SHOTS / "colour-pair.png")


def _is_open(visit: Visit, job: Path) -> bool:
    """Return whether the photo of a job is on the desk."""
    bridge = visit.desk.bridge
    return bridge is not None and bridge.session.project.path == job and visit.bench.isVisible()


def main() -> int:
    """Walk through a job and take a picture of each main view."""
    SHOTS.mkdir(parents=True, exist_ok=True)
    save_before_after()
    visit = Visit()
    window, desk, bench = visit.window, visit.desk, visit.bench
    visit.until(lambda: False, 0.3)
    visit.shoot("welcome")
    shoot_marking(visit)
    shoot_separation(visit)
    visit.press("demo bramble")
    visit.until(lambda: desk.bridge is not None)
    visit.panel(Step.MARK).clear_asked.emit()
    visit.settle()
    desk.ask.propose.emit()
    visit.until(lambda: desk.job is not None and desk.job.has_subject)
    visit.settle()
    window.message.hide()
    desk.show_step(Step.EDGE)
    visit.until(lambda: bench.part(EdgeDesk).is_idle)
    visit.point_at(640, 560)
    visit.shoot("edge")
    bench.canvas.fit()
    desk.show_step(Step.MATTE)
    desk.show_view(View.MATTE)
    visit.point_at(760, 700)
    visit.until(lambda: bench.part(FinishDesk).is_idle)
    visit.shoot("matte")
    desk.show_view(View.WHITE)
    bench.canvas.look_at(QPointF(760, 700), 3.0)
    visit.point_at(760, 700)
    desk.show_view(View.LOUD)
    shoot_hair(visit)
    bench.canvas.fit()
    desk.show_step(Step.MATTE)
    visit.until(lambda: bench.part(SnagFeed).is_idle and bool(bench.part(SnagFeed).found.snags))
    visit.do("Next place")
    visit.settle()
    visit.shoot("snags")
    visit.do("Round the edge")
    visit.until(lambda: bench.part(StripDesk).is_idle)
    visit.until(lambda: False, 1.0)
    visit.shoot("round-the-edge")
    visit.do("Round the edge")
    visit.panel(Step.MATTE).turn_page(snags=False)
    desk.show_step(Step.COLOUR)
    desk.show_view(View.RIMS)
    bench.canvas.look_at(QPointF(1500, 1500), 0.55)
    visit.until(lambda: bench.part(ColourDesk).is_idle)
    visit.shoot("colour")
    bench.canvas.fit()
    shoot_backing(visit)
    desk.show_step(Step.DELIVER)
    visit.panel(Step.DELIVER).set_folder(Path(tempfile.mkdtemp(prefix="peel-")) / "autumn programme")
    visit.settle()
    visit.panel(Step.DELIVER).go.click()
    visit.until(lambda: "Written" in visit.panel(Step.DELIVER).written)
    bench.side.scroller.verticalScrollBar().setValue(0)
    visit.until(lambda: bench.part(SnagFeed).is_idle and visit.panel(Step.DELIVER).snags.list.count() > 0)
    visit.until(lambda: bench.part(DeliverDesk).is_idle)
    visit.do("Next place")
    visit.shoot("deliver")
    visit.panel(Step.DELIVER).compare.click()
    visit.until(lambda: bench.part(DeliverDesk).view.isVisible())
    visit.shoot("deliver-compare")
    bench.part(DeliverDesk).view.hide()
    bench.canvas.fit()
    desk.show_step(Step.MATTE)
    visit.do("Guide")
    visit.shoot("guide")
    visit.do("Guide")
    shoot_board(visit)
    window.close()
    visit.until(lambda: window.is_closed)
    return 0


if __name__ == "__main__":
    sys.exit(main())
