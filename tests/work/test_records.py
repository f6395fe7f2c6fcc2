"""Facts that stand in one record: kinds of edge, sorts of snag, formats. Each is complete, and a new one would fit in."""

import numpy as np
import pytest
from pydantic import ValidationError

from peel.files.encoding import Encoding, encoded_picture
from peel.job.preset import FORMATS, Preset
from peel.job.settings import EdgeColour, Finish, JobSettings
from peel.job.settings.base import SettingsModel
from peel.job.settings.edges import KIND_IDS, by_kind, own_of
from peel.matte.edge.kind import KINDS, Kind
from peel.matte.edge.kinds import kinds_from_gray
from peel.matte.inspect.sorts import LEAST_PX, SnagSort
from peel.work.inspecting.snag_specs import SNAGS
from peel.work.kind_looks import KIND_LOOKS, kind_pattern
from peel.work.views import View


def test_every_kind_has_a_record_a_gray_level_of_its_own_and_a_pattern_of_its_own() -> None:
    assert list(KINDS) == list(KIND_LOOKS) == list(Kind)
    levels = [spec.mask_level for spec in KINDS.values()]
    assert len(set(levels)) == len(levels)
    assert min(levels) > 0
    assert max(levels) < 256
    drawn = np.array([[0, *levels, 3]], np.uint8)
    assert kinds_from_gray(drawn).tolist() == [[0, *Kind, 0]]
    rows, columns = np.arange(40, dtype=np.int32)[:, None], np.arange(40, dtype=np.int32)[None]
    patterns = {kind_pattern(kind, rows, columns, 6).tobytes() for kind in (None, *Kind)}
    assert len(patterns) == len(Kind) + 1


def test_whatever_the_kinds_are_the_settings_hold_a_value_for_each() -> None:
    for values, value in ((JobSettings().recipe.finish, Finish), (JobSettings().recipe.colour, EdgeColour)):
        assert own_of(values) == {}
        for name in KIND_IDS:
            own = values.model_copy(update={name: value()})
            assert own_of(own) == {name: value()}
            assert type(values).model_validate_json(own.model_dump_json()) == own


def test_a_value_by_kind_takes_no_kind_that_there_is_not() -> None:
    made = by_kind(Finish, SettingsModel)

    assert made(hard=Finish(pull_px=1)).hard.pull_px == 1
    with pytest.raises(ValidationError):
        made(rubber=Finish())


def test_every_sort_of_snag_has_a_record_and_a_least_size() -> None:
    assert set(SNAGS) == set(LEAST_PX) == set(SnagSort)
    for spec in SNAGS.values():
        assert spec.says.format(n="One", s="", es="es", size="3 px", across="3 px across", off="3 %")
        assert spec.proofs[0] is View.PHOTO
        assert spec.mend is None or spec.mend.does


@pytest.mark.parametrize("name", FORMATS)
def test_every_format_can_be_ordered_as_all_that_it_says_it_holds(name: str) -> None:
    able = FORMATS[name]
    for product in able.products:
        for bits in able.bits:
            preset = Preset.model_validate(
                {"name": "p", "format": name, "product": product, "bits": bits, "alpha": (*able.alpha, "straight")[0]}
            )
            assert able.label in preset.words
    with pytest.raises(ValidationError):
        Preset(name="p", format=f"{name}x")


@pytest.mark.parametrize(
    "name", [name for name, able in FORMATS.items() if not able.is_linear and name not in ("ora", "svg")]
)
def test_every_plain_format_has_an_encoder(name: str) -> None:
    pixels = np.zeros((8, 8, 3), np.uint8)
    assert len(encoded_picture(pixels, name, Encoding())) > 40
