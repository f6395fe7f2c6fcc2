"""The brushes of shadows: one that paints them, stronger or away, and where the photo's own is kept."""

from collections.abc import Callable

from PySide6.QtGui import QColor

from peel.desk.tools.soft_brush import SoftBrush
from peel.job.edits.marking import Stroke
from peel.job.edits.shading import brush_shadow, keep_shadow, paint_shadow
from peel.job.job import Job

__all__ = ["KeepBrush", "ShadeBrush", "ShadowBrush"]

_DARK, _LIGHT = QColor(20, 20, 30, 130), QColor(255, 255, 255, 130)


class _ShadowyBrush(SoftBrush):
    """A brush whose strokes are shown dark, and light the other way round."""

    def _ink(self, reverse: bool) -> QColor:
        return _LIGHT if reverse else _DARK


class ShadowBrush(_ShadowyBrush):
    """Paints a shadow where there is none."""

    name = "Shadow"
    key_name = "Shift+S"

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Takes off the shadow that was painted"
        return "Paints a shadow under the subject, anywhere on the sheet · the right button takes it off"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        soft = self.soft(stroke)
        return ("Take off shadow" if reverse else "Paint a shadow"), lambda job: paint_shadow(job, soft, takes=reverse)


class ShadeBrush(_ShadowyBrush):
    """Brushes shadows stronger, or away."""

    name = "Shade"
    key_name = "F12"

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Brushes shadows away; the subject is never touched"
        return "Brushes shadows stronger, kept and made ones alike · the right button brushes them away"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        soft = self.soft(stroke)
        return ("Less shadow" if reverse else "More shadow"), lambda job: brush_shadow(job, soft, stronger=not reverse)


class KeepBrush(_ShadowyBrush):
    """Brushes where the photo's own shadow is kept."""

    name = "Keep"
    key_name = "'"

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "The photo's own shadow is not kept where it goes"
        return "Keeps the photo's own shadow where it goes, and only there · the right button keeps it no longer"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        soft = self.soft(stroke)
        return ("Keep no shadow" if reverse else "Keep a shadow"), lambda job: keep_shadow(job, soft, keeps=not reverse)
