"""Every sort of fault, drawn and not drawn, on a picture whose truth is known."""

from collections.abc import Callable

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import soft_disc
from peel.matte.colour.spill import Spill
from peel.matte.inspect.faults import Find
from peel.matte.inspect.finds import find_in
from peel.matte.inspect.outline import outline_of
from peel.matte.inspect.reading import Reading
from peel.matte.inspect.snags import Severity, framed, gathered
from peel.matte.inspect.sorts import SnagSort

HEIGHT, WIDTH, RADIUS = 300, 420, 90
LEAST = dict.fromkeys(SnagSort, 6.0)


def _noisy(photo: np.ndarray) -> np.ndarray:
    return np.clip(photo + np.random.default_rng(1).normal(0, 0.004, photo.shape), 0, 1).astype(np.float32)


@pytest.fixture(scope="module")
def truth() -> tuple[np.ndarray, np.ndarray]:
    """The photo of a disc, and its exact matte."""
    photo, alpha, _ = soft_disc(HEIGHT, WIDTH, RADIUS)
    return _noisy(photo), alpha


def _spot(alpha: np.ndarray, x: int, y: int, radius: int, value: float) -> np.ndarray:
    out = alpha.copy()
    cv2.circle(out, (x, y), radius, value, -1)
    return out


def _cut(alpha: np.ndarray) -> np.ndarray:
    """Make the soft rim a step on the right."""
    out = alpha.copy()
    out[110:190, 280:] = (alpha[110:190, 280:] > 0.5).astype(np.float32)
    return out


def _stepped(alpha: np.ndarray) -> np.ndarray:
    small = cv2.resize(alpha, (WIDTH // 6, HEIGHT // 6), interpolation=cv2.INTER_AREA)
    return cv2.resize((small > 0.5).astype(np.float32), (WIDTH, HEIGHT), interpolation=cv2.INTER_NEAREST)


def _left(alpha: np.ndarray) -> np.ndarray:
    out = alpha.copy()
    out[140:162, 290:325] = 1
    return out


FAULTS: dict[SnagSort, Callable[[np.ndarray], np.ndarray]] = {
    SnagSort.PINHOLE: lambda alpha: _spot(alpha, 210, 150, 3, 0.2),
    SnagSort.SPECK: lambda alpha: _spot(alpha, 40, 40, 3, 0.8),
    SnagSort.HAZE: lambda alpha: np.maximum(alpha, _spot(np.zeros_like(alpha), 345, 150, 26, 0.1)),
    SnagSort.SEE_THROUGH: lambda alpha: _spot(alpha, 210, 150, 24, 0.8),
    SnagSort.BACKDROP_LEFT: _left,
    SnagSort.STEPPED: _stepped,
}


@pytest.mark.parametrize("sort", list(FAULTS))
def test_a_fault_is_found_where_it_is_and_only_there(truth: tuple[np.ndarray, np.ndarray], sort: SnagSort) -> None:
    photo, alpha = truth
    faulty = FAULTS[sort](alpha).astype(np.float32)

    found = [find for find in find_in(Reading(photo, faulty)) if find.sort is sort]

    assert found
    wrong = cv2.dilate((np.abs(faulty - alpha) > 0.01).astype(np.uint8), np.ones((9, 9))) > 0
    for find in found:
        top, left, bottom, right = find.box
        assert (wrong[top:bottom, left:right] & find.mask).any()


def test_a_true_matte_has_none(truth: tuple[np.ndarray, np.ndarray]) -> None:
    photo, alpha = truth
    assert (
        gathered(find_in(Reading(photo, alpha, np.broadcast_to(np.float32([0.85, 0.5, 0.2]), photo.shape))), LEAST)
        == []
    )


def test_a_true_gap_and_a_true_speck_are_none(truth: tuple[np.ndarray, np.ndarray]) -> None:
    backdrop, subject = np.float32([0.15, 0.3, 0.6]), np.float32([0.85, 0.5, 0.2])
    alpha = _spot(_spot(truth[1], 210, 150, 4, 0.0), 40, 40, 4, 1.0)
    photo = _noisy(alpha[..., None] * subject + (1 - alpha[..., None]) * backdrop)

    assert [find for find in find_in(Reading(photo, alpha)) if find.sort in (SnagSort.PINHOLE, SnagSort.SPECK)] == []


def test_a_soft_edge_cut_hard_is_found() -> None:
    rows, columns = np.mgrid[:HEIGHT, :WIDTH]
    alpha = np.clip((RADIUS + 16 - np.hypot(rows - HEIGHT / 2, columns - WIDTH / 2)) / 32, 0, 1).astype(np.float32)
    photo = _noisy(
        alpha[..., None] * np.float32([0.85, 0.5, 0.2]) + (1 - alpha[..., None]) * np.float32([0.15, 0.3, 0.6])
    )

    assert [find for find in find_in(Reading(photo, alpha)) if find.sort is SnagSort.HARD_CUT] == []
    found = [find for find in find_in(Reading(photo, _cut(alpha))) if find.sort is SnagSort.HARD_CUT]

    assert found
    assert all(find.left > 260 for find in found)
    said_hard = Reading(photo, _cut(alpha), hard=np.ones(alpha.shape, bool))
    assert [find for find in find_in(said_hard) if find.sort is SnagSort.HARD_CUT] == []


def test_a_strand_that_ends_too_soon_is_found() -> None:
    alpha = soft_disc(HEIGHT, WIDTH, RADIUS)[1]
    cv2.line(alpha, (290, 150), (400, 90), 1.0, 2, cv2.LINE_AA)
    photo = _noisy(
        alpha[..., None] * np.float32([0.85, 0.5, 0.2]) + (1 - alpha[..., None]) * np.float32([0.15, 0.3, 0.6])
    )
    short = alpha.copy()
    short[:, 350:] = 0

    assert [find for find in find_in(Reading(photo, alpha)) if find.sort is SnagSort.STRAND_CUT] == []
    found = [find for find in find_in(Reading(photo, short)) if find.sort is SnagSort.STRAND_CUT]

    assert len(found) == 1
    assert found[0].left + np.nonzero(found[0].mask)[1].mean() > 348


def test_what_colours_do_not_explain_is_found(truth: tuple[np.ndarray, np.ndarray]) -> None:
    photo, alpha = truth
    colours = np.broadcast_to(np.float32([0.85, 0.5, 0.2]), photo.shape).copy()
    off = alpha.copy()
    off[110:190, 296:304] = np.clip(off[110:190, 296:304] + 0.5, 0, 1)

    found = [find for find in find_in(Reading(photo, off, colours)) if find.sort is SnagSort.RESIDUE]

    assert found
    assert [find for find in find_in(Reading(photo, alpha, colours)) if find.sort is SnagSort.RESIDUE] == []


def test_hundreds_of_holes_are_a_few_snags() -> None:
    holes = [
        Find(SnagSort.PINHOLE, 20 * row, 20 * column, np.ones((3, 3), bool), 9.0, np.ones((3, 3), np.float16))
        for row in range(40)
        for column in range(40)
    ]

    snags = gathered(holes, LEAST)

    assert 1 <= len(snags) <= 6
    assert sum(len(snag.finds) for snag in snags) == len(holes)


def test_a_sort_that_is_off_is_not_reported_and_small_ones_do_not_count() -> None:
    speck = Find(SnagSort.SPECK, 5, 5, np.ones((2, 2), bool), 4.0, np.ones((2, 2), np.float16))
    assert gathered([speck], {SnagSort.PINHOLE: 1.0}) == []
    assert gathered([speck], {SnagSort.SPECK: 5.0}) == []
    assert [snag.severity for snag in gathered([speck], {SnagSort.SPECK: 0.2})] == [Severity.GRAVE]


@settings(max_examples=30)
@given(
    st.lists(
        st.tuples(st.integers(0, 2000), st.integers(0, 2000), st.integers(1, 12), st.floats(1, 500)),
        min_size=1,
        max_size=40,
    )
)
def test_every_fault_is_in_exactly_one_snag_and_within_its_box(drawn: list[tuple[int, int, int, float]]) -> None:
    finds = [
        Find(SnagSort.SPECK, top, left, np.ones((side, side), bool), size, np.ones((side, side), np.float16))
        for top, left, side, size in drawn
    ]

    snags = gathered(finds, {SnagSort.SPECK: 0.0})

    held = [find for snag in snags for find in snag.finds]
    assert sorted(map(id, held)) == sorted(map(id, finds))
    for snag in snags:
        top, left, bottom, right = snag.box
        assert snag.mask().shape == (bottom - top, right - left)
        assert left < snag.at[0] < right
        assert top < snag.at[1] < bottom


def test_touching_the_frame_is_one_fault_a_side() -> None:
    alpha = np.zeros((50, 60), np.float32)
    alpha[20:, 10:50] = 1

    (find,) = framed(alpha[0], alpha[-1], alpha[:, 0], alpha[:, -1])

    assert (find.box, find.size) == ((49, 10, 50, 50), 40.0)


def test_the_outline_goes_round_at_the_photo_s_size_with_normals_outward() -> None:
    alpha = cv2.resize(soft_disc(HEIGHT, WIDTH, RADIUS)[1], (WIDTH // 2, HEIGHT // 2), interpolation=cv2.INTER_AREA)
    alpha[60:90, 90:120] = 0

    outline = outline_of(alpha, 2)

    centre = np.array([WIDTH / 2, HEIGHT / 2], np.float32)
    outer = outline.points[: outline.starts[1]] if len(outline.starts) > 1 else outline.points
    assert np.abs(np.linalg.norm(outer - centre, axis=1) - RADIUS).max() < 6
    outward = ((outer - centre) * outline.normals[: len(outer)]).sum(axis=1) / np.linalg.norm(outer - centre, axis=1)
    assert outward.min() > 0.9
    assert np.abs(np.linalg.norm(np.diff(outer, axis=0), axis=1) - 1).max() < 0.2


def test_nothing_solid_and_nothing_clear_are_without_faults() -> None:
    photo = np.full((80, 90, 3), 0.5, np.float32)
    for value in (0.0, 0.5, 1.0):
        alpha = np.full((80, 90), value, np.float32)
        assert all(find.sort is not SnagSort.RESIDUE for find in find_in(Reading(photo, alpha, photo)))
    assert outline_of(np.zeros((40, 40), np.float32), 1).length == 0


@pytest.mark.parametrize(
    ("sort", "by"),
    [
        (SnagSort.FRINGE_DARK, (-0.4, -0.4, -0.4)),
        (SnagSort.FRINGE_LIGHT, (0.4, 0.4, 0.4)),
        (SnagSort.FRINGE_TINTED, (-0.3, 0.3, 0.0)),
    ],
)
def test_a_fringe_is_found_along_the_edge_and_none_without(
    truth: tuple[np.ndarray, np.ndarray], sort: SnagSort, by: tuple[float, float, float]
) -> None:
    photo, alpha = truth
    plain = np.broadcast_to(np.float32([0.5, 0.5, 0.5]), photo.shape).copy()
    away = RADIUS - np.hypot(*(np.mgrid[:HEIGHT, :WIDTH] - np.array([HEIGHT / 2, WIDTH / 2])[:, None, None]))
    fringed = plain + np.clip(1 - away / 5, 0, 1)[..., None] * np.float32(by)

    def sorts(colours: np.ndarray) -> set[SnagSort]:
        found = find_in(Reading(photo, alpha, np.clip(colours, 0, 1).astype(np.float32)))
        return {find.sort for find in found if find.sort.name.startswith("FRINGE")}

    assert sorts(plain) == set()
    assert sort in sorts(fringed)


def test_spill_inside_is_found_when_the_hue_is_known(truth: tuple[np.ndarray, np.ndarray]) -> None:
    photo, alpha = truth
    colours = np.broadcast_to(np.float32([0.5, 0.5, 0.5]), photo.shape).copy()
    colours[140:160, 200:220] = (0.4, 0.65, 0.45)
    photo = (alpha[..., None] * colours + (1 - alpha[..., None]) * np.float32([0.15, 0.65, 0.25])).astype(np.float32)
    spill = Spill(np.float32([0.15, 0.65, 0.25]))

    def found(spilling: Spill | None) -> bool:
        reading = Reading(photo, alpha, colours, spill=spilling)
        covered = np.zeros(alpha.shape, bool)
        for find in find_in(reading):
            if find.sort is SnagSort.SPILL:
                height, width = find.mask.shape
                covered[find.top : find.top + height, find.left : find.left + width] |= find.mask
        return bool(covered[150, 210])

    assert not found(None)
    assert found(spill)


def test_the_backdrops_hue_along_an_edge_is_found_whatever_would_take_it_out(
    truth: tuple[np.ndarray, np.ndarray],
) -> None:
    _, alpha = truth
    own, cloth = np.float32([0.7, 0.5, 0.3]), np.float32([0.75, 0.25, 0.15])
    soft = cv2.GaussianBlur(alpha, (0, 0), 4)

    def found(lean: float) -> list[Find]:
        colours = (own + lean * np.clip(4 * (1 - soft), 0, 1)[..., None] * (cloth - own)).astype(np.float32)
        photo = (soft[..., None] * colours + (1 - soft[..., None]) * cloth).astype(np.float32)
        return [find for find in find_in(Reading(photo, soft, colours)) if find.sort is SnagSort.SPILL]

    assert found(0.0) == []
    assert found(0.8)


def test_a_veil_too_thin_to_point_at_is_one_snag_of_its_own(truth: tuple[np.ndarray, np.ndarray]) -> None:
    photo, alpha = truth
    veiled = np.clip(np.where(alpha <= 0, 0.03, alpha), 0, 1).astype(np.float32)

    (snag,) = gathered(find_in(Reading(photo, veiled)), {SnagSort.SPREAD: 300.0})

    assert snag.size > 1000
    assert not gathered(find_in(Reading(photo, alpha)), {SnagSort.SPREAD: 300.0})


def test_what_is_see_through_deep_in_the_mark_is_found_where_it_reaches_the_edge(
    truth: tuple[np.ndarray, np.ndarray],
) -> None:
    photo, alpha = truth
    channel = alpha.copy()
    channel[120:180, 200:420] = np.minimum(channel[120:180, 200:420], 0.4)  # from the middle out into the clear
    depth = cv2.distanceTransform((alpha > 0.5).astype(np.uint8), cv2.DIST_L2, 5) / np.float32(6)

    found = [find for find in find_in(Reading(photo, channel, depth=depth)) if find.sort is SnagSort.SEE_THROUGH]

    assert sum(find.size for find in found) > 1500
    assert not [find for find in find_in(Reading(photo, alpha, depth=depth)) if find.sort is SnagSort.SEE_THROUGH]
