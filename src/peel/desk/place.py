"""Where one was: step, view, zoom and tool, remembered in the job file and restored from it."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF

from peel.desk.controls.step_line import Step
from peel.errors import PeelError
from peel.work.views import View

if TYPE_CHECKING:
    from peel.desk.window import Window

__all__ = ["note_place", "restore_place"]


def note_place(window: Window) -> None:
    """Remember where one is, for the next start."""
    if window.bridge is None:
        return
    centre, tool = window.canvas.centre(), window.canvas.tool
    place = {
        "step": window.step.value,
        "view": window.canvas.view.value,
        "fitted": window.canvas.is_fitted,
        "scale": window.canvas.frame.scale,
        "centre": [centre.x(), centre.y()],
        "size": window.brush_size.diameter_px,
        "tool": tool.name if tool is not None else "",
    }
    try:
        window.bridge.session.project.note("place", json.dumps(place))
    except PeelError:
        return  # not worth keeping anyone from closing the window


def restore_place(window: Window) -> None:
    """Go back to where one was; a place that makes no sense is forgotten."""
    if window.bridge is None:
        return
    try:
        place = json.loads(window.bridge.session.project.note("place") or "{}")
        window.show_step(Step(place.get("step", Step.MARK.value)))
        window.show_view(View(place.get("view", View.PHOTO.value)))
        window.set_brush_size(float(place.get("size", _fitting_brush(window))))
        named = [tool for tool in window.tools[window.step] if tool.name == place.get("tool")]
        if named:
            window.take_up(named[0])
        if not place.get("fitted", True):
            window.canvas.look_at(QPointF(*place["centre"]), float(place["scale"]))
    except (PeelError, ValueError, TypeError, KeyError, AttributeError):
        window.show_step(Step.MARK)
        window.show_view(View.PHOTO)


def _fitting_brush(window: Window) -> float:
    """Return a first brush about as large on every photo."""
    photo = window.canvas.frame
    return max(2.0, round(max(photo.width, photo.height) / 40))
