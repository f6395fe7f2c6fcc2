"""The edge of a large photo is read at a reduced size: one whose pixels are all doubled has the same band, doubled."""

from functools import lru_cache

import cv2
import numpy as np
import pytest

from peel.job.edits import marking
from peel.job.edits.contours import add_nodes, close_contour
from peel.job.edits.marking import Stroke
from peel.job.edits.read_band import read_band, read_window, reading_reach
from peel.job.edits.values import use_zones
from peel.job.job import Job, Photo, new_job
from peel.job.rect import Rect
from peel.job.settings import Node
from peel.matte.edge.kind import Kind

pytestmark = pytest.mark.slow

HEIGHT, WIDTH = 630, 875
WINDOW = Rect(98, 175, 434, 560)
MIDDLE = (364.0, 294.0)


def _photo() -> np.ndarray:
    """A hairy blob on a mottled backdrop."""
    rng = np.random.default_rng(5)
    picture = cv2.resize(rng.integers(60, 120, (40, 50, 3), np.uint8), (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC)
    cv2.circle(picture, (364, 294), 126, (200, 150, 90), -1)
    for turn in np.linspace(0, 2 * np.pi, 90):
        end = (int(364 + 168 * np.cos(turn + 0.1)), int(294 + 168 * np.sin(turn + 0.1)))
        cv2.line(picture, (int(364 + 119 * np.cos(turn)), int(294 + 119 * np.sin(turn))), end, (190, 140, 80), 2)
    return picture


def _doubled(picture: np.ndarray) -> np.ndarray:
    return picture.repeat(2, axis=0).repeat(2, axis=1)


def _disc(scale: int, radius: float = 133.0) -> np.ndarray:
    ys, xs = np.mgrid[: HEIGHT * scale, : WIDTH * scale] // scale
    return np.hypot(xs - MIDDLE[0], ys - MIDDLE[1]) < radius


def _stroke(scale: int, x: float, y: float, radius: float) -> Stroke:
    return Stroke(((x * scale, y * scale),), radius * scale)


def _plain(job: Job, scale: int) -> Job:
    return marking.mark_region(job, _disc(scale), marking.Zone.SUBJECT)


def _trusted(job: Job, scale: int) -> Job:
    return marking.paint_trust(_plain(job, scale), _stroke(scale, 490, 280, 42), 0.9)


def _spoken(job: Job, scale: int) -> Job:
    loose = marking.paint_kind(_plain(job, scale), _stroke(scale, 238, 294, 49), Kind.STRAND)
    hard = marking.paint_kind(loose, _stroke(scale, 364, 161, 42), Kind.HARD)
    return marking.paint_kind(hard, _stroke(scale, 364, 430, 35), Kind.SHEER)


def _given(job: Job, scale: int) -> Job:
    zones = np.where(_disc(scale, 112), 255, np.where(_disc(scale, 161), 128, 0)).astype(np.uint8)
    return use_zones(job, zones)


@lru_cache
def _jobs(mark: str) -> tuple[Job, Job]:
    one, two = new_job(Photo("once.png", _photo())), new_job(Photo("twice.png", _doubled(_photo())))
    make = {"plain": _plain, "trusted": _trusted, "spoken": _spoken, "given": _given}[mark]
    return make(one, 1), make(two, 2)


@pytest.mark.parametrize("mark", ["plain", "trusted", "spoken", "given"])
def test_a_photo_of_doubled_pixels_has_the_same_band_doubled(mark: str) -> None:
    one, two = _jobs(mark)
    twice = Rect(*(2 * side for side in WINDOW.as_tuple))

    laid, doubled = read_band(one, WINDOW), read_band(two, twice)

    assert reading_reach(two) == 2 * reading_reach(one)
    assert doubled.unsure.shape == (twice.height, twice.width)
    assert laid.unsure.any()
    differs = _doubled(laid.unsure) != doubled.unsure
    assert differs.mean() < 0.05 * laid.unsure.mean()
    assert (_doubled(laid.kinds) == doubled.kinds).mean() > 0.999
    assert np.abs(_doubled(laid.confidence).astype(int) - doubled.confidence).mean() < 0.5
    assert laid.confidence.max() > 150


def test_kinds_that_were_brushed_widen_fill_and_narrow_the_band() -> None:
    plain, spoken = (read_band(_jobs(mark)[0], WINDOW).unsure for mark in ("plain", "spoken"))

    def at(where: tuple[int, int, int], band: np.ndarray) -> np.ndarray:
        ys, xs = np.mgrid[WINDOW.top : WINDOW.bottom, WINDOW.left : WINDOW.right]
        return band[np.hypot(xs - where[0], ys - where[1]) < where[2]]

    assert not at((364, 161, 39), spoken).any()
    assert at((364, 161, 39), plain).any()
    assert at((364, 420, 21), spoken).all()
    assert not at((364, 420, 21), plain).all()
    assert at((238, 294, 46), spoken).sum() > 1.05 * at((238, 294, 46), plain).sum()


def test_where_all_or_nothing_is_marked_there_is_no_edge() -> None:
    job = _jobs("plain")[0]

    assert read_band(job, Rect(280, 350, 308, 392)) is None
    assert read_band(new_job(job.photo), WINDOW) is None
    assert read_window(marking.all_subject(new_job(job.photo)), WINDOW, WINDOW) is None


def test_a_trusted_boundary_has_a_narrower_band_on_its_stretch_alone() -> None:
    ring = [(364 + 133 * np.cos(t), 294 + 133 * np.sin(t)) for t in np.linspace(0, 2 * np.pi, 24, endpoint=False)]
    bare = new_job(_jobs("plain")[0].photo)

    def drawn(trust: float | None) -> np.ndarray:
        nodes = [Node(at=at, trust=trust if k < 6 else None) for k, at in enumerate(ring)]
        return read_band(close_contour(add_nodes(bare, nodes)), WINDOW).unsure

    exactly, free = drawn(1.0), drawn(None)
    right = np.s_[301 - WINDOW.top : 392 - WINDOW.top, 483 - WINDOW.left :]
    left = np.s_[:, : 266 - WINDOW.left]
    assert exactly[right].sum() < 0.5 * free[right].sum()
    assert (exactly[left] == free[left]).mean() > 0.99
