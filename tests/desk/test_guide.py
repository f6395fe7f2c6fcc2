"""The guide inside Peel: a page for each step, with its pictures, and every link leads somewhere."""

import re

import pytest
from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest

from desk.hand import Hand
from peel.desk.guide import GUIDE
from peel.desk.steps import Step


@pytest.mark.parametrize("page", sorted(GUIDE.glob("*.md")), ids=lambda path: path.stem)
def test_links_and_pictures_of_a_page_are_there(page) -> None:
    for target in re.findall(r"\]\(([^)]+)\)", page.read_text("utf-8")):
        assert (page.parent / target).is_file(), target


def test_the_page_of_the_step_is_shown_by_its_key(marked: Hand) -> None:
    guide = marked.bench.guide
    for step in Step:
        marked.desk.show_step(step)
        marked.command("Guide")
        assert guide.isVisible()
        assert guide.page == f"{step.value.lower()}.md"
        assert step.value in guide.browser.toPlainText()
        marked.command("Guide")
        assert not guide.isVisible()
    marked.command("Guide")
    marked.press("guide index")
    assert guide.page == "index.md"
    guide.browser.anchorClicked.emit(QUrl("board.md"))
    assert "Overnight" in guide.browser.toPlainText()
    assert isinstance(guide.browser.loadResource(2, QUrl("../screenshots/edge.png")), QImage)
    assert guide.browser.loadResource(2, QUrl("../../README.md")) == ""
    QTest.keyClick(guide, Qt.Key.Key_Escape)
    assert not guide.isVisible()
