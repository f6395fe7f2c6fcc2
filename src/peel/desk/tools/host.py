"""What tools know of the canvas they work on, and of a press on it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from PySide6.QtCore import QPointF, QRect, QSize
from PySide6.QtGui import QColor

from peel.desk.asking import Task
from peel.desk.display.frame import Frame
from peel.job.job import Job
from peel.job.settings import Point
from peel.work.session.session import Session

__all__ = ["BrushShape", "Press", "ToolHost"]


@dataclass(frozen=True)
class Press:
    """Where the hand is, and what it holds.

    Attributes
    ----------
    widget_point, photo_point : QPointF
    reverse : bool
        Whether the press does the other way round: by the right button, a pen's eraser end, or the latch.
    straight : bool
        Whether Shift is held.
    alternate : bool
        Whether Ctrl is held.
    pressure : float
        Of a pen, in [0, 1]; 1 for a mouse.
    """

    widget_point: QPointF
    photo_point: QPointF
    reverse: bool = False
    straight: bool = False
    alternate: bool = False
    pressure: float = 1.0

    @property
    def xy(self) -> tuple[float, float]:
        """The photo point as numbers."""
        return self.photo_point.x(), self.photo_point.y()


@dataclass(frozen=True)
class BrushShape:
    """How touch-up brushes are shaped.

    Attributes
    ----------
    softness : float
        Share of the radius over which they fade, in [0, 1].
    strength : float
        In [0, 1].
    pen_sizes, pen_strengthens : bool
        Whether a pen's pressure drives the size, and the strength.
    """

    softness: float = 0.5
    strength: float = 1.0
    pen_sizes: bool = False
    pen_strengthens: bool = True


class ToolHost(Protocol):
    """The canvas, as far as tools know it. Main thread only."""

    @property
    def frame(self) -> Frame:
        """Where the photo lies."""

    @property
    def job(self) -> Job | None:
        """The open job."""

    @property
    def session(self) -> Session | None:
        """The open session."""

    @property
    def brush_px(self) -> float:
        """The diameter that all brushes share, in photo pixels."""

    @property
    def brush_shape(self) -> "BrushShape":
        """How touch-up brushes are shaped."""

    def ask(
        self,
        task: Task,
        work: Callable[[], Any],
        then: Callable[[Any], object],
        ended: Callable[[], object] | None = None,
    ) -> None:
        """Ask a worker; see `peel.desk.asking.Asker.ask`. The answer is wanted as long as the photo is open."""

    def hue(self, *, taken: bool) -> QColor:
        """Return the hue of what is added or taken away, as it suits the photo."""

    def size(self) -> QSize:
        """Return the size in widget pixels."""

    def devicePixelRatioF(self) -> float:  # noqa: N802 - Qt's name
        """Return screen pixels for a widget pixel."""

    def redraw(self, area: QRect | None = None) -> None:
        """Paint again, all or a part."""

    def when_settled(self, call: Callable[[], None]) -> None:
        """Call a function each time the picture is up to date again."""

    def show_area(self, area: tuple[Point, ...]) -> None:
        """Show an outline over the picture."""

    def announce_stroke(self, points: Sequence[Point], reach_px: float) -> None:
        """Announce where the stroke that is being applied may change anything: within so far of its points."""

    def ask_versions(self) -> None:
        """Ask which version of the matte is to be brushed from."""

    def announce_ways(self) -> None:
        """Announce that the tool works in another way now, or holds something else."""
