"""What every tool has in common."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QPainter

from peel.desk.tools.host import Press, ToolHost

if TYPE_CHECKING:
    from collections.abc import Callable

    from peel.job.job import Job

__all__ = ["Amount", "Choice", "Press", "Tool"]


@dataclass
class Choice:
    """One of a few ways in which a tool works, shown beside what its press will do.

    Attributes
    ----------
    name : str
        For people who cannot see it, and for the key sheet.
    labels : tuple of str
    chosen : int
    tip : str
        What it does to the picture.
    key_name : str
        The key that goes on to the next way.
    """

    name: str
    labels: tuple[str, ...]
    tip: str
    key_name: str = ""
    chosen: int = 0

    @property
    def label(self) -> str:
        """The chosen way."""
        return self.labels[self.chosen]

    def next(self) -> None:
        """Go on to the next way."""
        self.chosen = (self.chosen + 1) % len(self.labels)


@dataclass
class Amount:
    """A number that a tool works by, which can be typed on the shelf.

    Attributes
    ----------
    name : str
    value, low, high : float
    tip : str
    """

    name: str
    value: float
    low: float
    high: float
    tip: str


class Tool:
    """A tool: override what it does; its host calls it on the main thread.

    Attributes
    ----------
    name : str
        The word on its button; its drawing is the icon of that name.
    key_name : str
        The key that takes it up.
    sized : bool
        Whether it has a size.
    shaped : bool
        Whether it has a softness and a strength, which a pen can drive.
    own_strength : float or None
        The strength it begins at, which it then keeps to itself; None shares that of all brushes.
    reverses : bool
        Whether its press has another way round.
    key_hints : tuple of (key, meaning)
        Keys that the tool takes by itself, for the key sheet.
    choices : list of Choice
        The ways in which it works.
    amount : Amount or None
        The number it works by.
    """

    name = ""
    key_name = ""
    sized = False
    shaped = False
    own_strength: ClassVar[float | None] = None
    reverses = True
    cursor = Qt.CursorShape.CrossCursor
    key_hints: ClassVar[tuple[tuple[str, str], ...]] = ()

    def __init__(self) -> None:
        self.host: ToolHost | None = None
        self.choices: list[Choice] = []
        self.amount: Amount | None = None

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do, or what it will do the other way round."""
        raise NotImplementedError

    def press(self, press: Press) -> None:
        """React to the button going down."""

    def move(self, press: Press) -> None:
        """React to the cursor moving, button down or not."""

    def release(self, press: Press) -> None:
        """React to the button coming up."""

    def leave(self) -> None:
        """React to the cursor leaving the canvas."""

    def key(self, event: QKeyEvent) -> bool:
        """Take a key, or return False."""
        return self._choose_by_key(event)

    def paint(self, painter: QPainter) -> None:
        """Paint over the picture, in widget pixels."""

    def take_up(self) -> None:
        """Get ready: the tool is in the hand, on a photo."""

    def again(self) -> None:
        """Offer a choice: the tool is in the hand, and its button or key was pressed once more."""

    def put_down(self) -> None:
        """Forget what is under way: another tool is taken up, or another photo shown."""

    @property
    def job(self) -> Job | None:
        """The open job."""
        return self.host.job if self.host is not None else None

    def apply(self, label: str, edit: Callable[[Job], Job]) -> None:
        """Make an edit of the open job."""
        if self.host is not None and self.host.session is not None:
            self.host.session.apply(label, edit)

    def redraw(self) -> None:
        """Paint the canvas again."""
        if self.host is not None:
            self.host.redraw()

    def _choose_by_key(self, event: QKeyEvent) -> bool:
        if event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier:
            return False
        for choice in self.choices:
            if choice.key_name and event.text().upper() == choice.key_name:
                choice.next()
                if self.host is not None:
                    self.host.announce_ways()
                return True
        return False
