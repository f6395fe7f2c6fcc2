"""The brushes of shadows: stronger or away, and where the photo's own is kept."""

from collections.abc import Callable

from PySide6.QtGui import QColor

from peel.desk.tools.soft_brush import SoftBrush
from peel.job.edits.marking import Stroke
from peel.job.edits.shading import brush_shadow, keep_shadow
from peel.job.job import Job

__all__ = ["KeepBrush", "ShadeBrush"]

_DARK, _LIGHT = QColor(20, 20, 30, 130), QColor(255, 255, 255, 130)


class ShadeBrush(SoftBrush):
    """Brushes shadows stronger, or away."""

    name = "Shade"
    key_name = "F12"

    def _ink(self, reverse: bool) -> QColor:
        return _LIGHT if reverse else _DARK

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Brushes shadows away; the subject is never touched"
        return "Brushes shadows stronger, kept and made ones alike · the right button brushes them away"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        soft = self.soft(stroke)
        return ("Less shadow" if reverse else "More shadow"), lambda job: brush_shadow(job, soft, stronger=not reverse)


class KeepBrush(SoftBrush):
    """Brushes where the photo's own shadow is kept."""

    name = "Keep"
    key_name = "'"

    def _ink(self, reverse: bool) -> QColor:
        return _LIGHT if reverse else _DARK

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "The photo's own shadow is not kept where it goes"
        return "Keeps the photo's own shadow where it goes, and only there · the right button keeps it no longer"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        soft = self.soft(stroke)
        return ("Keep no shadow" if reverse else "Keep a shadow"), lambda job: keep_shadow(job, soft, keeps=not reverse)
