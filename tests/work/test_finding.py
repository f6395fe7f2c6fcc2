import numpy as np
import pytest

from peel.job.edits.marking import Zone, mark_region
from peel.job.edits.reshaping import Change, reshape
from peel.job.job import Job, Photo, new_job
from peel.job.marked import marked_subject
from peel.matte.edge.zones import BACKGROUND, UNKNOWN
from peel.work.marking.finding import AlikePick, Finder, proposal_words
from peel.work.marking.tracing import Tracer
from peel.work.stages import Pyramid

SIZE = (1300, 1500)


def _photo(kind: str = "8 bit") -> tuple[Photo, np.ndarray]:
    """Give a photo large enough to be looked at smaller: a red disc with a blue bar, on grainy grey."""
    height, width = SIZE
    rows, columns = np.mgrid[:height, :width]
    disc = np.hypot(rows - 650, columns - 700) < 420
    picture = np.full((height, width, 3), (150, 155, 150), np.float32)
    picture[disc] = (190, 60, 50)
    picture[disc & (np.abs(rows - 650) < 120)] = (40, 60, 150)
    picture += np.random.default_rng(1).normal(0, 3, (height, width, 1))
    eight = np.clip(picture, 0, 255).astype(np.uint8)
    if kind == "16 bit":
        return Photo("made-up.tif", eight.astype(np.uint16) * 257), disc
    if kind == "gray":
        return Photo("made-up.png", np.repeat(eight[..., :1], 3, axis=2)), disc
    return Photo("made-up.png", eight), disc


def _start(kind: str = "8 bit") -> tuple[Finder, Job, np.ndarray]:
    photo, disc = _photo(kind)
    return Finder(photo, Pyramid(photo.pixels)), new_job(photo), disc


def _overlap(job: Job, truth: np.ndarray) -> float:
    found = marked_subject(job, job.photo.bounds)
    return float((found & truth).sum() / (found | truth).sum())


@pytest.mark.parametrize("kind", ["8 bit", "16 bit", "gray"])
def test_the_backdrops_colour_leaves_the_subject(kind: str) -> None:
    finder, job, disc = _start(kind)
    pick = AlikePick(((30.0, 30.0),), 12.0)

    marked = finder.mark_alike(job, pick, Zone.BACKDROP)

    assert finder.look_level > 0
    assert finder.alike_shown(pick).mean() == pytest.approx(1 - disc.mean(), abs=0.01)
    assert _overlap(marked, disc) > 0.99


def test_samples_add_up_and_the_soft_rim_is_unsure() -> None:
    finder, job, disc = _start()

    one = finder.mark_alike(job, AlikePick(((700.0, 400.0),), 9.0, connected=False), Zone.SUBJECT)
    both = finder.mark_alike(job, AlikePick(((700.0, 400.0), (700.0, 650.0)), 9.0, connected=False), Zone.SUBJECT)
    soft = finder.mark_alike(job, AlikePick(((700.0, 400.0),), 60.0, connected=False, soft=True), Zone.SUBJECT)

    assert 0.5 < _overlap(one, disc) < 0.8
    assert _overlap(both, disc) > 0.99
    assert (soft.corrections.read() == Zone.UNSURE.value).any()


@pytest.mark.parametrize("point", [(0.0, 0.0), (1499.9, 1299.9), (-40.0, 2000.0), (1500.0, 650.0)])
def test_presses_on_and_beyond_the_border_take_the_nearest_pixel(point: tuple[float, float]) -> None:
    finder, job, disc = _start()

    marked = finder.mark_alike(job, AlikePick((point,), 10.0), Zone.BACKDROP)
    swept = finder.mark_swept(job, (point, (700.0, 650.0)), 20.0, subject=True)

    assert _overlap(marked, disc) > 0.98
    assert swept.has_subject


def test_a_sweep_finds_the_boundary_in_the_photo_itself() -> None:
    finder, job, disc = _start()
    stroke = ((700.0, 300.0), (700.0, 650.0), (690.0, 980.0))

    shown = finder.swept_shown(job, stroke, 40.0, subject=True)
    marked = finder.mark_swept(job, stroke, 40.0, subject=True)
    back = finder.mark_swept(marked, ((400.0, 650.0), (1000.0, 650.0)), 30.0, subject=False)

    assert shown.mean() == pytest.approx(disc.mean(), abs=0.01)
    assert _overlap(marked, disc) > 0.99
    rows = np.mgrid[: SIZE[0], : SIZE[1]][0]
    assert _overlap(back, disc & (np.abs(rows - 650) >= 120)) > 0.96


def test_sweeping_the_backdrop_first_takes_all_else_for_subject() -> None:
    finder, job, disc = _start()

    marked = finder.mark_swept(
        job, ((60.0, 60.0), (1440.0, 60.0), (1440.0, 1240.0), (60.0, 1240.0)), 30.0, subject=False
    )

    assert _overlap(marked, disc) > 0.97


def test_a_sweep_over_everything_is_everything() -> None:
    finder, job, _ = _start()

    marked = finder.mark_swept(job, ((700.0, 600.0),), 4000.0, subject=True)

    assert marked_subject(marked, marked.photo.bounds).all()


def test_a_proposal_is_marked_with_its_band() -> None:
    finder, job, disc = _start()

    proposal = finder.propose()
    marked = finder.mark_proposal(job, proposal)

    assert _overlap(marked, disc) > 0.98
    assert (marked.zones.read() == UNKNOWN).any()
    assert (marked.zones.read() == BACKGROUND).any()
    assert proposal_words(proposal)[1]


def test_words_are_honest_where_nothing_stands_out() -> None:
    photo = Photo("made-up.png", np.full((300, 400, 3), 128, np.uint8))

    words, is_worth_it = proposal_words(Finder(photo, Pyramid(photo.pixels)).propose())

    assert not is_worth_it
    assert "cannot tell" in words


def test_what_a_change_shows_is_what_it_does() -> None:
    finder, job, disc = _start()
    marked = mark_region(job, disc, Zone.SUBJECT)

    added, taken, words = finder.reshaped_shown(marked, Change.GROW, 40.0, ())
    grown = reshape(marked, Change.GROW, 40.0)

    assert not taken.any()
    gained = marked_subject(grown, grown.photo.bounds).mean() - disc.mean()
    assert added.mean() == pytest.approx(gained, rel=0.08)
    assert words == f"{added.mean() * 100:.1f} % of the photo changes sides."


def test_holes_and_islands_are_counted_before_anything_is_done() -> None:
    finder, job, disc = _start()
    pitted = disc.copy()
    for row, column, side in ((600, 700, 12), (700, 640, 30)):
        pitted[row : row + side, column : column + side] = False
    marked = mark_region(job, pitted, Zone.SUBJECT)
    said = finder.reshaped_shown(marked, Change.FILL_HOLES, 40.0, ())[2]
    assert said.startswith("2 holes, the largest about ")
    assert int(said.split("about ")[1].split()[0]) == pytest.approx(30, abs=5)
    assert finder.reshaped_shown(marked, Change.FILL_HOLES, 4.0, ())[2] == "No hole is as small as that."
    assert finder.reshaped_shown(marked, Change.DROP_ISLANDS, 40.0, ())[2] == "No island is as small as that."


def test_a_traced_line_keeps_to_the_edge_over_a_long_way() -> None:
    photo, _ = _photo()
    tracer = Tracer(Pyramid(photo.pixels))
    start, end = (700 - 420.0, 650.0), (700.0, 650 - 420.0)

    line = tracer.path(start, end)
    snapped = tracer.snapped((700 - 410.0, 655.0), 30.0)

    away = np.abs(np.hypot(line[:, 0] - 700, line[:, 1] - 650) - 420)
    assert np.allclose(line[[0, -1]], (start, end))
    assert np.percentile(away, 90) < 2.5
    assert abs(np.hypot(snapped[0] - 700, snapped[1] - 650) - 420) < 4


def test_a_line_between_one_point_and_itself_is_that_point() -> None:
    photo, _ = _photo()

    assert len(Tracer(Pyramid(photo.pixels)).path((5.0, 5.0), (6.0, 5.0))) == 2
