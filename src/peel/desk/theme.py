"""Two neutral themes, one accent, and the shipped font."""

import gc
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication, QLayout, QWidget

__all__ = ["DARK", "FONT", "LIGHT", "Theme", "choose", "current", "dress", "install", "undressed"]

FONT: Final = "Atkinson Hyperlegible Next"
_FONTS: Final = Path(__file__).parent / "assets" / "font"
_CHEVRON: Final = (Path(__file__).parent / "assets" / "chevron.svg").as_posix()


@dataclass(frozen=True)
class Theme:
    """The colours of the bench; all greys are neutral so that they do not tint judgement."""

    name: str
    surface: str
    raised: str
    pressed: str
    line: str
    text: str
    muted: str
    mat: str
    accent: str
    on_accent: str
    strong: str
    on_strong: str
    field: str

    def colour(self, role: str) -> QColor:
        """Return a role's colour."""
        return QColor(str(getattr(self, role)))


LIGHT: Final = Theme(
    "light", "#f6f6f6", "#e6e6e6", "#d8d8d8", "#cfcfcf", "#1d1d1d", "#595959", "#8b8b8b", "#b0430b", "#ffffff",
    "#333333", "#ffffff", "#ffffff",
)  # fmt: skip
DARK: Final = Theme(
    "dark", "#2c2c2c", "#3b3b3b", "#4a4a4a", "#4c4c4c", "#f0f0f0", "#b9b9b9", "#565656", "#f0935a", "#1d1d1d",
    "#e6e6e6", "#1d1d1d", "#232323",
)  # fmt: skip

_current = LIGHT


def current() -> Theme:
    """Return the theme in use."""
    return _current


def install(app: QApplication, theme: Theme) -> None:
    """Dress the application in a theme; main thread only."""
    choose(app, theme)
    dress(app)


def dress(app: QApplication) -> None:
    """Dress the application in the theme that was chosen."""
    _style(app, _sheet(_current))


@contextmanager
def _collecting_nothing() -> Iterator[None]:
    """Hold the collection of garbage off.

    Qt goes through all widgets to restyle them and calls back into Python: to collect those of a closed window at that
    moment takes them away under its hands.
    """
    collects = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if collects:
            gc.enable()


def _style(app: QApplication, sheet: str) -> None:
    with _collecting_nothing():
        app.setStyleSheet(sheet)


@contextmanager
def undressed(window: QWidget) -> Iterator[None]:
    """Build widgets of a window without the style sheet, and dress them all at the end.

    A widget is styled anew, with all that it holds, each time it is put into another: once takes a third of that.
    """
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    _style(app, "")
    try:
        yield
    finally:
        dress(app)
        with _collecting_nothing():
            for layout in window.findChildren(QLayout):
                layout.invalidate()  # what is hidden still remembers how large it was undressed


def choose(app: QApplication, theme: Theme) -> None:
    """Choose a theme, with its font and palette; the application stands undressed until `dress`."""
    global _current
    _current = theme
    if FONT not in QFontDatabase.families():
        for file in sorted(_FONTS.glob("*.ttf")):
            QFontDatabase.addApplicationFont(str(file))
    font = QFont(FONT)
    font.setPixelSize(13)
    app.setFont(font)
    _style(app, "")  # styling unstyled widgets takes a third of the time that restyling them does
    app.setPalette(_palette(theme))


def _palette(theme: Theme) -> QPalette:
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: theme.surface,
        QPalette.ColorRole.WindowText: theme.text,
        QPalette.ColorRole.Base: theme.field,
        QPalette.ColorRole.AlternateBase: theme.surface,
        QPalette.ColorRole.Text: theme.text,
        QPalette.ColorRole.Button: theme.raised,
        QPalette.ColorRole.ButtonText: theme.text,
        QPalette.ColorRole.Highlight: theme.accent,
        QPalette.ColorRole.HighlightedText: theme.on_accent,
        QPalette.ColorRole.ToolTipBase: theme.surface,
        QPalette.ColorRole.ToolTipText: theme.text,
        QPalette.ColorRole.PlaceholderText: theme.muted,
    }
    for role, colour in roles.items():
        palette.setColor(role, QColor(colour))
    return palette


def _sheet(t: Theme) -> str:
    return f"""
    QWidget {{ color: {t.text}; }}
    QMainWindow, #surface, QMenu, QToolTip {{ background: {t.surface}; }}
    QToolTip {{ border: 1px solid {t.line}; padding: 4px 6px; }}
    QMenu {{ border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 22px 5px 22px; }}
    QMenu::item:selected {{ background: {t.raised}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 8px; }}
    QMenuBar {{ background: {t.surface}; }}
    #muted {{ color: {t.muted}; }}
    #small {{ color: {t.muted}; font-size: 12px; }}
    #title {{ font-size: 15px; font-weight: 600; }}
    #headline {{ font-size: 26px; font-weight: 600; }}
    #warning {{ color: {t.accent}; font-weight: 600; }}
    #rule {{ background: {t.line}; max-height: 1px; min-height: 1px; }}
    QPushButton {{ background: {t.raised}; border: 1px solid transparent; border-radius: 6px; padding: 7px 14px; }}
    QPushButton:hover {{ background: {t.pressed}; }}
    QPushButton:pressed {{ background: {t.line}; }}
    QPushButton:focus {{ border: 1px solid {t.accent}; }}
    QPushButton:disabled {{ color: {t.muted}; background: transparent; border: 1px solid {t.line}; }}
    QPushButton[role="chief"] {{ background: {t.accent}; color: {t.on_accent}; font-weight: 600; }}
    QPushButton[role="chief"]:disabled {{ background: transparent; color: {t.muted}; }}
    QPushButton[role="link"] {{ background: transparent; color: {t.accent}; padding: 3px 6px; text-align: left; }}
    QPushButton[role="link"]:hover {{ background: {t.raised}; }}
    QPushButton[role="link"]:disabled {{ color: {t.muted}; border-color: transparent; }}
    QPushButton[role="choice"] {{ padding: 6px 10px; }}
    QPushButton[role="choice"]:checked {{ background: {t.strong}; color: {t.on_strong}; }}
    QPushButton[role="page"] {{ padding: 7px 4px; font-size: 12px; border-radius: 5px; }}
    QPushButton[role="page"]:checked {{ background: {t.strong}; color: {t.on_strong}; }}
    QPushButton[role="way"] {{ padding: 2px 9px; border-radius: 4px; font-size: 12px; }}
    QPushButton[role="way"]:checked {{ background: {t.strong}; color: {t.on_strong}; }}
    QToolButton {{ background: {t.raised}; border: 1px solid transparent; border-radius: 5px; padding: 2px;
        font-size: 12px; }}
    QToolButton:hover {{ background: {t.pressed}; }}
    QToolButton:focus {{ border: 1px solid {t.accent}; }}
    QToolButton:checked {{ background: {t.strong}; color: {t.on_strong}; }}
    #strong {{ font-weight: 600; }}
    QLineEdit, QComboBox, QAbstractSpinBox {{ background: {t.field}; border: 1px solid {t.line}; border-radius: 5px;
        padding: 5px 7px; }}
    QAbstractSpinBox::up-button, QAbstractSpinBox::down-button {{ width: 0; border: none; }}
    QLineEdit:focus, QComboBox:focus, QAbstractSpinBox:focus {{ border: 1px solid {t.accent}; }}
    QLineEdit:disabled, QComboBox:disabled, QAbstractSpinBox:disabled, QCheckBox:disabled {{ color: {t.muted};
        background: transparent; }}
    QComboBox::drop-down {{ border: none; width: 20px; }}
    QComboBox::down-arrow {{ image: url({_CHEVRON}); width: 12px; height: 12px; }}
    #sheet {{ background: {t.surface}; border: 1px solid {t.muted}; border-radius: 10px; }}
    QComboBox QAbstractItemView {{ background: {t.surface}; selection-background-color: {t.raised};
        selection-color: {t.text}; border: 1px solid {t.line}; }}
    QProgressBar {{ background: {t.line}; border: none; border-radius: 2px; }}
    QProgressBar::chunk {{ background: {t.accent}; border-radius: 2px; }}
    #solving {{ background: {t.mat}; border-radius: 0; }}
    QCheckBox {{ spacing: 8px; padding: 3px 0; }}
    QCheckBox:focus {{ color: {t.accent}; }}
    QCheckBox::indicator {{ width: 12px; height: 12px; border: 1px solid {t.muted}; border-radius: 3px; }}
    QCheckBox::indicator:checked {{ background: {t.accent}; border: 1px solid {t.accent}; }}
    QCheckBox::indicator:disabled {{ border: 1px solid {t.line}; }}
    QCheckBox::indicator:checked:disabled {{ background: {t.line}; }}
    QListWidget {{ background: {t.field}; border: 1px solid {t.line}; border-radius: 5px; padding: 3px; }}
    QListWidget:focus {{ border: 1px solid {t.accent}; }}
    QListWidget::item {{ padding: 4px 2px; border-radius: 4px; color: {t.text}; }}
    QListWidget::item:selected {{ background: {t.raised}; }}
    QListWidget::indicator {{ width: 12px; height: 12px; border: 1px solid {t.muted}; border-radius: 3px; }}
    QListWidget::indicator:checked {{ background: {t.accent}; border: 1px solid {t.accent}; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: {t.surface}; border: none; }}
    QScrollBar:vertical {{ background: transparent; width: 9px; }}
    QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 4px; min-height: 30px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    """
