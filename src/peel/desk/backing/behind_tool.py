"""Behind: drag a backing photo on the picture, scale it, nudge it by the arrow keys."""

from collections.abc import Callable
from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent

from peel.desk.tools.tool import Press, Tool
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.job.settings import BackingPhoto
from peel.work.stages.backings import covering_move

__all__ = ["BehindTool"]

_ARROWS: Final = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class BehindTool(Tool):
    """Moves and scales the backing photo."""

    name = "Behind"
    key_name = "F10"
    cursor = Qt.CursorShape.SizeAllCursor
    key_hints = (("arrows, with Behind or Place", "nudge by a pixel; Shift by ten"),)

    def __init__(self) -> None:
        super().__init__()
        self._from: tuple[Press, BackingPhoto] | None = None

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        job = self.job
        if job is not None and job.settings.recipe.backing.kind != "photo":
            return "There is no backing photo to move: choose one in the panel"
        if reverse:
            return "Drag up to enlarge the backing photo, down to make it smaller"
        return "Drag to move the backing photo · the right button scales it · arrow keys nudge it"

    def press(self, press: Press) -> None:
        """Take hold of the photo."""
        job = self.job
        if job is not None and job.settings.recipe.backing.kind == "photo":
            self._from = press, job.settings.recipe.backing.photo

    def move(self, press: Press) -> None:
        """Drag; the picture follows."""
        self._drag(press, ends=False)

    def release(self, press: Press) -> None:
        """Let go."""
        self._drag(press, ends=True)
        self._from = None

    def put_down(self) -> None:
        """Forget a drag."""
        self._from = None

    def _drag(self, press: Press, *, ends: bool) -> None:
        if self._from is None or self.job is None:
            return
        start, photo = self._from
        if start.reverse:
            up = start.widget_point.y() - press.widget_point.y()
            scale = min(max(photo.scale * 1.006**up, 0.05), 20.0)
            self._set(lambda _job: photo.model_copy(update={"scale": scale}), ends=ends)
        else:
            by = press.xy[0] - start.xy[0], press.xy[1] - start.xy[1]
            self._set(lambda job: _moved(photo, job, by), ends=ends)

    def key(self, event: QKeyEvent) -> bool:
        """Nudge by the arrow keys."""
        way, job = _ARROWS.get(Qt.Key(event.key())), self.job
        if way is None or job is None or job.settings.recipe.backing.kind != "photo":
            return super().key(event)
        step = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        by = way[0] * step, way[1] * step
        self._set(lambda job: _moved(job.settings.recipe.backing.photo, job, by), ends=True)
        return True

    def _set(self, change: Callable[[Job], BackingPhoto], *, ends: bool) -> None:
        """Change the photo as it is when its turn comes: keys are pressed faster than edits are shown."""
        if self.host is not None and self.host.session is not None:
            edit = lambda job: set_value(job, "recipe.backing.photo", change(job))  # noqa: E731
            self.host.session.apply("Backing photo", edit, gesture="backing photo", ends=ends)


def _moved(photo: BackingPhoto, job: Job, by: tuple[float, float]) -> BackingPhoto:
    space = sheet_of(job).space
    x, y = photo.move[0] + by[0] / space.width, photo.move[1] + by[1] / space.height
    moved = photo.model_copy(update={"move": (min(max(x, -4.0), 5.0), min(max(y, -4.0), 5.0))})
    asset = job.assets.get(photo.picture or "")
    if asset is None:
        return moved
    return moved.model_copy(update={"move": covering_move(moved, asset, (space.height, space.width))})
