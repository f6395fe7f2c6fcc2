"""Where one was: step, view, zoom and tool, kept in the job file and restored from it."""

import json
import math

from PySide6.QtCore import QPointF

from peel.desk.canvas.canvas import Canvas
from peel.desk.desk_state import DeskState
from peel.desk.steps import Step
from peel.work.views import View

__all__ = ["note_place", "restore_place"]


def note_place(desk: DeskState, canvas: Canvas) -> None:
    """Keep where one is, for the next time this job is shown."""
    if desk.bridge is None:
        return
    centre = canvas.centre()
    place = {
        "step": desk.step.value,
        "view": desk.view.value,
        "fitted": canvas.is_fitted,
        "scale": canvas.frame.scale,
        "centre": [centre.x(), centre.y()],
        "size": desk.brush_px,
        "tool": desk.tool.name if desk.tool is not None else "",
        "snag": desk.snag,
    }
    desk.bridge.session.note("place", json.dumps(place))


def restore_place(desk: DeskState, canvas: Canvas, noted: str) -> None:
    """Go back to where one was, by what was noted; a place that makes no sense is forgotten."""
    try:
        place = json.loads(noted or "{}")
        desk.show_step(Step(place.get("step", Step.MARK.value)))
        desk.show_view(View(place.get("view", View.PHOTO.value)))
        desk.set_brush(float(place.get("size", _fitting_brush(canvas))))
        desk.take_up_named(str(place.get("tool", "")))
        if place.get("snag"):
            sort, x, y = place["snag"]
            desk.snag = (str(sort), float(x), float(y))
        if not place.get("fitted", True):
            across, down, scale = (float(value) for value in (*place["centre"], place["scale"]))
            if math.isfinite(across + down + scale):
                canvas.look_at(QPointF(across, down), scale)
    except (ValueError, OverflowError, TypeError, KeyError, AttributeError):
        desk.show_step(Step.MARK)
        desk.show_view(View.PHOTO)


def _fitting_brush(canvas: Canvas) -> float:
    """Return a first brush about as large on every photo."""
    return max(2.0, round(max(canvas.frame.width, canvas.frame.height) / 40))
