"""The shelf: this step's tools, the brush's size, what a press will do, the views, and the zoom."""

from dataclasses import replace

from PySide6.QtCore import QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QButtonGroup,
    QCheckBox,
    QColorDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMenu,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from peel.desk.controls.icons import draw_icon
from peel.desk.controls.labels import words
from peel.desk.controls.number_field import NumberField
from peel.desk.desk_state import DeskState
from peel.desk.theme import current
from peel.desk.tools.tool import Amount, Choice, Tool
from peel.work.views import View

__all__ = ["Shelf"]

_HEIGHT = 92
_NOTED_MS = 2500


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
        return QSize(self.fontMetrics().horizontalAdvance(self.text()) + 62, 34)

    def minimumSizeHint(self) -> QSize:
        """Do without the key in a narrow window."""
        return QSize(self.fontMetrics().horizontalAdvance(self.text()) + 40, 34)

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
        draw_icon(painter, self.text(), QRectF(6, 8, 18, 18), ink)
        font = self.font()
        font.setWeight(font.Weight.DemiBold)
        painter.setFont(font)
        painter.setPen(ink)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(27, 0, self.width() - 29, self.height()), middle, self.text())
        if self.width() < self.sizeHint().width():
            return
        font.setWeight(font.Weight.Normal)
        font.setPixelSize(12)
        painter.setFont(font)
        painter.setPen(ink if chosen else theme.colour("muted"))
        right = QRectF(0, 0, self.width() - 9, self.height())
        painter.drawText(right, middle | Qt.AlignmentFlag.AlignRight, self.tool.key_name)


class Shelf(QWidget):
    """The bottom of the window: shows the desk's tools and views, and lets them be chosen."""

    def __init__(self, desk: DeskState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
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
        self._tools.setSpacing(3)
        row.addLayout(self._tools)
        self.brush_size = NumberField("size", low=2, high=1200, default=80, unit="px", curve=2.5,
                                tip="Width of the brush in pixels of the photo ([ and ])")  # fmt: skip
        self.brush_size.setFixedWidth(108)
        self.brush_size.changed.connect(lambda value, _dragged: desk.set_brush(value))
        row.addStretch(1)
        self._views = self._view_buttons(row)
        self._zoom_buttons(row)
        self._sentence = words("")
        self._sentence.setWordWrap(False)
        self._sentence.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        below = QHBoxLayout()
        below.setSpacing(8)
        self._ways = QHBoxLayout()
        self._ways.setSpacing(0)
        below.addWidget(self.brush_size)
        self._amounts = QHBoxLayout()
        self._amounts.setSpacing(0)
        below.addLayout(self._amounts)
        self._shape_fields(below)
        below.addLayout(self._ways)
        below.addWidget(self._latch_button())
        below.addWidget(self._sentence, 1)
        column.addLayout(below)
        self._buttons: list[_ToolButton] = []
        self._amount: Amount | None = None
        self._amount_field: NumberField | None = None
        self._noted = QTimer(self, singleShot=True, interval=_NOTED_MS)
        self._noted.timeout.connect(self.say_what_a_press_does)
        desk.step_changed.connect(self._show_tools)
        desk.tool_changed.connect(self._show_tool)
        desk.ways_changed.connect(self._show_tool)
        desk.view_changed.connect(self._show_view)
        desk.wipe_changed.connect(lambda: self._wipe.setChecked(desk.wipes))
        desk.brush_changed.connect(self._show_shape)
        desk.look_changed.connect(self._show_lift)
        desk.noted.connect(self._note)
        self._show_shape()

    def _shape_fields(self, row: QHBoxLayout) -> None:
        """Add softness and strength, and what a pen drives of the brush."""
        desk = self._desk
        self.softness = NumberField("softness", low=0, high=100, default=50, unit="%",
                                    tip="Share of the brush over which it fades to its rim")  # fmt: skip
        self.strength = NumberField("strength", low=5, high=100, default=100, unit="%",
                                    tip="How much of its effect one pass has")  # fmt: skip
        self.softness.changed.connect(lambda value, _dragged: desk.shape_brush(softness=value / 100))
        self.strength.changed.connect(lambda value, _dragged: desk.shape_brush(strength=value / 100))
        self.pen_sizes, self.pen_strengthens = QCheckBox("pen: size"), QCheckBox("pen: strength")
        self.pen_sizes.clicked.connect(lambda on: desk.shape_brush(pen_sizes=on))
        self.pen_strengthens.clicked.connect(lambda on: desk.shape_brush(pen_strengthens=on))
        for box, what in ((self.pen_sizes, "width"), (self.pen_strengthens, "strength")):
            box.setToolTip(f"A pen's pressure drives the brush's {what}")
            box.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        for field in (self.softness, self.strength):
            field.setFixedWidth(96)
        for widget in (self.softness, self.strength, self.pen_sizes, self.pen_strengthens):
            row.addWidget(widget)

    def _show_shape(self) -> None:
        shape = self._desk.brush_shape
        self.brush_size.show_value(self._desk.brush_px)
        self.softness.show_value(shape.softness * 100)
        self.strength.show_value(shape.strength * 100)
        self.pen_sizes.setChecked(shape.pen_sizes)
        self.pen_strengthens.setChecked(shape.pen_strengthens)

    def _view_buttons(self, row: QHBoxLayout) -> dict[View, QPushButton]:
        buttons = {}
        row.setSpacing(4)
        menu = QMenu(self)
        for number, view in enumerate(View, 1):
            if view in _MORE:
                action = menu.addAction(f"{view.value}\t{number % 10}" if number <= _KEYS else view.value)
                action.setToolTip(f"Show {_MEANING[view]}")
                action.triggered.connect(lambda _checked=False, view=view: self._desk.show_view(view))
                continue
            button = QPushButton(view.value)
            button.setProperty("role", "page")
            button.setProperty("view", view.value)
            button.setCheckable(True)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.setToolTip(f"Show {_MEANING[view]} ({number}; hold to peek)")
            button.clicked.connect(lambda _checked=False, view=view: self._desk.show_view(view))
            row.addWidget(button)
            buttons[view] = button
        self._more = QPushButton("More")
        self._more.setProperty("role", "page")
        self._more.setCheckable(True)
        self._more.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._more.setToolTip("Show " + "; ".join(f"{view.value}: {_MEANING[view]}" for view in _MORE))
        menu.addSeparator()
        menu.addAction("Loud's colour…", self._choose_loud)
        menu.addAction("Grey's tone…", self._choose_grey)
        menu.setToolTipsVisible(True)
        self._more.setMenu(menu)
        row.addWidget(self._more)
        self._wipe = QPushButton("Wipe")
        self._wipe.setProperty("role", "page")
        self._wipe.setCheckable(True)
        self._wipe.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._wipe.setToolTip("Show the untouched photo left of a line that can be dragged (W)")
        self._wipe.clicked.connect(self._desk.show_wipe)
        row.addWidget(self._wipe)
        self._lift = QPushButton("Lift")
        self._lift.setObjectName("lift")
        self._lift.setProperty("role", "page")
        self._lift.setCheckable(True)
        self._lift.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._lift.setToolTip("Show what lies in the dark; once more, in the light; for the eye only (Home)")
        self._lift.clicked.connect(lambda _checked=False: self._desk.lift_next())
        row.addWidget(self._lift)
        return buttons

    def _choose_loud(self) -> None:
        """Let Loud's colour be chosen."""
        colour = QColorDialog.getColor(QColor(self._desk.look.loud), self.window(), "Loud's colour")
        if colour.isValid():
            self._desk.choose_loud(colour.name())
            self._desk.show_view(View.LOUD)

    def _choose_grey(self) -> None:
        """Let Grey's tone be chosen."""
        now = round(QColor(self._desk.look.grey).lightnessF() * 100)
        tone, is_chosen = QInputDialog.getInt(self.window(), "Grey's tone", "Tone in %, 0 is black", now, 0, 100)
        if is_chosen:
            part = round(tone / 100 * 255)
            self._desk.set_look(lambda look: replace(look, grey=QColor(part, part, part).name()))
            self._desk.show_view(View.GREY)

    def _show_lift(self) -> None:
        lift = self._desk.look.lift
        self._lift.setChecked(bool(lift))
        self._lift.setText({"": "Lift", "shadows": "Darks", "highlights": "Lights"}[lift])

    def _zoom_buttons(self, row: QHBoxLayout) -> None:
        row.addSpacing(6)
        for text, tip, news in (
            ("Fit", "Show the whole photo (Ctrl+0)", self._desk.ask.fit),
            ("100 %", "One screen pixel for a pixel of the photo (Ctrl+1)", self._desk.ask.full_size),
        ):
            button = QPushButton(text)
            button.setProperty("role", "link")
            button.setToolTip(tip)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(news)
            row.addWidget(button)
        self._zoom = QLabel("100 %")
        self._zoom.setObjectName("muted")
        self._zoom.setFixedWidth(50)
        self._zoom.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self._zoom)

    def _latch_button(self) -> QPushButton:
        self._latch = QPushButton("Other way round")
        self._latch.setObjectName("latch")
        self._latch.setProperty("role", "way")
        self._latch.setCheckable(True)
        self._latch.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._latch.setToolTip("Every press does what the right button does, until this is pressed again (U)")
        self._latch.clicked.connect(lambda _checked=False: self._desk.turn_round())
        return self._latch

    def _show_tools(self) -> None:
        """Put the step's tools on the shelf."""
        tools = self._desk.tools[self._desk.step]
        for old in self._buttons:
            self._tools.removeWidget(old)
            old.hide()
            old.deleteLater()
        self._buttons = [_ToolButton(tool, self) for tool in tools]
        for button in self._buttons:
            self._tools.addWidget(button)
            button.clicked.connect(lambda _checked=False, tool=button.tool: self._desk.take_up(tool))

    def _show_tool(self) -> None:
        """Show which tool is in the hand, and what a press does."""
        tool = self._desk.tool
        for button in self._buttons:
            button.setChecked(button.tool is tool)
        for widget in (self.brush_size, self.pen_sizes):
            widget.setVisible(tool is not None and tool.sized)
        for widget in (self.softness, self.strength, self.pen_strengthens):
            widget.setVisible(tool is not None and tool.shaped)
        self._show_amount(tool)
        self._show_ways(tool)
        self._latch.setVisible(tool is not None and tool.reverses)
        self._latch.setChecked(self._desk.is_reversed)
        self.say_what_a_press_does()

    def _show_amount(self, tool: Tool | None) -> None:
        """Show the number that a tool works by."""
        amount = tool.amount if tool is not None else None
        if amount is not self._amount or self._amount_field is None:
            _empty(self._amounts)
            self._amount, self._amount_field = amount, None
            if amount is not None:
                field = NumberField(amount.name, low=amount.low, high=amount.high, default=amount.value, tip=amount.tip)
                field.setFixedWidth(118)
                field.changed.connect(lambda value, _dragged: setattr(amount, "value", value))
                self._amounts.addWidget(field)
                self._amount_field = field
        if amount is not None and self._amount_field is not None:
            self._amount_field.show_value(amount.value)

    def _show_ways(self, tool: Tool | None) -> None:
        """Put the ways in which a tool works beside what its press will do."""
        _empty(self._ways)
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
        self._desk.ways_changed.emit()

    def say_what_a_press_does(self, *, turned: bool = False) -> None:
        """Say what a press will do; `turned` while something that is held turns it round."""
        tool = self._desk.tool
        if self._noted.isActive() and not turned:
            return
        self._sentence.setText(tool.sentence(reverse=turned != self._desk.is_reversed) if tool is not None else "")

    def _note(self, words: str) -> None:
        """Say for a moment what was just done."""
        self._sentence.setText(words)
        self._noted.start()

    @property
    def sentence(self) -> str:
        """What is said of the next press."""
        return self._sentence.text()

    def _show_view(self) -> None:
        """Show which view is chosen."""
        for other, button in self._views.items():
            button.setChecked(other is self._desk.view)
        self._more.setChecked(self._desk.view in _MORE)
        self._more.setText(self._desk.view.value if self._desk.view in _MORE else "More")

    def show_zoom(self, scale: float) -> None:
        """Show the zoom."""
        self._zoom.setText(f"{scale * 100:.0f} %" if scale >= 0.1 else f"{scale * 100:.1f} %")


def _empty(row: QHBoxLayout) -> None:
    """Take everything out of a row."""
    while (item := row.takeAt(0)) is not None:
        old = item.widget()
        if old is not None:
            old.setObjectName("")  # gone for whoever looks it up, though Qt deletes it later
            old.hide()
            old.deleteLater()


_KEYS = 10  # views that have a number key

_MEANING = {
    View.PHOTO: "the untouched photo",
    View.ZONES: "subject, backdrop and the unsure band",
    View.MATTE: "the matte alone: white is subject",
    View.WHITE: "the cutout on white",
    View.BLACK: "the cutout on black",
    View.LOUD: "the cutout on the colour that differs most from its edge",
    View.BACKING: "the cutout on its backing",
    View.TONE: "the separation between its ends: white is surely subject",
    View.FAINT: "the matte with what is nearly clear or nearly solid made plain",
    View.RESIDUE: "where the cutout, laid back over the clean backdrop, differs from the photo",
    View.CHANGED: "what the last step added to the matte, white, or took from it, orange",
    View.RECOLOURED: "what was changed of the photo's colours, brightened; gray is unchanged",
    View.GREY: "the cutout on a grey of any tone",
    View.SECOND: "the second frame, as it lies over the photo",
    View.RIMS: "by how much the edge is lighter, darker or tinted against the subject further in, brightened",
}
_MORE = (View.TONE, View.FAINT, View.RESIDUE, View.CHANGED, View.RECOLOURED, View.RIMS, View.SECOND, View.GREY)
