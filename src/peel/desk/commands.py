"""Everything that can be asked of the window by a key."""

from __future__ import annotations

from typing import TYPE_CHECKING

from peel.desk.actions import add_action
from peel.desk.controls.step_line import Step

if TYPE_CHECKING:
    from peel.desk.window import Window

__all__ = ["add_commands"]


def add_commands(window: Window) -> None:
    """Add every command and its keys to a window."""

    def tool(step: Step, number: int) -> None:
        if window.step not in ({Step.EDGE, Step.MATTE} if step is Step.EDGE else {step}):
            window.show_step(step)
        window.take_up(window.tools[step][number])

    add_action(window, "Open", "Ctrl+O", window.ask_open)
    add_action(window, "Keep under a name", "Ctrl+S", window.ask_keep)
    add_action(window, "Close the photo", "Ctrl+W", window.close_photo)
    add_action(window, "Quit", "Ctrl+Q", window.close)
    add_action(window, "Undo", "Ctrl+Z", window.undo, repeat=True)
    add_action(window, "Redo", ["Ctrl+Shift+Z", "Ctrl+Y"], window.redo, repeat=True)
    add_action(window, "Fit", "Ctrl+0", window.canvas.fit)
    add_action(window, "Full size", "Ctrl+1", window.show_full_size)
    add_action(
        window,
        "Nearer",
        ["+", "Ctrl++", "="],
        lambda: window.canvas.zoom_to(window.canvas.frame.scale * 1.5),
        repeat=True,
    )
    add_action(
        window,
        "Farther",
        ["-", "Ctrl+-"],
        lambda: window.canvas.zoom_to(window.canvas.frame.scale / 1.5),
        repeat=True,
    )
    add_action(window, "Full screen", "F11", window.toggle_full_screen)
    add_action(window, "Next step", "PgDown", lambda: window.walk(1))
    add_action(window, "Step before", "PgUp", lambda: window.walk(-1))
    add_action(window, "Contour", "C", lambda: tool(Step.MARK, 0))
    add_action(window, "Sweep", "S", lambda: tool(Step.MARK, 1))
    add_action(window, "Alike", "A", lambda: tool(Step.MARK, 2))
    add_action(window, "Brush", "B", lambda: tool(Step.MARK, 3))
    add_action(window, "Fill", "I", lambda: tool(Step.MARK, 4))
    add_action(window, "Propose", "P", window.propose)
    add_action(window, "Band", "E", lambda: tool(Step.EDGE, 0))
    add_action(window, "Certain", "D", lambda: tool(Step.EDGE, 1))
    add_action(window, "Exact", "X", lambda: tool(Step.EDGE, 2))
    add_action(
        window,
        "Smaller brush",
        "[",
        lambda: window.set_brush_size(window.brush_size.diameter_px / 1.2),
        repeat=True,
    )
    add_action(
        window,
        "Larger brush",
        "]",
        lambda: window.set_brush_size(window.brush_size.diameter_px * 1.2),
        repeat=True,
    )
    add_action(window, "Wipe", "W", lambda: window.show_wipe(window.canvas.wipe is None))
    add_action(window, "Keys", ["?", "F1"], window.key_sheet.toggle)
    add_action(window, "Deliver", "Ctrl+Return", window.deliver)
    add_action(window, "Dark or light", "Ctrl+Shift+L", window.switch_theme)
