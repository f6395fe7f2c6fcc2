"""The guide inside Peel: the page of the present step, in a plain text browser over the picture."""

from pathlib import Path
from typing import Final

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QImage, QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QTextBrowser, QVBoxLayout, QWidget

from peel.desk.controls.over_picture import OverPicture
from peel.desk.steps import Step

__all__ = ["GUIDE", "GuideView"]

_INSIDE: Final = Path(__file__).parent.parent / "guide"  # in an installed Peel
GUIDE: Final = _INSIDE / "guide" if _INSIDE.is_dir() else Path(__file__).parents[3] / "docs" / "guide"


class _Browser(QTextBrowser):
    """Shows Markdown pages and their pictures, no wider than it is."""

    def loadResource(self, _kind: int, name: QUrl | str) -> object:  # noqa: N802 - Qt's name
        """Load a page or a picture from the guide's own folders; nothing else is ever loaded."""
        text = name if isinstance(name, str) else name.toString()
        path = (GUIDE / text.removeprefix("file:")).resolve()
        if GUIDE.parent.resolve() not in path.parents or not path.is_file():
            return ""
        if path.suffix == ".md":
            return path.read_text("utf-8")
        image = QImage(str(path))
        width = max(self.viewport().width() - 60, 200)
        return (
            image.scaledToWidth(width, Qt.TransformationMode.SmoothTransformation) if image.width() > width else image
        )


class GuideView(OverPicture):
    """Lies over the picture; Escape takes it away."""

    def __init__(self, picture: QWidget) -> None:
        super().__init__(picture, "surface")
        self.browser = _Browser()
        self.browser.setOpenLinks(False)
        self.browser.anchorClicked.connect(lambda url: self.turn_to(url.fileName()))
        self.browser.setAccessibleName("The guide")
        self.browser.document().setDocumentMargin(18)
        self.page = ""
        index, done = QPushButton("All pages"), QPushButton("Back to the picture")
        index.setObjectName("guide index")
        index.clicked.connect(lambda _checked=False: self.turn_to("index.md"))
        done.setObjectName("end guide")
        done.clicked.connect(lambda _checked=False: self.hide())
        line = QHBoxLayout()
        line.addWidget(index)
        line.addStretch(1)
        line.addWidget(done)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 10, 10)
        column.addLayout(line)
        column.addWidget(self.browser, 1)

    def show_step(self, step: Step) -> None:
        """Show the page of a step."""
        self.settle()
        self.turn_to(f"{step.value.lower()}.md")
        self.browser.setFocus()

    def turn_to(self, name: str) -> None:
        """Show a page by its file's name; one that is not there shows the list of all."""
        path = GUIDE / name
        path = path if path.is_file() else GUIDE / "index.md"
        self.page = path.name
        self.browser.setMarkdown(path.read_text("utf-8"))
        self.browser.moveCursor(self.browser.textCursor().MoveOperation.Start)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Go back by Escape."""
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        else:
            super().keyPressEvent(event)
