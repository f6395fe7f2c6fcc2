"""The main window: puts the parts together and passes news between them."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QEvent
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QImage, QKeyEvent
from PySide6.QtWidgets import (
    QApplication,
    QMainWindow,
    QProgressBar,
    QSizePolicy,
    QStackedWidget,
)

from peel.desk import theme
from peel.desk.bridge import SessionBridge
from peel.desk.canvas.canvas import Canvas
from peel.desk.canvas.proofs import Proofs
from peel.desk.commands import add_commands
from peel.desk.controls.key_sheet import KeySheet
from peel.desk.controls.message_bar import MessageBar
from peel.desk.controls.shelf import Shelf
from peel.desk.controls.step_line import Step, StepLine
from peel.desk.display.tiles import DisplayTiles
from peel.desk.file_dialogs import ask_job_name, ask_photo_or_job
from peel.desk.held_keys import HeldKeys
from peel.desk.layout import in_column, in_row, side_column
from peel.desk.marking_desk import MarkingDesk
from peel.desk.opening import Opener
from peel.desk.panels.backing import BackingPanel
from peel.desk.panels.colour import ColourPanel
from peel.desk.panels.deliver import DeliverPanel
from peel.desk.panels.edge import EdgePanel
from peel.desk.panels.mark import MarkPanel
from peel.desk.panels.matte import MattePanel
from peel.desk.panels.panel import Panel
from peel.desk.place import note_place, restore_place
from peel.desk.side_tasks import SideTasks
from peel.desk.step_states import step_states
from peel.desk.tools.alike import AlikeTool
from peel.desk.tools.brush import BandBrush, BrushSize, ExactBrush, MarkBrush, ZoneBrush
from peel.desk.tools.contour import ContourTool
from peel.desk.tools.fill import FillTool
from peel.desk.tools.pick import PickTool
from peel.desk.tools.sweep import SweepTool
from peel.desk.tools.tool import Tool
from peel.desk.welcome import Welcome
from peel.job.job import Job
from peel.work import memory, recovery
from peel.work.recovery import Opened
from peel.work.session_events import Trouble
from peel.work.stages import Stages
from peel.work.views import Look, View

__all__ = ["Window"]


class Window(QMainWindow):
    """One window on one photo at a time."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Peel")
        self.setMinimumSize(1100, 700)
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.bridge: SessionBridge | None = None
        self._tiles: DisplayTiles | None = None
        self._side_tasks = SideTasks(self)
        self._solving: float | None = None
        self.brush_size = BrushSize()
        self._make_tools()
        self._make_parts()
        self._lay_out()
        self._connect()
        self.mark_panel.use_tool(next(tool for tool in self.tools[Step.MARK] if isinstance(tool, ContourTool)))
        add_commands(self)
        self.opener = Opener(self)
        self.opener.previewed.connect(self._on_previewed)
        self.opener.opened.connect(self._on_opened)
        self.opener.failed.connect(self._on_open_failed)
        self.show_welcome()

    # made once

    def _make_tools(self) -> None:
        size = self.brush_size
        marking: list[Tool] = [ContourTool(), SweepTool(size), AlikeTool(), MarkBrush(size), FillTool()]
        band, zone, exact = BandBrush(size), ZoneBrush(size), ExactBrush(size)
        self.tools: dict[Step, list[Tool]] = {
            Step.MARK: marking,
            Step.EDGE: [band, zone, exact],
            Step.MATTE: [band, zone, exact],
            Step.COLOUR: [],
            Step.BACKING: [],
            Step.DELIVER: [],
        }
        self._last_tool: dict[Step, Tool | None] = {
            step: tools[0] if tools else None for step, tools in self.tools.items()
        }
        self.step = Step.MARK

    def _make_parts(self) -> None:
        self.step_line, self.shelf, self.canvas, self.proofs = StepLine(), Shelf(), Canvas(), Proofs()
        self.welcome, self.message = Welcome(), MessageBar()
        self.colour_panel, self.deliver_panel, self.matte_panel = ColourPanel(), DeliverPanel(), MattePanel()
        self.backing_panel, self.mark_panel = BackingPanel(), MarkPanel()
        self.panels: dict[Step, Panel] = {
            Step.MARK: self.mark_panel,
            Step.EDGE: EdgePanel(),
            Step.MATTE: self.matte_panel,
            Step.COLOUR: self.colour_panel,
            Step.BACKING: self.backing_panel,
            Step.DELIVER: self.deliver_panel,
        }
        self.progress = QProgressBar()
        self.progress.setObjectName("solving")
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(4)
        self.progress.setAccessibleName("Solving")

    def _lay_out(self) -> None:
        self._pages, self._front = QStackedWidget(), QStackedWidget()
        for panel in self.panels.values():
            self._pages.addWidget(panel)
        middle = in_column(self.canvas, self.progress, grows=self.canvas)
        desk = in_row(middle, side_column(self.proofs, self._pages), grows=middle)
        self.bench = in_column(self.step_line, desk, self.shelf, grows=desk)
        self._front.addWidget(self.welcome)
        self._front.addWidget(self.bench)
        self.setCentralWidget(in_column(self.message, self._front, grows=self._front))
        self.key_sheet = KeySheet(self)

    def _connect(self) -> None:
        self.step_line.chosen.connect(self.show_step)
        self.step_line.undo_pressed.connect(self.undo)
        self.step_line.redo_pressed.connect(self.redo)
        self.step_line.keys_pressed.connect(self.key_sheet.toggle)
        self.shelf.tool_chosen.connect(self.take_up)
        self.shelf.size_changed.connect(self.set_brush_size)
        self.shelf.view_chosen.connect(self.show_view)
        self.shelf.wipe_toggled.connect(self.show_wipe)
        self.shelf.fit_pressed.connect(self.canvas.fit)
        self.shelf.full_size_pressed.connect(self.show_full_size)
        self.canvas.cursor_moved.connect(self.proofs.follow)
        self.canvas.zoomed.connect(self.shelf.show_zoom)
        self.canvas.zoomed.connect(self.proofs.set_scale)
        self.proofs.swapped.connect(self._on_swapped)
        self.colour_panel.compare_asked.connect(self.canvas.show_instead)
        self.backing_panel.backing_chosen.connect(lambda: self.show_view(View.BACKING))
        self.deliver_panel.failed.connect(self.show_trouble)
        self.deliver_panel.folder_chosen.connect(lambda folder: memory.write_preference("folder", folder))
        self.welcome.open_pressed.connect(self.ask_open)
        self.welcome.job_chosen.connect(self.open_path)
        self.welcome.demo_chosen.connect(self._on_demo_chosen)
        self._side_tasks.loud_found.connect(self._on_loud_found)
        self._side_tasks.thumb_drawn.connect(self._on_thumb_drawn)
        self.shelf.way_chosen.connect(self._on_ways_changed)
        self.canvas.ways_changed.connect(self._on_ways_changed)
        self.marking_desk = MarkingDesk(self, self.mark_panel)
        self._pick_tool = PickTool("Press on the sheer material, where only backdrop shows through")
        self._pick_tool.picked.connect(self._on_picked)
        self.matte_panel.pick_asked.connect(self._pick)
        self.held_keys = HeldKeys(self)

    @property
    def is_drawn(self) -> bool:
        """Whether everything in sight has been drawn."""
        return self._tiles is None or self._tiles.is_idle

    # opening and closing

    def show_welcome(self) -> None:
        """Show the empty window."""
        self.welcome.refresh()
        self._front.setCurrentWidget(self.welcome)
        self.setWindowTitle("Peel")

    def ask_open(self) -> None:
        """Ask which file to open."""
        chosen = ask_photo_or_job(self)
        if chosen:
            self.open_path(chosen)

    def open_path(self, path: Path) -> None:
        """Open a photo or a job."""
        self.message.hide()
        self.opener.open_path(path)

    def _on_demo_chosen(self, name: str) -> None:
        self.message.hide()
        self.opener.open_demo(name)

    def _on_previewed(self, image: object, width: int, height: int) -> None:
        self._let_go()
        self._front.setCurrentWidget(self.bench)
        QApplication.processEvents()
        self.canvas.show_preview(image, width, height)  # type: ignore[arg-type]

    def _on_open_failed(self, trouble: Trouble) -> None:
        self.show_trouble(trouble)
        if self.bridge is None:
            self.show_welcome()

    def _on_opened(self, opened: Opened) -> None:
        self._let_go()
        session = opened.session
        self.bridge = SessionBridge(session, self)
        self._tiles = DisplayTiles(session.stages, self)
        self.bridge.changed.connect(self._on_changed)
        self.bridge.solving.connect(self._on_solving)
        self.bridge.stored.connect(self._on_stored)
        self.bridge.trouble.connect(self.show_trouble)
        self._front.setCurrentWidget(self.bench)
        self.canvas.set_session(self.bridge, self._tiles)
        self.proofs.set_session(self.bridge)
        for panel in self.panels.values():
            panel.set_session(self.bridge)
        self._show_file()
        self.marking_desk.begin()
        restore_place(self)
        self._on_changed(self.bridge.job, self.bridge.job)
        self._on_stored(True)
        memory.write_open_job(session.project.path)
        recovery.note_recent(session.project.path)
        if opened.notice:
            self.message.say(opened.notice)
        self.canvas.setFocus()

    def _show_file(self) -> None:
        assert self.bridge is not None
        session = self.bridge.session
        photo = session.photo
        self.step_line.show_photo(photo.name, f"{photo.width} × {photo.height} · {photo.bits} bit")
        self._side_tasks.draw_thumb(session.stages, self.bridge.job)
        kept = "" if recovery.is_unkept(session.project.path) else f" · {session.project.path.name}"
        self.setWindowTitle(f"{photo.name}{kept} – Peel")
        folder = memory.read_preference("folder")
        if isinstance(folder, str) and Path(folder).is_dir():
            self.deliver_panel.set_folder(Path(folder))

    def ask_keep(self) -> None:
        """Ask for a name and keep the job under it."""
        chosen = ask_job_name(self, self.bridge.session.photo.name) if self.bridge else None
        if chosen:
            self.keep_as(chosen)

    def keep_as(self, path: Path) -> None:
        """Keep the job under a name and go on in that file."""
        if self.bridge is not None and path != self.bridge.session.project.path:
            note_place(self)
            self.opener.keep(self.bridge.session, path)

    def close_photo(self) -> None:
        """Close the photo and show the empty window; nothing has to be saved."""
        self._let_go()
        memory.write_open_job(None)
        self.message.hide()
        self.show_welcome()

    def _let_go(self) -> None:
        """Part from the open session, if there is one."""
        if self.bridge is None:
            return
        note_place(self)
        self.canvas.set_session(None, None)
        self.proofs.set_session(None)
        for panel in self.panels.values():
            panel.set_session(None)
        if self._tiles is not None:
            self._tiles.close()
            self._tiles.deleteLater()
        self.bridge.close()
        self.bridge.deleteLater()
        self.bridge, self._tiles = None, None
        self._on_solving(None)

    def closeEvent(self, event: QCloseEvent) -> None:
        """Close; every change is on disk already."""
        self._let_go()
        self.deliver_panel.close_lane()
        self.proofs.close_lane()
        self.opener.close()
        self._side_tasks.close()
        self.marking_desk.close()
        for tool in self.tools[Step.MARK]:
            tool.close()
        event.accept()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Take files."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Open the first file dropped."""
        files = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if files:
            self.open_path(files[0])

    # what is shown

    def show_step(self, step: Step) -> None:
        """Go to a step."""
        if self.step is not step and step is Step.EDGE and self.canvas.view is View.PHOTO:
            self.show_view(View.ZONES)
        self.step = step
        self.step_line.show_step(step)
        self.marking_desk.show_step(marking=step is Step.MARK)
        for other, panel in self.panels.items():
            # a page that is not shown must not make the others as tall as itself
            fit = QSizePolicy.Policy.Preferred if other is step else QSizePolicy.Policy.Ignored
            panel.setSizePolicy(QSizePolicy.Policy.Preferred, fit)
        self._pages.setCurrentWidget(self.panels[step])
        self._pages.adjustSize()
        self.shelf.show_tools(self.tools[step])
        self.take_up(self._last_tool[step])
        if self.bridge is not None:
            self.panels[step].show_job(self.bridge.job)

    def walk(self, by: int) -> None:
        """Go some steps on, or back."""
        steps = list(Step)
        self.show_step(steps[min(max(steps.index(self.step) + by, 0), len(steps) - 1)])

    @property
    def last_tool(self) -> Tool | None:
        """The tool last used in this step."""
        return self._last_tool[self.step]

    def propose(self) -> None:
        """Go to Mark and let Peel propose a subject."""
        if self.bridge is not None:
            self.show_step(Step.MARK)
            self.marking_desk.propose()

    def _pick(self) -> None:
        """Take a colour from the picture next."""
        self.canvas.set_tool(self._pick_tool)
        self.shelf.show_tool(self._pick_tool)

    def _on_picked(self, across: float, down: float) -> None:
        self.matte_panel.add_sheer((across, down))
        self.take_up(self.last_tool)

    def _on_ways_changed(self) -> None:
        """Show that the tool works in another way, or holds another point."""
        self.shelf.show_tool(self.canvas.tool)
        if self.bridge is not None:
            self.panels[self.step].show_job(self.bridge.job)
        self.canvas.setFocus()

    def set_look(self, change: Callable[[Look], Look]) -> None:
        """Change how views are drawn."""
        if self._tiles is not None:
            self._tiles.set_look(change(self._tiles.look))
            self.proofs.set_look(self._tiles.look)
            self.canvas.update()

    def take_up(self, tool: Tool | None) -> None:
        """Put a tool in the hand."""
        self._last_tool[self.step] = tool
        self.canvas.set_tool(tool)
        self.shelf.show_tool(tool)
        self.canvas.setFocus()

    def set_brush_size(self, diameter_px: float) -> None:
        """Set the brush's diameter in photo pixels."""
        self.brush_size.diameter_px = min(max(diameter_px, 2.0), 1200.0)
        self.shelf.brush_size.show_value(self.brush_size.diameter_px)
        self.canvas.update()

    def show_view(self, view: View) -> None:
        """Show a view."""
        self.canvas.set_view(view)
        self.shelf.show_view(view)

    def show_wipe(self, on: bool) -> None:
        """Show or hide the wipe line."""
        self.canvas.set_wipe(on)
        self.shelf.show_wipe(on)

    def show_full_size(self) -> None:
        """Show one screen pixel for a pixel of the photo."""
        self.canvas.zoom_to(1.0 / self.canvas.devicePixelRatioF())

    def show_trouble(self, trouble: Trouble) -> None:
        """Say what went wrong."""
        self.message.say(trouble.message, trouble.hint, trouble.trace)

    def switch_theme(self) -> None:
        """Change between light and dark."""
        app = QApplication.instance()
        if isinstance(app, QApplication):
            chosen = theme.LIGHT if theme.current() is theme.DARK else theme.DARK
            theme.install(app, chosen)
            memory.write_preference("theme", chosen.name)
            self.update()

    # news

    def _on_changed(self, job: Job, before: Job) -> None:
        self.panels[self.step].show_job(job)
        if self.step is not Step.MATTE and job.matte is not before.matte:
            self.matte_panel.show_job(job)
        if self.bridge is not None:
            session = self.bridge.session
            self.step_line.show_history(session.history.undo_label, session.history.redo_label)
            if job.is_solved and job.has_subject and (job.matte is not before.matte or job is before):
                self._side_tasks.find_loud(session.stages, job)
        self.say_what_a_press_does()
        if job.has_subject and not before.has_subject and self.canvas.view is View.PHOTO:
            self.show_view(View.ZONES)  # the first mark shows what was laid around it
        self._show_states(job)

    def _show_states(self, job: Job) -> None:
        for step, (words, done) in step_states(job, self._solving).items():
            self.step_line.show_state(step, words, done=done)

    def _on_solving(self, share: float | None) -> None:
        self._solving = share
        self.progress.setRange(0, 100)
        self.progress.setValue(round((share or 0.0) * 100))
        self.matte_panel.show_solving(share)
        if self.bridge is not None:
            self._show_states(self.bridge.job)

    def _on_stored(self, complete: bool) -> None:
        self.step_line.show_stored("every change is on disk" if complete else "writing to disk")

    def _on_loud_found(self, stages: Stages, colour: str) -> None:
        if self._has_open(stages):
            self.set_look(lambda look: replace(look, loud=colour))

    def _on_thumb_drawn(self, stages: Stages, image: QImage) -> None:
        if self._has_open(stages):
            self.step_line.show_thumb(image)

    def _has_open(self, stages: Stages) -> bool:
        """Return whether an errand's answer is about the photo that is open now."""
        return self.bridge is not None and self.bridge.session.stages is stages

    def undo(self) -> None:
        """Step back."""
        if self.bridge is not None:
            self.bridge.session.undo()

    def redo(self) -> None:
        """Step forward again."""
        if self.bridge is not None:
            self.bridge.session.redo()

    def _on_swapped(self, view: View, proof: object) -> None:
        mine = self.canvas.view
        self.show_view(view)
        self.proofs.give(proof, mine)

    def deliver(self) -> None:
        """Go to Deliver and begin."""
        self.show_step(Step.DELIVER)
        self.deliver_panel.start()

    def toggle_full_screen(self) -> None:
        """Fill the screen, or no longer."""
        if self.isFullScreen():
            self.showNormal()
        else:
            self.showFullScreen()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Let keys that are held change what is shown."""
        if not self.held_keys.pressed(event):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """End what a held key showed."""
        if not self.held_keys.released(event):
            super().keyReleaseEvent(event)

    def changeEvent(self, event: QEvent) -> None:
        """Say again what a press does when the window is left with Alt held."""
        if event.type() == QEvent.Type.ActivationChange:
            self.say_what_a_press_does()
        super().changeEvent(event)

    def say_what_a_press_does(self, *, reverse: bool = False) -> None:
        """Say what the tool in the hand does, or what it does with Alt."""
        if self.canvas.tool is not None:
            self.shelf.show_sentence(self.canvas.tool.sentence(reverse=reverse))
