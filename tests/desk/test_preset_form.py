"""A preset on its own page: what it shows is what it gives back, and what a format cannot hold is said."""

import json
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image
from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QFileDialog, QPushButton
from pytestqt.qtbot import QtBot

from desk.hand import Hand
from peel.desk.deliver.deliver_desk import DeliverDesk
from peel.desk.deliver.preset_form import PresetForm
from peel.desk.steps import Step
from peel.files.presets import SHIPPED, own_folder, read_preset
from peel.job.edits.values import set_value
from peel.job.preset import FORMATS, Preset, SizeRule
from peel.job.settings import Backing, Delivery, SheetFrame

_SIZES = st.one_of(
    st.builds(SizeRule, fit=st.sampled_from(["longest", "width", "height"]), px=st.integers(1, 30_000)),
    st.builds(SizeRule, fit=st.just("scale"), scale=st.floats(0.001, 8)),
)
_FRAMES = st.one_of(
    st.none(),
    st.builds(SheetFrame, around=st.just("subject"), unit=st.just("%"), aspect=st.sampled_from([None, 1.0, 0.8])),
    st.builds(SheetFrame, top=st.floats(0, 90), size=st.just((40, 30))),
)
_BACKINGS = st.one_of(
    st.none(), st.builds(Backing, kind=st.just("colour"), colour=st.just("#c0ffee")), st.just(Backing(kind="pattern"))
)


@pytest.fixture
def form(qtbot: QtBot) -> PresetForm:
    form = PresetForm()
    qtbot.addWidget(form)
    return form


def _choose(choice: QComboBox, value: object) -> None:
    choice.setCurrentIndex(next(k for k in range(choice.count()) if choice.itemData(k) == value))
    choice.activated.emit(choice.currentIndex())


@pytest.mark.parametrize("path", sorted(SHIPPED.glob("*.json")), ids=lambda path: path.stem)
def test_shipped_presets_come_back_as_they_are(form: PresetForm, path: Path) -> None:
    preset = read_preset(path)
    form.show_preset(preset)
    assert form.preset() == preset
    assert form.keep.isEnabled()


def test_what_a_format_cannot_do_looks_like_it(hand: Hand) -> None:
    form = hand.bench.part(DeliverDesk).presets._panel.form
    hand.step("Deliver")
    form.show_preset(Preset(name="One", product="flat", format="jpeg"))
    dimmed = form.lossless.grab().toImage()
    form.show_preset(Preset(name="One", product="flat", format="webp"))
    live = form.lossless.grab().toImage()

    assert dimmed != live


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_any_preset_comes_back_as_it_is(form: PresetForm, data: st.DataObject) -> None:
    kind = data.draw(st.sampled_from(sorted(FORMATS)))
    able = FORMATS[kind]
    frame = data.draw(_FRAMES)
    product = data.draw(st.sampled_from(able.products))
    preset = Preset(
        name="One", product=product, format=kind, bits=able.bits[-1], alpha=(able.alpha or ("straight",))[-1],
        size=data.draw(_SIZES), frame=frame, framed=frame is None and product == "cutout",
        backing=data.draw(_BACKINGS), profile=data.draw(st.sampled_from(["photo", "srgb", "oprgb"])),
        intent=data.draw(st.sampled_from(["perceptual", "absolute"])), ppi=data.draw(st.one_of(st.none(), st.just(300))),
        metadata=data.draw(st.sampled_from(["kept", "stripped"])), existing=data.draw(st.sampled_from(["ask", "number"])),
        file_name=data.draw(st.sampled_from(["{name}", "{number:04}-{product}"])),
    )  # fmt: skip
    form.show_preset(preset)
    assert form.preset() == preset


def test_what_a_format_cannot_hold_is_said_with_what_can(form: PresetForm) -> None:
    form.show_preset(Preset(name="One", product="layers", format="ora"))
    _choose(form.format, "jpeg")
    assert form.says.text() == "JPEG cannot hold layers; OpenRaster can."
    assert not form.keep.isEnabled()
    with pytest.raises(ValidationError):
        form.preset()
    _choose(form.product, "cutout")
    _choose(form.format, "exr")  # bits and alpha follow, as only one of each fits
    assert (form.preset().bits, form.preset().alpha) == (16, "premultiplied")
    form.file_name.setText("../{name}")
    assert "cannot lead out of its folder" in form.says.text()
    form.file_name.setText("{name}-{weather}")
    assert "{weather} is no token" in form.says.text()
    form.name.setText("")
    assert not form.keep.isEnabled()


def test_only_frames_that_count_are_offered(form: PresetForm) -> None:
    form.show_preset(Preset(name="One", product="cutout"))
    assert form.frame.currentData() == "photo"
    _choose(form.product, "flat")
    assert form.frame.findData("photo") < 0  # a flat picture has the sheet's frame, or one of its own
    assert form.frame.currentData() == "sheet"
    _choose(form.product, "outline")
    _choose(form.format, "svg")
    assert not form.frame.isEnabled()
    assert not form.preset().is_framed


def test_what_ships_stays_and_what_a_job_remembers_can_be_shared(
    marked: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    own = Preset(name="Elsewhere", product="matte", file_name="{name}-elsewhere")
    marked.desk.edit(
        "Presets",
        lambda job: set_value(job, "recipe.delivery", Delivery().with_presets(["Elsewhere"], {own.name: own})),
    )
    marked.step("Deliver")
    shelf = marked.panel(Step.DELIVER).presets
    marked.wait(lambda: shelf.list.count() > 7)
    (remove,) = [part for part in shelf.findChildren(QPushButton) if part.text() == "Remove it"]
    shelf.choose("Shop, white")
    marked.press_text(shelf, "Change it")
    assert not remove.isEnabled()
    shelf.choose("Elsewhere")
    marked.press_text(shelf, "Change it")
    assert remove.isEnabled()
    shared = tmp_path / "shared.json"
    monkeypatch.setattr(QFileDialog, "exec", lambda _self: QFileDialog.DialogCode.Accepted)
    monkeypatch.setattr(QFileDialog, "selectedFiles", lambda _self: [str(shared)])
    marked.press_text(shelf, "Share it…")
    marked.wait(shared.exists)
    assert read_preset(shared) == own


def test_a_preset_changed_in_the_window_is_delivered_by_and_shared(
    marked: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def rest() -> None:
        marked.settle()
        marked.wait(lambda: marked.bench.part(DeliverDesk).is_idle)
        marked.rest()

    marked.step("Deliver")
    rest()
    panel = marked.panel(Step.DELIVER)
    panel.set_folder(tmp_path)
    shelf = panel.presets
    shelf.choose("Web, transparent")
    marked.press_text(shelf, "Change it")
    assert shelf.form.isVisible()
    marked.press_text(shelf, "Leave it")
    assert not shelf.form.isVisible()
    marked.press_text(shelf, "Change it")
    shelf.form.name.setText("Small and gray")
    _choose(shelf.form.product, "matte")
    _choose(shelf.form.format, "png")
    _choose(shelf.form.fit, "width")
    shelf.form.px.setValue(120)
    shelf.form.file_name.setText("{name}-small")
    marked.press_text(shelf, "Keep it")
    rest()
    assert marked.job.settings.recipe.delivery.presets == ("Small and gray",)
    assert marked.sees(panel, "disc-small.png")
    panel.go.click()
    marked.wait(lambda: "Writing" not in panel.written)
    with Image.open(tmp_path / "disc-small.png") as image:
        assert image.width == 120

    shared = tmp_path / "shared.json"
    monkeypatch.setattr(QFileDialog, "exec", lambda _self: QFileDialog.DialogCode.Accepted)
    monkeypatch.setattr(QFileDialog, "selectedFiles", lambda _self: [str(shared)])
    marked.press_text(shelf, "Change it")
    marked.press_text(shelf, "Share it…")
    rest()
    assert json.loads(shared.read_text())["file_name"] == "{name}-small"
    marked.press_text(shelf, "Remove it")
    rest()
    assert not list(own_folder().glob("Small*"))
    assert marked.job.settings.recipe.delivery.presets == ()
    assert shelf.list.findItems("Small and gray", Qt.MatchFlag.MatchExactly) == []


def test_a_dropped_preset_is_added_and_ticked(marked: Hand, tmp_path: Path) -> None:
    dropped = tmp_path / "order.json"
    dropped.write_text(json.dumps({"name": "Dropped", "product": "matte"}))
    marked.step("Backing")  # where pictures that are dropped stand on the sheet
    marked.bench.take_file(dropped)
    marked.wait(lambda: marked.job.settings.recipe.delivery.presets == ("Dropped",))
    assert marked.desk.step is Step.DELIVER
    (tmp_path / "bad.json").write_text('{"product": "cutout", "sise": 3}')
    marked.bench.take_file(tmp_path / "bad.json")
    marked.wait(lambda: "a setting that there is not: sise" in marked.window.message.text)


def test_a_preset_that_is_not_here_is_said_and_can_be_taken_off(marked: Hand) -> None:
    lost = Delivery().with_presets(["Lost"], {})
    marked.desk.edit("Presets", lambda job: set_value(job, "recipe.delivery", lost))
    marked.step("Deliver")
    panel = marked.panel(Step.DELIVER)
    marked.wait(lambda: marked.sees(panel, "the preset Lost, which is not here"))
    marked.wait(lambda: panel.presets.list.findItems("Lost", Qt.MatchFlag.MatchExactly) != [])
    (item,) = panel.presets.list.findItems("Lost", Qt.MatchFlag.MatchExactly)
    item.setCheckState(Qt.CheckState.Unchecked)
    marked.wait(lambda: marked.sees(panel, "disc-cutout.png"))
    assert marked.job.settings.recipe.delivery.presets == ()
