"""Small drawings for the tools: SVG files drawn for Peel, tinted to the theme."""

from functools import lru_cache
from pathlib import Path
from typing import Final

from PySide6.QtCore import QByteArray, QRectF
from PySide6.QtGui import QColor, QPainter
from PySide6.QtSvg import QSvgRenderer

__all__ = ["draw_icon"]

_ICONS: Final = Path(__file__).parent.parent / "assets" / "icons"
_INK: Final = "#000000"  # as the files are drawn


@lru_cache(maxsize=128)
def _renderer(name: str, colour: str) -> QSvgRenderer:
    drawn = (_ICONS / f"{name.lower().replace(' ', '-')}.svg").read_text("utf-8")
    return QSvgRenderer(QByteArray(drawn.replace(_INK, colour).encode()))


def draw_icon(painter: QPainter, name: str, rect: QRectF, colour: QColor) -> None:
    """Draw a tool's picture into a square; main thread only."""
    _renderer(name, colour.name()).render(painter, rect)
