"""The shelf: this step's tools, the brush's size, what a press will do, the views, and the zoom."""

from collections.abc import Sequence

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from peel.desk.controls.icons import draw_icon
from peel.desk.controls.number_field import NumberField
from peel.desk.theme import current
from peel.desk.tools.tool import Choice, Tool
from peel.work.views import View

__all__ = ["Shelf"]

_HEIGHT = 92


class _ToolButton(QAbstractButton):
    """A tool as a word, with a small drawing and its key."""

    def __init__(self, tool: Tool, parent: QWidget) -> None:
        super().__init__(parent)
        self.tool = tool
        self.setText(tool.name)
        self.setObjectName(f"tool {tool.name}")
        self.setAccessibleName(f"{tool.name} tool")
        self.setToolTip(f"{tool.sentence()} ({tool.key_name})")
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def sizeHint(self) -> QSize:
        """Ask for drawing, word and key."""
        return QSize(self.fontMetrics().horizontalAdvance(self.text()) + 60, 34)

    def minimumSizeHint(self) -> QSize:
        """Do without the key in a narrow window."""
        return QSize(self.fontMetrics().horizontalAdvance(self.text()) + 44, 34)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint the button."""
        theme = current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = self.isChecked()
        painter.setPen(theme.colour("accent") if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("accent" if chosen else "pressed" if self.underMouse() else "raised"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6)
        ink = theme.colour("on_accent" if chosen else "text")
        draw_icon(painter, self.text(), QRectF(8, 8, 18, 18), ink)
        font = self.font()
        font.setWeight(font.Weight.DemiBold)
        painter.setFont(font)
        painter.setPen(ink)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(31, 0, self.width() - 37, self.height()), middle, self.text())
        if self.width() < self.sizeHint().width():
            return
        font.setWeight(font.Weight.Normal)
        font.setPixelSize(12)
        painter.setFont(font)
        painter.setPen(ink if chosen else theme.colour("muted"))
        right = QRectF(0, 0, self.width() - 9, self.height())
        painter.drawText(right, middle | Qt.AlignmentFlag.AlignRight, self.tool.key_name)


class Shelf(QWidget):
    """The bottom of the window.

    Signals
    -------
    tool_chosen : (object,)
        A Tool.
    size_changed : (float,)
        The brush's diameter in photo pixels.
    view_chosen : (View,)
    wipe_toggled : (bool,)
    fit_pressed, full_size_pressed : ()
    way_chosen : ()
        The tool in the hand is to work in another way.
    """

    tool_chosen = Signal(object)
    size_changed = Signal(float)
    view_chosen = Signal(View)
    wipe_toggled = Signal(bool)
    fit_pressed = Signal()
    full_size_pressed = Signal()
    way_chosen = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("surface")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(_HEIGHT)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 7, 12, 6)
        column.setSpacing(4)
        row = QHBoxLayout()
        row.setSpacing(6)
        column.addLayout(row)
        self._tools = QHBoxLayout()
        self._tools.setSpacing(6)
        row.addLayout(self._tools)
        self.brush_size = NumberField("size", low=2, high=1200, default=80, unit="px", curve=2.5,
                                tip="Width of the brush in pixels of the photo ([ and ])")  # fmt: skip
        self.brush_size.setFixedWidth(108)
        self.brush_size.changed.connect(lambda value, _dragged: self.size_changed.emit(value))
        row.addStretch(1)
        self._views = self._view_buttons(row)
        self._zoom_buttons(row)
        self._sentence = QLabel()
        self._sentence.setObjectName("small")
        self._sentence.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        below = QHBoxLayout()
        below.setSpacing(8)
        self._ways = QHBoxLayout()
        self._ways.setSpacing(0)
        below.addWidget(self.brush_size)
        below.addLayout(self._ways)
        below.addWidget(self._sentence, 1)
        column.addLayout(below)
        self._way_buttons: list[QPushButton] = []
        self._buttons: list[_ToolButton] = []

    def _view_buttons(self, row: QHBoxLayout) -> dict[View, QPushButton]:
        buttons = {}
        row.setSpacing(4)
        for number, view in enumerate(View, 1):
            button = QPushButton(view.value)
            button.setObjectName("choice")
            button.setProperty("view", view.value)
            button.setCheckable(True)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.setToolTip(f"Show {_MEANING[view]} ({number}; hold to peek)")
            button.clicked.connect(lambda _checked=False, view=view: self.view_chosen.emit(view))
            row.addWidget(button)
            buttons[view] = button
        self._wipe = QPushButton("Wipe")
        self._wipe.setObjectName("choice")
        self._wipe.setCheckable(True)
        self._wipe.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._wipe.setToolTip("Show the untouched photo left of a line that can be dragged (W)")
        self._wipe.clicked.connect(self.wipe_toggled)
        row.addWidget(self._wipe)
        return buttons

    def _zoom_buttons(self, row: QHBoxLayout) -> None:
        row.addSpacing(6)
        for text, tip, news in (
            ("Fit", "Show the whole photo (Ctrl+0)", self.fit_pressed),
            ("100 %", "One screen pixel for a pixel of the photo (Ctrl+1)", self.full_size_pressed),
        ):
            button = QPushButton(text)
            button.setObjectName("link")
            button.setToolTip(tip)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(news)
            row.addWidget(button)
        self._zoom = QLabel("100 %")
        self._zoom.setObjectName("muted")
        self._zoom.setFixedWidth(50)
        self._zoom.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self._zoom)

    def show_tools(self, tools: Sequence[Tool]) -> None:
        """Put a step's tools on the shelf."""
        for old in self._buttons:
            self._tools.removeWidget(old)
            old.hide()
            old.deleteLater()
        self._buttons = [_ToolButton(tool, self) for tool in tools]
        for button in self._buttons:
            self._tools.addWidget(button)
            button.clicked.connect(lambda _checked=False, tool=button.tool: self.tool_chosen.emit(tool))

    def show_tool(self, tool: Tool | None) -> None:
        """Show which tool is in the hand."""
        for button in self._buttons:
            button.setChecked(button.tool is tool)
        self.brush_size.setVisible(tool is not None and tool.sized)
        self._show_ways(tool)
        self.show_sentence(tool.sentence() if tool is not None else "")

    def _show_ways(self, tool: Tool | None) -> None:
        """Put the ways in which a tool works beside what its press will do."""
        while (item := self._ways.takeAt(0)) is not None:
            old = item.widget()
            if old is not None:
                old.setObjectName("")  # gone for whoever looks it up, though Qt deletes it later
                old.hide()
                old.deleteLater()
        for choice in tool.choices if tool is not None else ():
            group = QButtonGroup(self)
            for number, label in enumerate(choice.labels):
                button = QPushButton(label)
                button.setObjectName(f"way {label}")
                button.setProperty("role", "way")
                button.setCheckable(True)
                button.setChecked(number == choice.chosen)
                button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                key = f" ({choice.key_name})" if choice.key_name else ""
                button.setToolTip(f"{choice.tip}{key}")
                button.setAccessibleName(f"{choice.name}: {label}")
                button.clicked.connect(
                    lambda _checked=False, choice=choice, number=number: self._choose(choice, number)
                )
                group.addButton(button)
                self._ways.addWidget(button)
            self._ways.addSpacing(10)

    def _choose(self, choice: Choice, number: int) -> None:
        choice.chosen = number
        self.way_chosen.emit()

    def show_sentence(self, sentence: str) -> None:
        """Say what a press will do."""
        self._sentence.setText(sentence)

    def show_view(self, view: View) -> None:
        """Show which view is chosen."""
        for other, button in self._views.items():
            button.setChecked(other is view)

    def show_wipe(self, on: bool) -> None:
        """Show whether the wipe line is there."""
        self._wipe.setChecked(on)

    def show_zoom(self, scale: float) -> None:
        """Show the zoom."""
        self._zoom.setText(f"{scale * 100:.0f} %" if scale >= 0.1 else f"{scale * 100:.1f} %")


_MEANING = {
    View.PHOTO: "the untouched photo",
    View.ZONES: "subject, backdrop and the unsure band",
    View.MATTE: "the matte alone: white is subject",
    View.WHITE: "the cutout on white",
    View.BLACK: "the cutout on black",
    View.LOUD: "the cutout on the colour that differs most from its edge",
    View.BACKING: "the cutout on its backing",
}
