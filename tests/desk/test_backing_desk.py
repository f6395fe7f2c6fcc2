"""Backing in the window: a gradient laid by its ends and its colours, and a sheet with room around."""

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from desk.hand import Hand
from peel.desk.steps import Step
from peel.job.sheet import sheet_of
from peel.work.views import View


@pytest.fixture
def backing(marked: Hand) -> Hand:
    """A window with the disc solved, in Backing, on a gradient."""
    marked.step("Backing")
    marked.panel(Step.BACKING).graded.click()
    marked.settle()
    return marked


def test_a_gradient_is_laid_by_dragging_and_an_end_is_moved(backing: Hand) -> None:
    assert backing.desk.view is View.BACKING
    backing.command("Gradient")
    backing.drag([(40, 30), (150, 100), (380, 270)])
    backing.settle()
    own = backing.job.settings.recipe.backing.gradient
    assert own.start == pytest.approx((40 / 420, 30 / 300), abs=0.01)
    assert own.end == pytest.approx((380 / 420, 270 / 300), abs=0.01)
    assert backing.session.history.undo_label == "Gradient"

    backing.drag([(380, 270), (380, 150), (380, 60)])
    backing.settle()
    own = backing.job.settings.recipe.backing.gradient
    assert own.start == pytest.approx((40 / 420, 30 / 300), abs=0.01)
    assert own.end == pytest.approx((380 / 420, 60 / 300), abs=0.01)
    backing.command("Undo")
    backing.settle()
    assert backing.job.settings.recipe.backing.gradient.end == pytest.approx((380 / 420, 270 / 300), abs=0.01)


def test_colours_are_added_dragged_set_turned_and_taken_away(backing: Hand) -> None:
    panel = backing.panel(Step.BACKING)
    bar = panel.bar
    middle = QPoint(bar.width() // 2, 12)
    QTest.mouseClick(bar, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle)
    backing.settle()
    stops = backing.job.settings.recipe.backing.gradient.stops
    assert len(stops) == 3
    assert stops[1].at == pytest.approx(0.5, abs=0.02)
    backing.press("swatch #c8553d")
    backing.settle()
    assert backing.job.settings.recipe.backing.gradient.stops[1].colour == "#c8553d"
    backing.press("turn gradient")
    backing.settle()
    turned = backing.job.settings.recipe.backing.gradient.stops
    assert [stop.colour for stop in turned] == [
        stop.colour for stop in reversed((stops[0], stops[1].model_copy(update={"colour": "#c8553d"}), stops[2]))
    ]
    QTest.keyClick(bar, Qt.Key.Key_Delete)
    backing.settle()
    assert len(backing.job.settings.recipe.backing.gradient.stops) == 2
    panel.angle.set_value(0)
    panel.extent.set_value(50)
    panel.is_round.click()
    backing.settle()
    own = backing.job.settings.recipe.backing.gradient
    assert own.shape == "round"
    assert own.end[1] == pytest.approx(own.start[1], abs=1e-6)
    assert (own.end[0] - own.start[0]) * 420 == pytest.approx(150, abs=2)


def test_a_colour_is_added_beyond_the_last_one(backing: Hand) -> None:
    panel = backing.panel(Step.BACKING)
    stops = backing.job.settings.recipe.backing.gradient.stops
    inward = tuple(stop.model_copy(update={"at": stop.at / 2}) for stop in stops)
    panel.bar.changed.emit(inward, False)
    backing.settle()
    far = QPoint(panel.bar.width() - 30, 12)

    QTest.mouseClick(panel.bar, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, far)
    backing.settle()

    made = backing.job.settings.recipe.backing.gradient.stops
    assert len(made) == 3
    assert made[2].colour == made[1].colour == panel.code.text()


def test_room_around_is_seen_and_the_photo_stays_under_the_cursor(backing: Hand) -> None:
    panel = backing.panel(Step.BACKING)
    panel.margins["left"].set_value(100)
    panel.margins["top"].set_value(50)
    backing.settle()
    assert (sheet_of(backing.job).space.height, sheet_of(backing.job).space.width) == (350, 520)
    assert "520 × 350" in panel._size.text()
    panel.around.setCurrentIndex(1)
    panel.around.activated.emit(1)
    panel.aspect.setCurrentIndex(1)
    panel.aspect.activated.emit(1)
    backing.settle()
    space = sheet_of(backing.job).space
    assert abs(space.height - space.width) <= 1
    image = backing.bench.canvas.grab().toImage()
    middle, beside = (image.pixelColor(backing.at(x, 150)) for x in (210, 110))
    assert middle.red() > middle.blue() + 60  # the orange disc stands where the photo says
    assert abs(beside.red() - beside.blue()) < 30
