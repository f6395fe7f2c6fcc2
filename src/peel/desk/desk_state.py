"""The state of the desk: the open job, the step, the tool in the hand, the view, and what is laid over the picture.

Commands, held keys, panels and the marking desk know this object; none of them knows the window. Main thread only.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Final, Protocol

from PySide6.QtCore import QObject, QPointF, Signal
from PySide6.QtGui import QColor, QImage

from peel.desk.asking import Asker
from peel.desk.bridge import SessionBridge
from peel.desk.steps import Step
from peel.desk.tools.host import BrushShape
from peel.desk.tools.tool import Tool
from peel.job.job import Job
from peel.job.settings import Point
from peel.work.inspecting.inspector import Findings
from peel.work.marking.edge_places import Place
from peel.work.scheduler import Lane
from peel.work.session.session_events import Trouble
from peel.work.views import LIFTS, Look, View

__all__ = ["Answering", "Asks", "DeskState", "Overlay"]

_WORKERS: Final = 4  # threads that all parts of the window share


class Asks(QObject):
    """What is asked of the window by a key or a button, and carried out by whoever is in charge of it.

    Signals
    -------
    open_path : (Path,)
        Open a photo or a job.
    open_file, keep, close_photo, quit, full_screen, theme, keys, guide : ()
    fit, full_size : ()
        How the picture is shown.
    zoom : (float,)
        A factor.
    develop : (float,)
        Develop the photo anew, by so many stops.
    board : ()
        Show the assignment's board, or the photo again.
    photo : (int,)
        Go so many photos of the board on.
    paste, why, versions : ()
    copy : (bool,)
        The flat picture, or the cutout, to the clipboard.
    backing : (int,)
        Go so many kept backings on.
    propose, deliver, fold_proofs : ()
    follow : (QPointF,)
        The proofs are to show a point of the photo.
    show_before : (bool,)
        Show the matte before repairs, or the present one again.
    strip : ()
        Show the edge unrolled, or the picture again.
    look_at : (QPointF, float)
        Show a place of the photo, and so many of its pixels around it.
    """

    open_path = Signal(object)
    open_file = Signal()
    keep = Signal()
    close_photo = Signal()
    quit = Signal()
    full_screen = Signal()
    theme = Signal()
    keys = Signal()
    guide = Signal()
    fit = Signal()
    full_size = Signal()
    zoom = Signal(float)
    develop = Signal(float)
    board = Signal()
    photo = Signal(int)
    paste = Signal()
    why = Signal()
    versions = Signal()
    backing = Signal(int)
    copy = Signal(bool)
    propose = Signal()
    deliver = Signal()
    fold_proofs = Signal()
    follow = Signal(QPointF)
    keep_near = Signal()
    show_before = Signal(bool)
    strip = Signal()
    look_at = Signal(object, float)


class Answering(Protocol):
    """A controller, as far as keys ask it; see `peel.desk.step.lane_desk.LaneDesk`."""

    step: Step | None

    @property
    def walks_everywhere(self) -> bool:
        """Whether it walks on in steps that have nothing of their own to walk."""

    def on_walk(self, by: int) -> bool:
        """Go some places on."""

    def on_mend(self, *, everything: bool) -> bool:
        """Mend what the walk is at, or everything."""

    def on_accept(self) -> bool:
        """Take what the walk is at for right."""

    def on_file(self, path: Path) -> bool:
        """Take a file that was dropped on the window."""


@dataclass(frozen=True)
class Overlay:
    """What lies over the picture: a picture of regions, an outline that changes are kept to, and places in doubt."""

    image: QImage | None = None
    area: tuple[Point, ...] = ()
    places: tuple[Place, ...] = ()


class DeskState(QObject):
    """See the module.

    Signals
    -------
    session_changed : ()
        Another session is open, or none.
    job_changed : (Job, Job)
        The open session's job now and before.
    solving_changed : ()
    step_changed, tool_changed, view_changed, look_changed, brush_changed, wipe_changed, overlay_changed : ()
    ways_changed : ()
        The tool in the hand works in another way now, or holds something else.
    stroke_made : (tuple of points, float)
        A stroke is about to be applied, and may change the photo's zones within so many pixels of its points.
    inspected : ()
        It is known how many snags the open job has, or another number.
    press_changed : (bool,)
        A press on the picture began, and whether it does the other way round; False when it ends.
    said : (Trouble,)
        Something to be shown to the person.
    noted : (str,)
        What was just done, to be shown for a moment.
    left_behind : ()
        The person went to another step: what was said in this one is read.
    """

    session_changed = Signal()
    job_changed = Signal(object, object)
    solving_changed = Signal()
    step_changed = Signal()
    tool_changed = Signal()
    view_changed = Signal()
    look_changed = Signal()
    brush_changed = Signal()
    wipe_changed = Signal()
    overlay_changed = Signal()
    ways_changed = Signal()
    stroke_made = Signal(object, float)
    inspected = Signal()
    press_changed = Signal(bool)
    said = Signal(object)
    noted = Signal(str)
    left_behind = Signal()

    def __init__(self, tools: Mapping[Step, Sequence[Tool]], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.ask = Asks(self)
        self.workers = Lane("desk", _WORKERS)
        self.answering: list[Answering] = []
        self.tools = tools
        self.bridge: SessionBridge | None = None
        self.solving: float | None = None
        self.step = Step.MARK
        self.tool: Tool | None = None
        self.view = View.PHOTO
        self.look = Look()
        self.brush_px = 80.0
        self.brush_shape = BrushShape()
        self._strengths: dict[str, float] = {}
        self.wipes = self.is_dragging = False
        self.is_reversed = self.loud_is_chosen = False
        self.overlay = Overlay()
        self.compared: Job | None = None
        self.delivered: Job | None = None  # the state that was delivered last
        self.added_hue, self.taken_hue = QColor(38, 170, 96), QColor(214, 64, 120)
        self.spot = QPointF(0, 0)  # of the photo, where the cursor was last over the picture
        self.snag: tuple[str, float, float] | None = None  # where the walk is: sort, x and y
        self._inspected: tuple[Job, Findings] | None = None
        self._last_tool: dict[Step, Tool | None] = {step: next(iter(own), None) for step, own in tools.items()}

    def asker(self, parent: QObject) -> Asker:
        """Return what a part of the window asks workers through; its own requests are done one after another."""
        return Asker(self.workers.share(is_serial=True), self.say, parent)

    # the open job

    @property
    def job(self) -> Job | None:
        """The open job."""
        return self.bridge.job if self.bridge is not None else None

    def set_session(self, bridge: SessionBridge | None) -> None:
        """Work on another session, or none."""
        if self.bridge is not None:
            self.bridge.release()
        self.bridge, self.solving, self.compared, self.overlay = bridge, None, None, Overlay()
        self.snag = self._inspected = None
        self.is_dragging = False
        if bridge is not None:
            bridge.changed.connect(self.job_changed)
            bridge.solving.connect(self._on_solving)
            bridge.trouble.connect(self.said)
        self.session_changed.emit()
        self.solving_changed.emit()

    def edit(self, label: str, edit: Callable[[Job], Job], *, gesture: object = None, ends: bool = True) -> None:
        """Edit the open job; see `peel.work.session.session.Session.apply`."""
        self.is_dragging = not ends
        if self.bridge is not None:
            self.bridge.session.apply(label, edit, gesture=gesture, ends=ends)

    def note_inspection(self, job: Job, found: Findings) -> None:
        """Take in what was found in a state of the open job."""
        self._inspected = job, found
        self.inspected.emit()

    def found_in(self, job: Job) -> Findings | None:
        """Return what was found in this very state of the open job, if it was inspected."""
        return self._inspected[1] if self._inspected is not None and self._inspected[0] is job else None

    def undo(self) -> None:
        """Step back, and say over what."""
        if self.bridge is not None:
            label = self.bridge.session.history.undo_label
            self.bridge.session.undo()
            self.noted.emit(f"Undone: {label}" if label else "There is nothing to undo.")

    def redo(self) -> None:
        """Step forward again, and say over what."""
        if self.bridge is not None:
            label = self.bridge.session.history.redo_label
            self.bridge.session.redo()
            self.noted.emit(f"Done again: {label}" if label else "There is nothing to redo.")

    def _on_solving(self, share: float | None) -> None:
        self.solving = share
        self.solving_changed.emit()

    # what keys ask of the step

    def walk_places(self, by: int) -> None:
        """Go some places on: through this step's own places or, if it has none, through the snags."""
        if not any(own.on_walk(by) for own in self._here):
            any(own.on_walk(by) for own in self.answering if own.walks_everywhere)

    def mend(self, *, everything: bool = False) -> None:
        """Mend what the walk is at, or everything that can be mended in this step."""
        any(own.on_mend(everything=everything) for own in self._here)

    def accept(self) -> None:
        """Take what the walk is at for right."""
        any(own.on_accept() for own in self._here)

    def take_file(self, path: Path) -> bool:
        """Give a file that was dropped to whoever takes it; return whether anyone does."""
        return any(own.on_file(path) for own in self.answering)

    @property
    def _here(self) -> Iterator["Answering"]:
        return (own for own in self.answering if own.step is self.step)

    # step and tool

    def show_step(self, step: Step) -> None:
        """Go to a step, with the tool that was last used there."""
        if self.step is not step and step is Step.EDGE and self.view is View.PHOTO:
            self.show_view(View.ZONES)
        self.step = step
        self.step_changed.emit()
        self.take_up(self._last_tool[step])

    def choose_step(self, step: Step) -> None:
        """Go to a step as the person asked."""
        self.left_behind.emit()
        self.show_step(step)

    def walk(self, by: int) -> None:
        """Go some steps on, or back."""
        steps = list(Step)
        self.choose_step(steps[min(max(steps.index(self.step) + by, 0), len(steps) - 1)])

    @property
    def last_tool(self) -> Tool | None:
        """The tool last used in this step."""
        return self._last_tool[self.step]

    def take_up(self, tool: Tool | None) -> None:
        """Put one of the step's tools in the hand; one that is in it already is asked what it offers besides."""
        if tool is not None and tool is self.tool:
            tool.again()
        self._last_tool[self.step] = tool
        self.borrow(tool)

    def borrow(self, tool: Tool | None) -> None:
        """Put a tool in the hand that is no tool of the step, until another one is taken up."""
        before, self.tool = self.tool, tool
        self._keep_strength(before)
        self.tool_changed.emit()

    def _keep_strength(self, before: Tool | None) -> None:
        """Keep the strength of the tool that was put down, and bring back that of the one in the hand."""
        self._strengths[_strength_key(before)] = self.brush_shape.strength
        key = _strength_key(self.tool)
        first = 1.0 if self.tool is None or self.tool.own_strength is None else self.tool.own_strength
        strength = self._strengths.get(key, first)
        if strength != self.brush_shape.strength:
            self.shape_brush(strength=strength)

    def take_up_named(self, name: str) -> None:
        """Take up a tool by its name, in this step if it has it, otherwise in the first step that does."""
        for step in (self.step, *Step):
            for tool in self.tools[step]:
                if tool.name == name:
                    if step is not self.step:
                        self.show_step(step)
                    self.take_up(tool)
                    return

    def turn_round(self) -> None:
        """Make every press do the other way round, or no longer."""
        self.is_reversed = not self.is_reversed
        self.ways_changed.emit()

    def set_brush(self, diameter_px: float) -> None:
        """Set the brush's diameter in photo pixels."""
        self.brush_px = min(max(diameter_px, 2.0), 1200.0)
        self.brush_changed.emit()

    def shape_brush(self, **changes: Any) -> None:
        """Change how touch-up brushes are shaped."""
        self.brush_shape = replace(self.brush_shape, **changes)
        self.brush_changed.emit()

    # what is shown

    def show_view(self, view: View) -> None:
        """Show a view."""
        self.view = view
        self.view_changed.emit()

    def show_wipe(self, on: bool) -> None:
        """Show or hide the wipe line."""
        self.wipes = on
        self.wipe_changed.emit()

    def set_look(self, change: Callable[[Look], Look]) -> None:
        """Change how views are drawn."""
        look = change(self.look)
        if look != self.look:
            self.look = look
            self.look_changed.emit()

    def lift_next(self) -> None:
        """Show what lies in the dark, then in the light, then the picture as it is."""
        ways = list(LIFTS)
        lift = ways[(ways.index(self.look.lift) + 1) % len(ways)]
        self.set_look(lambda look: replace(look, lift=lift))
        says = {"": "The picture as it is", "shadows": "Darks are lifted", "highlights": "Lights are held back"}[lift]
        self.noted.emit(f"{says}, for the eye only." if lift else f"{says}.")

    def choose_loud(self, colour: str) -> None:
        """Show Loud in a colour that the person chose; Peel proposes none any more."""
        self.loud_is_chosen = True
        self.set_look(lambda look: replace(look, loud=colour))

    def show_overlay(self, image: QImage | None) -> None:
        """Lay a picture over the whole photo; None takes it away."""
        self.overlay = replace(self.overlay, image=image)
        self.overlay_changed.emit()

    def show_area(self, area: tuple[Point, ...]) -> None:
        """Show the area that changes are kept to; an empty one means everywhere."""
        self.overlay = replace(self.overlay, area=area)
        self.overlay_changed.emit()

    def show_places(self, places: tuple[Place, ...]) -> None:
        """Mark places of the photo that are in doubt."""
        if places != self.overlay.places:
            self.overlay = replace(self.overlay, places=places)
            self.overlay_changed.emit()

    def compare(self, job: Job | None) -> None:
        """Show another job in the place of the open one, for a before/after; None ends it."""
        self.compared = job
        self.overlay_changed.emit()

    def say(self, message: str, hint: str = "", trace: str = "") -> None:
        """Show a sentence to the person."""
        self.said.emit(Trouble(message, hint, trace))


def _strength_key(tool: Tool | None) -> str:
    """Return under what a tool's strength is kept: its own name, or that of all brushes."""
    return "" if tool is None or tool.own_strength is None else tool.name
