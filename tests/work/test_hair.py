"""How much hair: strands of a solved job left out or brought out, counted, and proposed for a size."""

from itertools import pairwise

import cv2
import numpy as np
import pytest

from peel.job.edge_targets import EdgeTarget
from peel.job.edits.edge_values import FINISH
from peel.job.edits.marking import kind_area
from peel.job.edits.values import set_value, use_matte, use_zones
from peel.job.job import Job, Photo, new_job
from peel.job.preset import Preset, SizeRule
from peel.matte.arrays import FloatArray
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.work.delivering.delivery_snags import delivery_snags, mend_delivery_snag
from peel.work.inspecting.hair import count_hair, proposed_shortest
from peel.work.stages import Stages

_SIZE = 420


def _strand(alpha: FloatArray, x: float, length: float, width: float = 2.0) -> FloatArray:
    """Draw an upright strand that ends at the body's upper edge, 300 pixels down."""
    fine = np.zeros((4 * _SIZE, 4 * _SIZE), np.uint8)
    cv2.line(
        fine, (round(4 * x), 4 * 302), (round(4 * x), round(4 * (300 - length))), 255, round(4 * width), cv2.LINE_AA
    )
    return np.maximum(alpha, cv2.resize(fine, (_SIZE, _SIZE), interpolation=cv2.INTER_AREA) / np.float32(255))


@pytest.fixture
def tufted() -> Job:
    """A solved job: a body below, short strands on the left half, long ones on the right."""
    alpha = np.zeros((_SIZE, _SIZE), np.float32)
    alpha[300:] = 1
    for k in range(8):
        alpha = _strand(alpha, 30 + 20 * k, 25)
        alpha = _strand(alpha, 235 + 20 * k, 150)
    photo = np.full((_SIZE, _SIZE, 3), 200, np.uint8) - (alpha[..., None] * 150).astype(np.uint8)
    zones = np.full((_SIZE, _SIZE), UNKNOWN, np.uint8)
    zones[:40], zones[305:] = BACKGROUND, FOREGROUND
    job = use_zones(new_job(Photo("tuft", photo)), zones)
    return use_matte(job, alpha)


def _alpha(job: Job, level: int = 0) -> FloatArray:
    return Stages(job.photo).alpha(job, job.photo.space.bounds(level), level)


def test_nothing_changes_until_it_is_asked_for(tufted: Job) -> None:
    assert np.array_equal(_alpha(tufted), _alpha(set_value(tufted, "recipe.finish.everywhere.shortest_px", 0.0)))


def test_the_short_ones_are_left_out_at_every_level(tufted: Job) -> None:
    less = set_value(tufted, "recipe.finish.everywhere.shortest_px", 60.0)
    for level in (0, 1, 2):
        step = 1 << level
        alpha, before = _alpha(less, level), _alpha(tufted, level)
        assert alpha[270 // step : 290 // step, : 200 // step].max() < 0.1
        right = np.s_[100 // step : 290 // step, 225 // step :]
        assert np.abs(alpha[right] - before[right]).max() < 0.05
        assert alpha[310 // step :].min() > 0.98


def test_half_strength_leaves_half(tufted: Job) -> None:
    less = FINISH.changed(tufted, EdgeTarget(), {"shortest_px": 60.0, "strength": 0.5})
    assert _alpha(less)[280, 25:36].max() == pytest.approx(0.5, abs=0.1)


def test_in_an_area_only_what_is_there_is_left_out(tufted: Job) -> None:
    less = FINISH.add_area(tufted, [(0, 200), (100, 200), (100, 320), (0, 320)], shortest_px=60.0)
    less = FINISH.fade_area(less, 0, 2.0)
    alpha = _alpha(less)
    assert alpha[280, 25:36].max() < 0.1
    assert alpha[280, 145:156].max() > 0.7
    own = next(target for target in FINISH.targets(less) if target.area == 0)
    assert 3 <= len(count_hair(Stages(less.photo), less, own).lengths) <= 5


def test_a_kind_has_a_value_of_its_own(tufted: Job) -> None:
    left = [(0.0, 150.0), (200.0, 150.0), (200.0, 320.0), (0.0, 320.0)]
    kinds = kind_area(tufted, left, Kind.STRAND)
    kinds = use_matte(kinds, tufted.matte.read() / np.float32(65535))
    target = next(target for target in FINISH.targets(kinds) if target.name == Kind.STRAND.id)
    count = count_hair(Stages(kinds.photo), kinds, target)
    assert len(count.lengths) == 8
    less = FINISH.changed(kinds, target, {"shortest_px": 60.0})
    assert _alpha(less)[280, 25:36].max() < 0.1


def test_where_a_kind_begins_windows_meet_without_a_seam(tufted: Job) -> None:
    """The left of a border between two cells is of a kind of its own; parts of a window are as the whole."""
    left = [(0.0, 150.0), (250.0, 150.0), (250.0, 320.0), (0.0, 320.0)]
    told = kind_area(set_value(tufted, "recipe.band.kinds", "none"), left, Kind.STRAND)
    kinds = use_matte(told, tufted.matte.read() / np.float32(65535))
    target = next(target for target in FINISH.targets(kinds) if target.name == Kind.STRAND.id)
    less = FINISH.changed(kinds, target, {"shortest_px": 400.0})
    before, after = _alpha(kinds), _alpha(less)
    share = 1 - after[200] / np.maximum(before[200], 1e-6)
    strands = [int(x) for x in np.flatnonzero(before[200] > 0.9)]
    shares = [float(share[x]) for x in strands]
    assert shares[0] > 0.6
    assert shares[-1] < 0.05
    assert all(nxt <= own + 0.02 for own, nxt in pairwise(shares))  # it only fades


def test_strands_are_counted_and_said(tufted: Job) -> None:
    count = count_hair(Stages(tufted.photo), tufted, EdgeTarget())
    assert len(count.lengths) == 16
    assert count.left_out(60.0)[0] == 8
    assert count.left_out(60.0)[1] == pytest.approx(8 * 25, rel=0.25)
    less = set_value(tufted, "recipe.finish.everywhere.shortest_px", 60.0)
    assert count.in_words(FINISH.of(less, EdgeTarget())).startswith("16 strands, 1,")
    assert "8 of them left out" in count.in_words(FINISH.of(less, EdgeTarget()))


def test_without_strands_that_is_said(disc_job: Job) -> None:
    job = use_matte(disc_job, np.zeros((disc_job.photo.height, disc_job.photo.width), np.float32))
    count = count_hair(Stages(job.photo), job, EdgeTarget())
    assert "No strands" in count.in_words(FINISH.of(job, EdgeTarget()))


def test_faint_strands_that_the_photo_shows_are_brought_out(tufted: Job) -> None:
    faded = tufted.matte.read() / np.float32(65535)
    faded[:300] = np.maximum(faded[:300] * 0.25, 0.001)
    faded[:40] = 0
    faint = use_matte(tufted, faded)
    more = set_value(faint, "recipe.finish.everywhere.faint", 1.0)
    before, after = _alpha(faint), _alpha(more)
    on_strands = np.s_[180:280, [235 + 20 * k for k in range(8)]]
    assert after[on_strands].mean() > 2 * before[on_strands].mean()
    between = np.s_[180:280, [245 + 20 * k for k in range(7)]]
    assert after[between].max() < 0.05


def test_a_small_file_proposes_to_leave_thin_hair_out(tufted: Job) -> None:
    stages = Stages(tufted.photo)
    assert proposed_shortest(stages, tufted, 1.0) is None
    thin = tufted.matte.read() / np.float32(65535)
    thin[:300, :200] *= 0.25
    job = use_matte(tufted, thin)
    stages = Stages(job.photo)
    small = Preset(name="Tiny", size=SizeRule(fit="scale", scale=0.3))
    (snag,) = [snag for snag in delivery_snags(job, stages, [small]) if snag.sort == "hair_haze"]
    assert "Leave out 8 strands" in snag.mend
    mended = mend_delivery_snag(job, snag)
    assert mended.settings.recipe.finish.overall.shortest_px == snag.shortest_px
    assert not [snag for snag in delivery_snags(mended, stages, [small]) if snag.sort == "hair_haze"]
