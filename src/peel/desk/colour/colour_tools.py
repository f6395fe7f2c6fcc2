"""The brushes of Colour: a tint's patch, lighter and darker, the photo's own colours, and all of these taken back."""

from collections.abc import Callable

from PySide6.QtGui import QColor

from peel.desk.tools.soft_brush import SoftBrush
from peel.desk.tools.tool import Tool
from peel.errors import MarkError
from peel.job.edits.colouring import brush_original, brush_tint, brush_tone, release_colours
from peel.job.edits.marking import Stroke
from peel.job.job import Job

__all__ = ["COLOUR_TOOLS", "LightenBrush", "OriginalBrush", "TakeBackBrush", "TintBrush"]

_LOUD = QColor(255, 0, 200, 150)
_LIGHT, _DARK = QColor(255, 255, 255, 130), QColor(20, 20, 20, 130)


class _ColourBrush(SoftBrush):
    """A brush of colours."""

    def _ink(self, reverse: bool) -> QColor:
        return _DARK if reverse else _LOUD


class TintBrush(_ColourBrush):
    """Brushes the patch of a tint.

    Attributes
    ----------
    number : int
        Of the tint that is brushed, from 1; 0 for none.
    """

    name = "Tint"
    key_name = "F6"

    def __init__(self) -> None:
        super().__init__()
        self.number = 0

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if not self.number:
            return "There is no tint yet: take one from a good spot, or from a hue, in the panel"
        if reverse:
            return f"Takes tint {self.number} back where it goes"
        return f"Gives tint {self.number} to what it touches; brightness stays · the right button takes it back"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        soft, number = self.soft(stroke), self.number

        def brush(job: Job) -> Job:
            if not 0 < number <= len(job.settings.photo.tints):
                raise MarkError("There is no tint to brush yet.", "Take one from a good spot, or from a hue.")
            return brush_tint(job, soft, number, takes=reverse)

        return ("Take a tint back" if reverse else "Tint"), brush


class LightenBrush(_ColourBrush):
    """Lightens the edge's own dark tones, or darkens its light ones."""

    name = "Lighten"
    key_name = "F7"

    def _ink(self, reverse: bool) -> QColor:
        return _DARK if reverse else _LIGHT

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Darkens only what is lighter than the subject further in: a light fringe goes, dark hair stays"
        return "Lightens only what is darker than the subject further in · the right button darkens a light fringe"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        soft = self.soft(stroke)
        return ("Darken" if reverse else "Lighten"), lambda job: brush_tone(job, soft, lighter=not reverse)


class OriginalBrush(_ColourBrush):
    """Brushes the photo's own colours back."""

    name = "Original"
    key_name = ";"
    reverses = False

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        del reverse
        return "Brushes the photo's own colours back, whatever was corrected there"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        del reverse
        soft = self.soft(stroke)
        return "Original", lambda job: brush_original(job, soft)


class TakeBackBrush(_ColourBrush):
    """Takes back what was brushed on colours."""

    name = "Take back"
    key_name = "/"
    reverses = False

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        del reverse
        return "Takes tints, lighter, darker and original back where it goes; corrections from the panel stay"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        del reverse
        soft = self.soft(stroke)
        return "Take colours back", lambda job: release_colours(job, soft)


COLOUR_TOOLS: tuple[type[Tool], ...] = (TintBrush, LightenBrush, OriginalBrush, TakeBackBrush)
"""In the order in which the shelf shows them."""
