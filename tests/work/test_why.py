"""Why a place is half clear: each sentence on a case where just that decides, and the cure that goes with it."""

from pathlib import Path

import numpy as np
import pytest

import studio
from conftest import soft_disc
from peel.files.photo import read_photo
from peel.job.edits.marking import Stroke, Zone, paint_kind, paint_zone
from peel.job.edits.touching import SoftStroke, Touch, borrow, nudge, touch
from peel.job.edits.values import set_value, use_matte, use_zones
from peel.job.history import UNSTORED, History, State
from peel.job.job import Job, Photo, new_job
from peel.job.settings import Separation
from peel.matte.edge.kind import Kind
from peel.work.framing.frames import give_frame, read_frame
from peel.work.inspecting.why import Reason, Why, why_at
from peel.work.separating.choosing import put_separation
from peel.work.solving.explaining import explained_at
from peel.work.solving.sheer import add_sheer
from peel.work.solving.solve import solve_job
from peel.work.stages import Cache, Stages

pytestmark = pytest.mark.slow

EDGE = (300, 150)  # in the middle of the disc's soft rim
INSIDE, OUTSIDE = (210, 150), (20, 20)


def _job(*, noise: float = 0.0, kinds: str = "none") -> Job:
    photo, _, zones = soft_disc(300, 420, 90)
    grain = noise * np.random.default_rng(1).standard_normal(photo.shape)
    made = Photo("disc.png", np.round(np.clip(photo + grain, 0, 1) * 255).astype(np.uint8))
    return use_zones(new_job(made).with_recipe(band={"lay": "plain", "kinds": kinds}), zones)


@pytest.fixture(scope="module")
def solved() -> Job:
    return solve_job(_job())[0]


def _why(job: Job, at: tuple[int, int], history: History | None = None) -> Why:
    return why_at(job, Stages(job.photo, Cache(8_000_000)), *at, history)


def _reason(why: Why, name: str) -> Reason:
    return next(reason for reason in why.reasons if reason.name == name)


def _cured(job: Job, reason: Reason) -> Job:
    assert reason.cure is not None
    return solve_job(reason.cure.edit(job))[0]


@pytest.mark.parametrize(
    ("sort", "name", "words"),
    [
        (Touch.SOLID, "force", "Solid was brushed here, 100 %"),
        (Touch.CLEAR, "force", "Clear was brushed here, 100 %"),
        (Touch.FIRM, "firmness", "Firm was brushed here"),
        (Touch.THIN, "firmness", "Thin was brushed here"),
        (Touch.SOFTEN, "softness", "Soften was brushed here"),
    ],
)
def test_a_touch_up_is_named_first_and_its_cure_takes_it_back(solved: Job, sort: Touch, name: str, words: str) -> None:
    touched = touch(solved, SoftStroke((EDGE,), 12, softness=0), sort)
    why = _why(touched, EDGE)
    assert why.reasons[0].name == name
    assert words in why.reasons[0].says
    assert _why(_cured(touched, why.reasons[0]), EDGE).alpha == pytest.approx(_why(solved, EDGE).alpha)


def test_a_nudge_says_by_how_much(solved: Job) -> None:
    pushed = nudge(solved, SoftStroke(((296, 150), (302, 150)), 30))
    reason = _reason(_why(pushed, EDGE), "nudge")
    assert "px" in reason.says
    assert _why(_cured(pushed, reason), EDGE).alpha == pytest.approx(_why(solved, EDGE).alpha)


def test_another_version_is_named_where_it_was_brushed_in(solved: Job) -> None:
    lent = borrow(
        solved, SoftStroke((EDGE,), 12, softness=0), lambda rect: np.ones((rect.height, rect.width), np.float32)
    )
    why = _why(lent, EDGE)
    assert [why.reasons[0].name, why.reasons[0].cure and why.reasons[0].cure.label] == [
        "borrowed",
        "Take other version back here",
    ]
    assert "100 % of it" in why.reasons[0].says
    assert "profile" not in [reason.name for reason in why.reasons]
    assert _why(_cured(lent, why.reasons[0]), EDGE).alpha == pytest.approx(_why(solved, EDGE).alpha)


def test_a_profile_on_a_touched_place_is_named_beside_the_touch(solved: Job) -> None:
    pulled = set_value(solved, "recipe.finish.everywhere.pull_px", -2.0)
    both = touch(pulled, SoftStroke((EDGE,), 12, softness=0, strength=0.3), Touch.SOLID)
    names = [reason.name for reason in _why(both, EDGE).reasons]
    assert {"force", "profile"} <= set(names)


def test_the_edge_profile_is_named_where_it_changes_anything(solved: Job) -> None:
    pulled = set_value(solved, "recipe.finish.everywhere.pull_px", -2.0)
    why = _why(pulled, EDGE)
    assert why.reasons[0].name == "profile"
    assert "more clear" in why.reasons[0].says
    assert _why(_cured(pulled, why.reasons[0]), EDGE).alpha == pytest.approx(_why(solved, EDGE).alpha)
    assert "profile" not in [reason.name for reason in _why(solved, EDGE).reasons]


def test_how_much_hair_is_named_where_it_leaves_a_strand_out(solved: Job) -> None:
    alpha = solved.alpha(solved.photo.bounds)
    alpha[20:60, 60:62] = 0.9  # a strand that stands alone
    haired = use_matte(solved, alpha)
    less = set_value(haired, "recipe.finish.everywhere.shortest_px", 200.0)
    why = _why(less, (61, 40))
    reason = _reason(why, "hair")
    assert "leaves a strand out" in reason.says
    assert "profile" not in [own.name for own in why.reasons]
    assert _why(_cured(less, reason), (61, 40)).alpha == pytest.approx(0.9, abs=0.01)
    assert "hair" not in [own.name for own in _why(haired, (61, 40)).reasons]


def test_who_made_a_place_certain_is_said_and_when(solved: Job) -> None:
    said = solve_job(paint_zone(solved, Stroke((EDGE,), 8), Zone.SUBJECT))[0]
    states = [
        State(UNSTORED, label, job) for label, job in (("Open", solved), ("Certain subject", said), ("Other", said))
    ]
    (reason,) = _why(said, EDGE, History(tuple(states), 2)).reasons
    assert reason.says == "You said that it is subject for certain (Certain subject, 2 steps ago)."
    assert 0 < _why(_cured(said, reason), EDGE).alpha < 1


def test_what_is_deep_inside_or_far_outside_is_said_to_be_so() -> None:
    from peel.job.edits.marking import mark_region

    photo, alpha, _ = soft_disc(300, 420, 90)
    job = new_job(Photo("disc.png", np.round(photo * 255).astype(np.uint8))).with_recipe(
        band={"lay": "plain", "kinds": "none"}
    )
    job = solve_job(mark_region(job, alpha > 0.5, Zone.SUBJECT))[0]
    assert [reason.name for reason in _why(job, INSIDE).reasons] == ["marked"]
    assert [reason.name for reason in _why(job, OUTSIDE).reasons] == ["unmarked"]
    cured = _cured(job, _why(job, INSIDE).reasons[0])
    assert cured.zones.read()[INSIDE[1], INSIDE[0]] == 128


def test_the_band_and_its_cure(solved: Job) -> None:
    at = (302, 150)
    reason = _reason(_why(solved, at), "unsure")
    assert "computed" in reason.says
    side = "subject" if _why(solved, at).alpha >= 0.5 else "backdrop"
    assert reason.cure is not None
    assert reason.cure.label == f"Say that it is {side}"
    assert _why(_cured(solved, reason), at).alpha == (1.0 if side == "subject" else 0.0)


def test_a_kind_says_who_said_it() -> None:
    job = paint_kind(_job(), Stroke((EDGE,), 30), Kind.SOFT)
    job = solve_job(job)[0]
    reason = _reason(_why(job, EDGE), "kind said")
    assert "You said that the edge is soft" in reason.says
    assert "kind said" not in [own.name for own in _why(_cured(job, reason), EDGE).reasons]


def _alike_edge(blur: float, noise: float, tones: tuple[float, float]) -> Job:
    """Put a subject before a backdrop of its own tones and texture; the edge is straight, sharp or out of focus."""
    rng = np.random.default_rng(5)
    alpha = np.clip((80 - np.arange(160)) / max(blur, 1.0) + 0.5, 0, 1)[None, :, None]
    subject, backdrop = (base + noise * rng.standard_normal((120, 160, 3)) for base in tones)
    photo = np.clip(alpha * subject + (1 - alpha) * backdrop, 0, 1)
    zones = np.full((120, 160), 128, np.uint8)
    zones[:, :60], zones[:, 100:] = 255, 0
    return use_zones(new_job(Photo("alike.png", np.round(photo * 255).astype(np.uint8))), zones)


@pytest.mark.parametrize(
    ("kind", "drawn", "term"),
    [(Kind.HARD, (1.0, 0.05, (0.56, 0.48)), "steps"), (Kind.SOFT, (16.0, 0.03, (0.66, 0.38)), "ramps")],
)
def test_an_edge_that_is_followed_says_so(kind: Kind, drawn: tuple, term: str) -> None:
    job = solve_job(paint_kind(_alike_edge(*drawn), Stroke(((80.0, 10.0), (80.0, 110.0)), 50), kind))[0]
    named = [explained_at(job, x, 60).terms for x in (70, 74, 78, 82, 86, 90)]
    effects = [abs(own.effect) for terms in named for own in terms if own.name == term]
    assert effects
    assert kind is Kind.SOFT or max(effects) > 0.02
    untold = solve_job(_alike_edge(*drawn))[0]
    assert term not in [own.name for own in explained_at(untold, 78, 60).terms]


def test_the_photos_colours_are_shown_as_swatches(solved: Job) -> None:
    reason = _reason(_why(solved, EDGE), "colours")
    backdrop, subject = (tuple(int(own[k : k + 2], 16) / 255 for k in (1, 3, 5)) for own in reason.swatches)
    assert backdrop == pytest.approx((0.15, 0.3, 0.6), abs=0.02)
    assert subject == pytest.approx((0.85, 0.5, 0.2), abs=0.02)
    assert "its colour is 50 % of the way" in reason.says or "49 %" in reason.says


def test_where_nothing_else_decides_the_surroundings_do() -> None:
    grey = np.full((120, 160, 3), 128, np.uint8)  # subject and backdrop look the same
    zones = np.full((120, 160), 128, np.uint8)
    zones[:, :40], zones[:, 120:] = 255, 0
    job = new_job(Photo("grey.png", grey)).with_recipe(band={"lay": "plain", "kinds": "none"})
    why = _why(solve_job(use_zones(job, zones))[0], (80, 60))
    names = [reason.name for reason in why.reasons]
    assert "around" in names
    assert "look alike" in _reason(why, "colours").says


def test_colours_decide_in_a_gap_that_hangs_together_with_nothing() -> None:
    photo = np.full((120, 160, 3), (0.7, 0.4, 0.3), np.float32)
    photo[:, 110:], photo[50:70, 50:70] = (0.3, 0.4, 0.6), (0.3, 0.4, 0.6)  # a gap in the backdrop's colour
    photo += 0.01 * np.random.default_rng(8).standard_normal(photo.shape)
    zones = np.full((120, 160), 128, np.uint8)
    zones[:, :30], zones[:, 130:] = 255, 0
    job = new_job(Photo("gap.png", np.round(np.clip(photo, 0, 1) * 255).astype(np.uint8)))
    job = solve_job(use_zones(job.with_recipe(band={"lay": "plain", "kinds": "none"}), zones))[0]
    why = _why(job, (60, 60))
    assert why.alpha < 0.1
    told = [own for own in why.reasons if own.name in ("sampled_colour", "local_colour")]
    assert told
    assert told[0].says.endswith("more clear than without.")
    assert all(term.effect == term.alpha - term.without for term in explained_at(job, 60, 60).terms)


def test_a_second_frame_is_named_and_can_be_left_out(tmp_path: Path) -> None:
    photo = read_photo(studio.save(tmp_path / "shot.png", studio.photo()))
    zones = np.where(studio.ALPHA >= 1, 255, np.where(studio.ALPHA <= 0, 0, 128)).astype(np.uint8)
    empty = studio.save(tmp_path / "set.png", studio.drifted(studio.bare_wall()))
    asset, kind = read_frame(empty, photo)
    job = solve_job(give_frame(use_zones(new_job(photo), zones), asset, kind))[0]
    rows, columns = np.nonzero((studio.ALPHA > 0.02) & (studio.ALPHA < 0.4))
    why = None
    for x, y in zip(columns[::25].tolist(), rows[::25].tolist(), strict=True):
        why = why_at(job, Stages(photo, Cache(8_000_000)), x, y)
        if "frame" in [reason.name for reason in why.reasons]:
            break
    assert why is not None
    reason = _reason(why, "frame")
    assert reason.says.startswith("The second frame: by ")
    cured = _cured(job, reason)
    assert not cured.settings.recipe.second_frame.used
    assert "frame" not in [term.name for term in explained_at(cured, why.x, why.y).terms]


def test_a_separation_pulls_or_is_the_matte_itself() -> None:
    tone = Separation(use="matte", rendering="red", low=0.2, high=0.8)
    job = solve_job(put_separation(_job(), 0, tone))[0]
    reason = _reason(_why(job, EDGE), "tone")
    assert "tone alone is the matte" in reason.says
    assert not _cured(job, reason).settings.recipe.separations
    pull = Separation(use="pull", rendering="red", low=0.2, high=0.8, strength=1.0)
    job = solve_job(put_separation(_job(), 0, pull))[0]
    assert "separation" in [term.name for term in explained_at(job, *EDGE).terms]


def test_cloth_whose_colour_was_picked_is_named() -> None:
    down, across = np.mgrid[:160, :220]
    wall = np.array([0.3, 0.22, 0.15]) * (1 + 0.4 * down / 160)[..., None]
    truth = 0.5 * np.clip((70 - np.hypot(down - 80, across - 120)) / 30, 0, 1)
    photo = truth[..., None] * np.array([0.8, 0.7, 0.9]) + (1 - truth[..., None]) * wall
    zones = np.full(truth.shape, 128, np.uint8)
    zones[np.hypot(down - 80, across - 120) > 85], zones[:, :10] = 0, 255
    job = use_zones(new_job(Photo("veil.png", np.round(photo * 255).astype(np.uint8))), zones)
    job = solve_job(paint_kind(add_sheer(job, (120.5, 80.5), 0.5), Stroke(((120.0, 80.0),), 80), Kind.SHEER))[0]
    terms = {term.name: term for term in explained_at(job, 120, 80).terms}
    assert "veils" in terms


def test_strands_are_named() -> None:
    rng = np.random.default_rng(3)
    photo = np.full((160, 200, 3), 0.75, np.float32)
    photo[:, :40] = 0.2
    for row in range(20, 140, 24):
        photo[row : row + 2, 40:150] = 0.2
    photo += 0.004 * rng.standard_normal(photo.shape)
    zones = np.full((160, 200), 128, np.uint8)
    zones[:, :30], zones[:, 175:] = 255, 0
    job = use_zones(new_job(Photo("strands.png", np.round(np.clip(photo, 0, 1) * 255).astype(np.uint8))), zones)
    job = solve_job(paint_kind(job, Stroke(((30.0, 80.0), (175.0, 80.0)), 90), Kind.STRAND))[0]
    named = [explained_at(job, 110, row).terms for row in range(20, 140, 24)]
    lines = [term for terms in named for term in terms if term.name == "lines"]
    assert len(lines) >= 3
    assert max(abs(term.effect) for term in lines) > 0.02
