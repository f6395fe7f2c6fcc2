"""Where one was: step, view, zoom and tool, kept in the job file and restored from it."""

import json
import math
from enum import Enum
from typing import TypeVar

from PySide6.QtCore import QPointF

from peel.desk.canvas.canvas import Canvas
from peel.desk.desk_state import DeskState
from peel.desk.steps import Step
from peel.work.views import View

__all__ = ["note_place", "restore_place"]

_E = TypeVar("_E", bound=Enum)


def note_place(desk: DeskState, canvas: Canvas) -> None:
    """Keep where one is, for the next time this job is shown."""
    if desk.bridge is None:
        return
    centre = canvas.centre()
    place = {
        "step": desk.step.name.lower(),
        "view": desk.view.name.lower(),
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
        desk.show_step(_noted(Step, place.get("step"), Step.MARK))
        desk.show_view(_noted(View, place.get("view"), View.PHOTO))
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


def _noted(kind: type[_E], noted: object, first: _E) -> _E:
    """Return the member of a name, or of the words by which earlier versions noted it; the first for anything else."""
    return next((own for own in kind if noted in (own.name.lower(), own.value)), first)


def _fitting_brush(canvas: Canvas) -> float:
    """Return a first brush about as large on every photo."""
    return max(2.0, round(max(canvas.frame.width, canvas.frame.height) / 40))
