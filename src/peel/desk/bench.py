"""The bench: the page on which a photo is worked on. Puts the parts together and passes news between them."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Final, TypeVar

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QProgressBar, QSplitter, QVBoxLayout, QWidget

from peel.desk.backing.backing_desk import BackingDesk
from peel.desk.canvas.canvas import Canvas
from peel.desk.canvas.proofs import Proofs
from peel.desk.clipboard import ClipboardDesk
from peel.desk.commands import add_commands
from peel.desk.controls.key_sheet import KeySheet
from peel.desk.controls.shelf import Shelf
from peel.desk.controls.step_line import StepLine
from peel.desk.desk_state import DeskState
from peel.desk.display.tiles import DisplayTiles
from peel.desk.files.file_desk import FileDesk
from peel.desk.guide import GuideView
from peel.desk.held_keys import HeldKeys
from peel.desk.layout import SideColumn, in_column, in_row
from peel.desk.register import STEPS, all_commands, key_sections, make_tools
from peel.desk.side_tasks import SideTasks
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.step.panel import Panel
from peel.desk.step.spec import StepFacts, Surroundings
from peel.desk.steps import Step
from peel.job.job import Job
from peel.work.session import memory
from peel.work.views import View

__all__ = ["Bench"]

_L = TypeVar("_L", bound=LaneDesk)

_PROOFS_PX: Final = 196  # first width of the proofs' column


class Bench(QWidget):
    """Everything that is seen while a photo is open.

    Parameters
    ----------
    window : QWidget
        Gets the commands, and is the parent of dialogs and the key sheet.
    """

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        tools = make_tools()
        self.desk = DeskState(tools, self)
        self._make_parts(window)
        self._lay_out()
        self._connect()
        self.key_sheet = KeySheet(key_sections(tools), window)
        self.desk.ask.keys.connect(self.key_sheet.toggle)
        self.guide = GuideView(self.canvas)
        self.desk.ask.guide.connect(self._show_guide)
        self.step_line.keys_pressed.connect(self.key_sheet.toggle)
        add_commands(window, self.desk, all_commands(tools))
        self.desk.show_step(Step.MARK)

    def _make_parts(self, window: QWidget) -> None:
        desk = self.desk
        self.tiles = DisplayTiles(desk.say, self)
        self.step_line, self.shelf = StepLine(), Shelf(desk)
        self.canvas, self.proofs = Canvas(desk, self.tiles), Proofs(desk)
        self.side_tasks, self.held_keys = SideTasks(desk), HeldKeys(desk)
        self.files = FileDesk(desk, self.canvas, window)
        around = Surroundings(desk, self.canvas, self.proofs, self.files.assignment_of)
        self.panels: dict[Step, Panel] = {step: spec.make(around) for step, spec in STEPS.items()}
        around.made.append(ClipboardDesk(desk, around.find(BackingDesk), window))
        self._controllers = around.made
        self.progress = QProgressBar()
        self.progress.setObjectName("solving")
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(4)
        self.progress.setRange(0, 100)
        self.progress.setAccessibleName("Solving")

    def _lay_out(self) -> None:
        self.side = SideColumn((panel, panel.foot) for panel in self.panels.values())
        middle = in_column(self.canvas, self.progress, grows=self.canvas)
        self.columns = QSplitter(Qt.Orientation.Horizontal)
        self.columns.setObjectName("columns")
        self.columns.setHandleWidth(5)
        self.columns.addWidget(self.proofs)
        self.columns.addWidget(middle)
        self.columns.setStretchFactor(1, 1)
        self.columns.setCollapsible(1, False)
        width = memory.read_preference("proofs width")
        self._proofs_px = width if isinstance(width, int) and 0 < width < 1000 else _PROOFS_PX
        self.columns.setSizes([self._proofs_px, 1000])
        self.columns.splitterMoved.connect(self._on_proofs_dragged)
        desk = in_row(self.columns, self.side, grows=self.columns)
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.addWidget(in_column(self.step_line, desk, self.shelf, grows=desk))

    def _connect(self) -> None:
        desk = self.desk
        self.step_line.chosen.connect(desk.choose_step)
        self.step_line.undo_pressed.connect(desk.undo)
        self.step_line.redo_pressed.connect(desk.redo)
        self.canvas.cursor_moved.connect(self.proofs.follow)
        self.canvas.zoomed.connect(self.shelf.show_zoom)
        self.canvas.zoomed.connect(self.proofs.set_scale)
        self.canvas.pressed.connect(self._on_pressed)
        self.held_keys.alt_held.connect(lambda held: self.shelf.say_what_a_press_does(turned=held))
        self.proofs.swapped.connect(self._on_swapped)
        self.canvas.pressed.connect(desk.press_changed)
        desk.ask.follow.connect(self.proofs.follow)
        desk.inspected.connect(self._show_states)
        desk.session_changed.connect(self._on_session)
        desk.job_changed.connect(self._on_changed)
        desk.solving_changed.connect(self._on_solving)
        desk.step_changed.connect(self._on_step)
        desk.tool_changed.connect(self.canvas.setFocus)
        desk.ways_changed.connect(self._on_ways)
        desk.ask.fold_proofs.connect(self.fold_proofs)

    @property
    def is_drawn(self) -> bool:
        """Whether everything in sight has been drawn."""
        shown = self.canvas.is_fresh or not self.canvas.isVisible()
        return shown and self.tiles.is_idle and self.proofs.is_idle

    def begin_to_close(self) -> list[Callable[[], object]]:
        """Take the photo off the desk; return what is still to be done, on any thread, before the process may end."""
        self.files.put_all_aside()
        own = (self.proofs.close_worker, self.tiles.close, self.side_tasks.close)
        return [self.files.close, *own, *(made.close for made in self._controllers), self.desk.workers.close]

    def part(self, kind: type[_L]) -> _L:
        """Return the controller of a kind."""
        return next(made for made in self._controllers if isinstance(made, kind))

    # news

    def _on_session(self) -> None:
        bridge = self.desk.bridge
        self.tiles.set_stages(bridge.session.stages if bridge is not None else None)
        if bridge is None:
            return
        bridge.stored.connect(self._on_stored)
        photo = bridge.session.photo
        self.step_line.show_photo(photo.name, f"{photo.width} × {photo.height} · {photo.bits} bit")
        self.side_tasks.draw_thumb(bridge.session.stages, bridge.job, self.step_line.show_thumb)
        self._on_stored(bridge.session.is_stored)

    def _on_changed(self, job: Job, before: Job) -> None:
        bridge, desk = self.desk.bridge, self.desk
        if bridge is None:
            return
        self.panels[desk.step].show_job(job)
        history = bridge.session.history
        self.step_line.show_history(history.undo_label, history.redo_label)
        if job.is_solved and job.has_subject and (job.matte is not before.matte or job is before):
            self.side_tasks.find_loud(bridge.session.stages, job, self._show_loud)
        if job.has_subject and not before.has_subject and desk.view is View.PHOTO:
            desk.show_view(View.ZONES)  # the first mark shows what was laid around it
        self.shelf.say_what_a_press_does()
        self._show_states()

    def _on_solving(self) -> None:
        self.progress.setValue(round((self.desk.solving or 0.0) * 100))
        self._show_states()

    def _show_states(self) -> None:
        bridge = self.desk.bridge
        if bridge is not None:
            job = bridge.job
            facts = StepFacts(job, bridge.session.stages, self.desk.solving, self.desk.found_in(job))
            for step, spec in STEPS.items():
                self.step_line.show_state(step, spec.state(facts))

    def _on_stored(self, complete: bool) -> None:
        self.step_line.show_stored("every change is on disk" if complete else "writing to disk")

    def _on_step(self) -> None:
        step = self.desk.step
        self.step_line.show_step(step)
        self.side.show_page(self.panels[step])
        if self.desk.job is not None:
            self.panels[step].show_job(self.desk.job)

    def _on_ways(self) -> None:
        if self.desk.job is not None:
            self.panels[self.desk.step].show_job(self.desk.job)
        self.canvas.setFocus()

    def _on_pressed(self, reverse: bool) -> None:
        """While a press is under way, say what it does."""
        self.shelf.say_what_a_press_does(turned=reverse != self.desk.is_reversed if reverse else False)

    def _on_swapped(self, view: View, proof: object) -> None:
        mine = self.desk.view
        self.desk.show_view(view)
        self.proofs.give(proof, mine)

    def _show_loud(self, colour: str) -> None:
        if not self.desk.loud_is_chosen:
            self.desk.set_look(lambda look: replace(look, loud=colour))

    # commands

    def _show_guide(self) -> None:
        """Show the guide's page of the present step, or the picture again."""
        if self.guide.isVisible():
            self.guide.hide()
        else:
            self.guide.show_step(self.desk.step)

    def fold_proofs(self) -> None:
        """Fold the proofs away, or show them again at their width."""
        shown, total = self.columns.sizes()
        self.columns.setSizes([0, total + shown] if shown else [self._proofs_px, total - self._proofs_px])

    def _on_proofs_dragged(self, position: int, _index: int) -> None:
        if position > 0:
            self._proofs_px = position
            memory.write_preference("proofs width", position)

    def open_path(self, path: Path) -> None:
        """Open a photo or a job."""
        self.files.open_path(path)

    def take_file(self, path: Path) -> None:
        """Take a dropped file: presets are added, in Backing pictures are placed on the sheet, all else is opened."""
        if self.desk.job is None or not self.desk.take_file(path):
            self.files.open_path(path)
