import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from peel.matte.edge.trimap import lay_band, missing_zone, trimap_from_gray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN


def test_any_gray_between_is_unsure() -> None:
    gray = np.arange(256, dtype=np.uint8).reshape(16, 16)

    trimap = trimap_from_gray(gray)

    assert (trimap == BACKGROUND).sum() == 1
    assert (trimap == FOREGROUND).sum() == 1
    assert (trimap == UNKNOWN).sum() == 254


@pytest.mark.parametrize(("values", "missing"), [([0, 128], "subject"), ([255, 128], "backdrop"), ([0, 255], None)])
def test_names_the_zone_that_is_missing(values: list[int], missing: str | None) -> None:
    assert missing_zone(np.array([values], np.uint8)) == missing


@given(outward=st.floats(0, 12), inward=st.floats(0, 12))
def test_band_reaches_as_far_as_asked(outward: float, inward: float) -> None:
    subject = np.zeros((41, 60), bool)
    subject[:, :30] = True

    row = lay_band(subject, outward, inward)[20]

    # the nearest pixel of the other side is one pixel away
    assert (row[30:] == UNKNOWN).sum() == pytest.approx(outward, abs=1)
    assert (row[:30] == UNKNOWN).sum() == pytest.approx(inward, abs=1)
    assert row[0] == FOREGROUND
    assert row[-1] == BACKGROUND


def test_no_band_along_the_frame() -> None:
    subject = np.ones((20, 20), bool)

    assert (lay_band(subject, 5, 5) == FOREGROUND).all()
