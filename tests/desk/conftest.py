"""A real window on real pictures, offscreen."""

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from desk.hand import Hand
from peel.desk.app import make_app
from peel.desk.window import Window


@pytest.fixture
def make_window(qtbot: QtBot) -> Iterator[Callable[[], Hand]]:
    windows: list[Window] = []

    def make() -> Hand:
        make_app()
        window = Window()
        windows.append(window)
        window.show_welcome()
        window.resize(1280, 800)  # whatever the screen is
        with qtbot.waitExposed(window):
            window.show()
        return Hand(window, qtbot)

    yield make
    for window in windows:
        window.close()
        qtbot.waitUntil(lambda window=window: window.is_closed, timeout=60_000)
        window.deleteLater()


@pytest.fixture
def hand(make_window: Callable[[], Hand]) -> Hand:
    return make_window()


@pytest.fixture
def marked(hand: Hand, disc_file: Path) -> Hand:
    """A window with the disc marked and solved."""
    hand.open(disc_file)
    for x, y in ((120, 60), (300, 60), (300, 240), (120, 240)):
        hand.click(x, y)
    hand.key(Qt.Key.Key_Return)
    hand.settle()
    return hand
