"""What is brushed on colours, and tints with their patches, as numbers."""

import numpy as np
import pytest

from peel.errors import MarkError
from peel.job.edits import colouring
from peel.job.edits.edge_values import COLOUR, FINISH, EdgeTarget
from peel.job.edits.touching import SoftStroke
from peel.job.edits.values import use_matte
from peel.job.job import Job
from peel.job.settings import MOST_FINISH_AREAS, MOST_TINTS, Finish, Tint

SQUARE = ((10.0, 10.0), (60.0, 10.0), (60.0, 60.0), (10.0, 60.0))


@pytest.fixture
def job(disc_job: Job) -> Job:
    alpha = np.zeros((300, 420), np.float32)
    alpha[100:200, 100:300] = 1
    return use_matte(disc_job, alpha)


def _hard(x: float, y: float, radius: float = 12, strength: float = 1.0) -> SoftStroke:
    return SoftStroke(((x, y),), radius, softness=0, strength=strength)


def test_of_two_passes_of_one_sort_the_stronger_counts(job: Job) -> None:
    once = colouring.brush_tone(job, _hard(200, 104, strength=0.5), lighter=True)
    twice = colouring.brush_tone(once, _hard(200, 104, strength=0.25), lighter=True)
    darker = colouring.brush_tone(twice, _hard(200, 104, strength=0.75), lighter=False)
    full = colouring.brush_tone(job, _hard(200, 104), lighter=False)

    assert once.toning.read()[104, 200] == 128 + 64
    assert twice.toning.read()[104, 200] == 128 + 64
    assert darker.toning.read()[104, 200] == 128 - 95
    assert full.toning.read()[104, 200] == 1
    assert (once.toning.read() != 128).sum() == pytest.approx(np.pi * 12**2, rel=0.1)
    with pytest.raises(MarkError, match="No solid part"):
        colouring.brush_tone(job, _hard(20, 20), lighter=True)
    assert colouring.brush_tone(job, _hard(-50, 20), lighter=True) is job


def test_the_photo_s_colours_are_brushed_back_and_brushes_released(job: Job) -> None:
    original = colouring.brush_original(job, _hard(200, 104, strength=0.5))
    toned = colouring.brush_tone(original, _hard(240, 104), lighter=True)

    released = colouring.release_colours(toned, _hard(200, 104))

    assert original.original.read()[104, 200] == 128
    assert released.original.read()[104, 200] == 0
    assert released.toning.read()[104, 240] == 255
    assert colouring.release_colours(job, _hard(200, 104)) is job
    assert colouring.brush_original(job, _hard(-90, 104)) is job


def test_a_patch_belongs_to_the_tint_that_was_brushed_last(job: Job) -> None:
    two = colouring.add_tint(colouring.add_tint(job, Tint(saturation=0.4)), Tint(hue_deg=200.0))

    first = colouring.brush_tint(two, _hard(50, 50, strength=0.5), 1)
    stronger = colouring.brush_tint(first, _hard(50, 50, strength=0.25), 1)
    second = colouring.brush_tint(stronger, _hard(62, 50, strength=0.25), 2)
    less = colouring.brush_tint(second, _hard(50, 50, strength=0.5), 1, takes=True)
    gone = colouring.brush_tint(second, _hard(50, 50), 1, takes=True)

    def at(own: Job, x: int) -> tuple[int, int]:
        return int(own.patch.read()[50, x]), int(own.patch_weight.read()[50, x])

    assert at(first, 45) == at(stronger, 45) == (1, 128)
    assert at(second, 45) == (1, 128)
    assert at(second, 55) == (2, 64)
    assert at(less, 45) == (1, 64)
    assert at(less, 55) == (2, 64)
    assert at(gone, 45) == (0, 0)
    assert at(gone, 55) == (2, 64)
    for nothing in (0, 3):
        assert colouring.brush_tint(two, _hard(50, 50), nothing) is two
        assert colouring.change_tint(two, nothing, saturation=0.0) is two
        assert colouring.drop_tint(two, nothing) is two
    assert at(colouring.drop_tint(second, 1), 45) == (0, 0)
    assert at(colouring.drop_tint(second, 1), 55) == (1, 64)
    assert at(colouring.drop_tint(second, 2), 45) == (1, 128)
    changed = colouring.change_tint(second, 2, saturation=0.9)
    assert [tint.saturation for tint in changed.settings.photo.tints] == [0.4, 0.9]
    assert changed.settings.photo.tints[1].hue_deg == 200
    full = job.with_photo_settings(tints=(Tint(),) * (MOST_TINTS - 1))
    with pytest.raises(MarkError, match=f"{MOST_TINTS} tints"):
        colouring.add_tint(colouring.add_tint(full, Tint()), Tint())


def test_without_colours_nothing_is_corrected_anywhere(job: Job) -> None:
    own = COLOUR.add_area(job.with_recipe(colour={"clean": 0.9, "strand": {"clean": 0.2}}), SQUARE, clean=0.1)
    own = colouring.brush_original(own, _hard(200, 104))

    bare = colouring.without_colours(own)

    colour = bare.settings.recipe.colour
    assert (colour.clean, colour.detail, colour.roots, colour.spill_edge, colour.spill_inside) == (0, 0, 0, 0, 0)
    assert colour.strand is None
    assert bare.settings.photo.colour_areas == ()
    assert "original" not in bare.planes


def test_values_are_those_of_everything_of_a_kind_or_of_an_area(job: Job) -> None:
    own = FINISH.put(job, EdgeTarget("strand"), Finish(crisp=0.5))
    own = FINISH.changed(own, EdgeTarget(), {"pull_px": 1.5})
    own = FINISH.add_area(own, SQUARE, crisp=0.25)

    assert FINISH.of(own, EdgeTarget()).pull_px == 1.5
    assert FINISH.of(own, EdgeTarget("hard")) == FINISH.of(own, EdgeTarget())
    assert FINISH.of(own, EdgeTarget("strand")) == Finish(crisp=0.5)
    assert FINISH.of(own, EdgeTarget(area=0)) == Finish(pull_px=1.5, crisp=0.25)
    assert FINISH.of(own, EdgeTarget(area=1)) == Finish()
    assert FINISH.fade_of(own, EdgeTarget()) is None
    assert FINISH.fade_of(own, EdgeTarget(area=1)) is None
    assert FINISH.fade_of(FINISH.fade_area(own, 0, 33.0), EdgeTarget(area=0)) == 33
    assert FINISH.fade_area(own, 1, 33.0) is own
    same = FINISH.put(own, EdgeTarget("strand"), FINISH.of(own, EdgeTarget()))
    assert same.settings.recipe.finish.strand is None
    two = FINISH.add_area(own, SQUARE, crisp=0.75)
    assert [area.finish.crisp for area in FINISH.areas_of(FINISH.drop_area(two, 0))] == [0.75]
    assert [area.finish.crisp for area in FINISH.areas_of(FINISH.drop_area(two, 1))] == [0.25]
    assert len(FINISH.targets(two)) == len(FINISH.targets(job)) + 2
    full = job
    for _ in range(MOST_FINISH_AREAS):
        full = FINISH.add_area(full, SQUARE)
    with pytest.raises(MarkError, match="a profile of their own"):
        FINISH.add_area(full, SQUARE)
    with pytest.raises(MarkError, match="clear has to end below"):
        FINISH.changed(job, EdgeTarget(), {"clear_below": 0.9, "solid_above": 0.5})
