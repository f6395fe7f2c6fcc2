"""Pick: point at a spot of the photo, and be done with it."""

from PySide6.QtCore import QObject, Signal

from peel.desk.tools.tool import Press, Tool

__all__ = ["PickTool"]


class _News(QObject):
    picked = Signal(float, float)


class PickTool(Tool):
    """Takes the spot under the cursor.

    Signals
    -------
    picked : (float, float)
        Across and down, in photo pixels.
    """

    name = "Pick"
    reverses = False

    def __init__(self, sentence: str) -> None:
        super().__init__()
        self._sentence = sentence
        self._news = _News()
        self.picked = self._news.picked

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        del reverse
        return self._sentence

    def press(self, press: Press) -> None:
        """Take the spot, if it is one of the photo."""
        job, (across, down) = self.job, press.xy
        if job is not None and 0 <= across < job.photo.width and 0 <= down < job.photo.height:
            self.picked.emit(across, down)
