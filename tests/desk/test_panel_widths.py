"""No panel asks for more width than the column beside the picture has: nothing in it is cut off."""

import pytest

from desk.hand import Hand
from peel.desk.steps import Step

_PAGES = {Step.BACKING: ("Behind", "Cutouts", "Match", "Shadow", "Frame")}


@pytest.mark.parametrize("step", list(Step), ids=lambda step: step.name.lower())
def test_a_panel_fits_its_column(marked: Hand, step: Step) -> None:
    marked.desk.show_step(step)
    panel, column = marked.panel(step), marked.bench.side.scroller.viewport()
    for page in _PAGES.get(step, ("",)):
        if page:
            panel.turn_to(page)
        kinds = panel.behind.kinds.values() if page == "Behind" else (None,)
        for kind in kinds:
            if kind is not None:
                kind.click()
            marked.settle()
            if step is Step.DELIVER:
                panel.presets.choose("Shop, white")
                panel.presets.change()
                marked.rest()
            assert panel.minimumSizeHint().width() <= column.width(), page
