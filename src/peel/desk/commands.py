"""The commands that belong to no step, and how commands get their keys."""

from collections.abc import Callable, Iterable
from functools import partial
from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget

from peel.desk.desk_state import DeskState
from peel.desk.step.spec import Command

__all__ = ["COMMANDS", "add_commands"]

COMMANDS: Final = (
    Command("Other way round", ("U",), DeskState.turn_round, "Tools", "every press the other way round, latched"),
    Command("Smaller brush", ("[",), lambda desk: desk.set_brush(desk.brush_px / 1.2), "Tools", repeats=True),
    Command("Larger brush", ("]",), lambda desk: desk.set_brush(desk.brush_px * 1.2), "Tools", repeats=True),
    Command("Wipe", ("W",), lambda desk: desk.show_wipe(not desk.wipes), "Views", "wipe line"),
    Command("Lift", ("Home",), DeskState.lift_next, "Views", "see into the dark, then the light"),
    Command("Why", ("End",), lambda desk: desk.ask.why.emit(), "Views", "why this place is half clear"),
    Command("Fold proofs", ("H",), lambda desk: desk.ask.fold_proofs.emit(), "Views", "fold the proofs away"),
    Command("Next place", ("N",), lambda desk: desk.walk_places(1), "Views", "next snag, or place in doubt"),
    Command("Place before", ("Shift+N",), lambda desk: desk.walk_places(-1), "Views", "the one before"),
    Command("Fit", ("Ctrl+0",), lambda desk: desk.ask.fit.emit(), "Views"),
    Command("Full size", ("Ctrl+1",), lambda desk: desk.ask.full_size.emit(), "Views", "100 %"),
    Command("Nearer", ("+", "Ctrl++", "="), lambda desk: desk.ask.zoom.emit(1.5), "Views", repeats=True),
    Command("Farther", ("-", "Ctrl+-"), lambda desk: desk.ask.zoom.emit(1 / 1.5), "Views", repeats=True),
    Command("Full screen", ("F11",), lambda desk: desk.ask.full_screen.emit(), "Views"),
    Command("Next step", ("PgDown",), lambda desk: desk.walk(1)),
    Command("Step before", ("PgUp",), lambda desk: desk.walk(-1)),
    Command("Board", ("Ctrl+B",), lambda desk: desk.ask.board.emit(), meaning="the assignment's board"),
    Command("Next photo", ("Ctrl+PgDown",), lambda desk: desk.ask.photo.emit(1), meaning="next photo of the board"),
    Command("Photo before", ("Ctrl+PgUp",), lambda desk: desk.ask.photo.emit(-1), meaning="the photo before"),
    Command(
        "Keep only what is near",
        ("Ctrl+Backspace",),
        lambda desk: desk.ask.keep_near.emit(),
        meaning="take back what a stroke changed far from it",
    ),
    Command("Undo", ("Ctrl+Z",), DeskState.undo, repeats=True),
    Command("Redo", ("Ctrl+Shift+Z", "Ctrl+Y"), DeskState.redo, repeats=True),
    Command(
        "Copy the cutout", ("Ctrl+C",), lambda desk: desk.ask.copy.emit(False), meaning="the cutout, with its alpha"
    ),
    Command("Copy the flat picture", ("Ctrl+Shift+C",), lambda desk: desk.ask.copy.emit(True)),
    Command("Paste", ("Ctrl+V",), lambda desk: desk.ask.paste.emit(), meaning="paste a picture"),
    Command("Open", ("Ctrl+O",), lambda desk: desk.ask.open_file.emit()),
    Command("Keep under a name", ("Ctrl+S",), lambda desk: desk.ask.keep.emit()),
    Command("Close the photo", ("Ctrl+W",), lambda desk: desk.ask.close_photo.emit()),
    Command("Quit", ("Ctrl+Q",), lambda desk: desk.ask.quit.emit()),
    Command("Dark or light", ("Ctrl+Shift+L",), lambda desk: desk.ask.theme.emit()),
    Command("Keys", ("?",), lambda desk: desk.ask.keys.emit(), meaning="this sheet"),
    Command("Guide", ("F1",), lambda desk: desk.ask.guide.emit(), meaning="the guide's page of this step"),
)


def add_commands(window: QWidget, desk: DeskState, commands: Iterable[Command]) -> None:
    """Give a window's commands their keys."""
    for command in commands:
        _add(window, command, partial(command.run, desk))


def _add(window: QWidget, command: Command, run: Callable[[], object]) -> None:
    action = QAction(command.name, window)
    action.setObjectName(command.name)
    action.setShortcuts([QKeySequence(key) for key in command.keys])
    action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
    action.setAutoRepeat(command.repeats)
    action.triggered.connect(lambda _checked=False: run())
    window.addAction(action)
