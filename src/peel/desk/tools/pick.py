"""Pick: take a colour from the photo, and be done with it."""

import numpy as np
from PySide6.QtCore import QObject, Signal

from peel.desk.tools.tool import Press, Tool
from peel.job.rect import Rect

__all__ = ["PickTool"]


class _News(QObject):
    picked = Signal(str)


class PickTool(Tool):
    """Takes the colour under the cursor, as the photo holds it."""

    name = "Pick"

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
        """Take the colour: the median of a few pixels, so that grain does not matter."""
        job = self.job
        if job is None:
            return
        x, y = int(np.floor(press.xy[0])), int(np.floor(press.xy[1]))
        spot = Rect(y - 2, x - 2, y + 3, x + 3).intersection(job.photo.bounds)
        if spot.is_empty:
            return
        red, green, blue = (round(float(part) * 255) for part in np.median(job.photo.colours(spot), axis=(0, 1)))
        self.picked.emit(f"#{red:02x}{green:02x}{blue:02x}")
