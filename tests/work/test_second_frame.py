"""Second frames of jobs: told apart, kept, carried, refused; what goes by them, and what stays as without them."""

import json
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

import studio
from peel.cli import main
from peel.errors import PhotoError
from peel.files.photo import read_photo
from peel.files.project import ProjectFile
from peel.job.edits.marking import Zone, mark_region
from peel.job.edits.values import set_value
from peel.job.job import Job, new_job
from peel.job.question import question
from peel.work.cut import CutFiles, CutRequest, cut, prepared
from peel.work.framing.frames import fit_of, frame_of, give_frame, read_frame, without_frame
from peel.work.framing.proposing import mark_by_set, region_by_set
from peel.work.many.batches import give_set, load_job, propose_job
from peel.work.many.carrying import carried
from peel.work.session.session import Session
from peel.work.solving.solve import solve_job
from peel.work.stages import Cache, Stages
from peel.work.views import View, render

pytestmark = pytest.mark.slow


@pytest.fixture
def shot(tmp_path: Path) -> Path:
    return studio.save(tmp_path / "shot.png", studio.photo())


@pytest.fixture
def empty(tmp_path: Path) -> Path:
    return studio.save(tmp_path / "set.png", studio.drifted(studio.bare_wall()))


@pytest.fixture
def again(tmp_path: Path) -> Path:
    return studio.save(tmp_path / "again.png", studio.again())


def _given(shot: Path, frame: Path) -> Job:
    job = mark_region(new_job(read_photo(shot)), studio.ALPHA > 0.5, Zone.SUBJECT)
    return give_frame(job, *read_frame(frame, job.photo))


def _error(job: Job) -> float:
    return float(np.abs(solve_job(job)[0].alpha(job.photo.bounds) - studio.ALPHA).mean())


def test_peel_tells_the_set_from_the_subject_before_another_backdrop(shot: Path, empty: Path, again: Path) -> None:
    photo = read_photo(shot)
    assert read_frame(empty, photo)[1] == "empty"
    assert read_frame(again, photo)[1] == "again"


def _smaller(path: Path, size: tuple[int, int]) -> Path:
    with Image.open(path) as image:
        image.resize(size).save(path.parent / "other.png")
    return path.parent / "other.png"


def test_what_is_no_second_frame_is_refused_in_a_sentence(shot: Path, empty: Path, tmp_path: Path) -> None:
    photo = read_photo(shot)
    with pytest.raises(PhotoError, match=r"shows the same as shot\.png"):
        read_frame(shot, photo)
    with pytest.raises(PhotoError, match="no second frame of it"):
        read_frame(_smaller(empty, (300, 300)), photo)
    other = np.clip(0.5 + 0.2 * studio.noise(40, 4), 0, 1)
    with pytest.raises(PhotoError, match="neither the set nor the subject"):
        read_frame(studio.save(tmp_path / "elsewhere.png", other), photo)
    with pytest.raises(PhotoError):
        read_frame(tmp_path / "gone.png", photo)


def test_a_frame_of_other_bits_and_another_size_serves(shot: Path, empty: Path, tmp_path: Path) -> None:
    photo = read_photo(shot)
    deep = studio.save(tmp_path / "deep.png", studio.drifted(studio.bare_wall()), bits=16)
    for path in (deep, _smaller(empty, (630, 450))):
        asset, kind = read_frame(path, photo)
        job = give_frame(new_job(photo), asset, kind)
        frame = frame_of(job)
        assert frame is not None
        assert frame.pixels.dtype == photo.pixels.dtype
        assert np.abs(frame.pixels / 255.0 - studio.bare_wall())[20:-20, 20:-20].mean() < 0.02


@pytest.mark.parametrize("kind", ["empty", "again"])
def test_the_matte_is_nearer_to_the_truth_with_a_frame_and_as_before_without_its_tick(
    shot: Path, empty: Path, again: Path, kind: str
) -> None:
    with_frame = _given(shot, {"empty": empty, "again": again}[kind])
    without = without_frame(with_frame)
    if kind == "empty":
        assert _error(with_frame) < 0.9 * _error(without)
    else:
        assert _error(with_frame) < 1.05 * _error(without)
    unused = set_value(with_frame, "recipe.second_frame.used", False)
    assert question(unused) == question(without)
    assert not unused.is_solved
    assert frame_of(unused) is None
    assert _error(unused) == pytest.approx(_error(without), abs=1e-6)


def test_what_differs_from_the_set_is_marked(shot: Path, empty: Path) -> None:
    photo = read_photo(shot)
    job = give_frame(new_job(photo), *read_frame(empty, photo))
    found = region_by_set(job)
    assert found is not None
    region = found.region
    truth = studio.ALPHA > 0.5
    assert (region & truth).sum() / (region | truth).sum() > 0.9
    assert mark_by_set(job, found).has_subject
    assert region_by_set(without_frame(job)) is None


def test_colours_come_from_the_set(shot: Path, empty: Path) -> None:
    solved = solve_job(_given(shot, empty))[0]
    found = []
    for job in (solved, solve_job(without_frame(solved))[0]):
        stages = Stages(job.photo, Cache(64_000_000))
        colours, alpha = stages.foreground(job, job.photo.bounds, 0), job.alpha(job.photo.bounds)
        half = (studio.ALPHA > 0.3) & (studio.ALPHA < 0.9)
        found.append(float((np.abs(colours - studio.subject()).mean(axis=2) * alpha)[half].mean()))
    assert found[0] < 0.85 * found[1]


def test_fit_says_how_it_lies_and_where_the_set_has_changed(shot: Path, empty: Path, tmp_path: Path) -> None:
    fit = fit_of(_given(shot, empty))
    assert fit is not None
    assert fit.share > 0.95
    assert fit.misfits == ()
    assert fit.stops == pytest.approx(studio.DRIFT[3], abs=0.05)
    assert "stops darker" in fit.says
    hung = studio.bare_wall()
    hung[:, 300:] = np.roll(hung, 60, axis=0)[:, 300:]
    changed = fit_of(_given(shot, studio.save(tmp_path / "hung.png", hung)))
    assert changed is not None
    assert any("right" in place for place in changed.misfits)
    assert not any("left" in place for place in changed.misfits)


def test_a_subject_that_moved_is_said_where_it_did(shot: Path, tmp_path: Path) -> None:
    moved = studio.subject()
    moved[:, 190:] = np.clip(moved + 0.25 * studio.noise(9, 3), 0, 1)[:, 190:]
    cloth = np.full_like(moved, 0.85)
    frame = studio.ALPHA[..., None] * moved + (1 - studio.ALPHA[..., None]) * cloth
    fit = fit_of(_given(shot, studio.save(tmp_path / "moved.png", frame)))
    assert fit is not None
    assert "The subject has moved at the" in fit.says
    assert "middle" in fit.misfits
    assert "left" not in fit.misfits


def test_a_curtain_that_moved_makes_nothing_worse(shot: Path, tmp_path: Path) -> None:
    hung = studio.bare_wall()
    hung[:, 230:] = np.roll(hung, 60, axis=0)[:, 230:]
    moved = _given(shot, studio.save(tmp_path / "hung.png", hung))
    assert _error(moved) < 1.05 * _error(without_frame(moved))


def test_a_nudge_moves_the_frame_and_asks_for_another_matte(shot: Path, empty: Path) -> None:
    job = solve_job(_given(shot, empty))[0]
    moved = set_value(job, "photo.frame_nudge.right_px", 6.0)
    assert question(moved) != question(job)
    assert not moved.is_solved
    stages = Stages(job.photo, Cache(64_000_000))
    before, after = (render(stages, one, View.SECOND, job.photo.bounds, 0).astype(int) for one in (job, moved))
    inner = np.s_[30:-30, 40:-40]
    assert np.abs(np.roll(before, 6, axis=1)[inner] - after[inner]).mean() < 3
    assert np.abs(before[inner] - after[inner]).mean() > 3


def test_a_job_keeps_its_frame_and_opens_with_it(shot: Path, empty: Path, tmp_path: Path) -> None:
    session = Session.begin(shot, tmp_path / "job.peel")
    session.apply("Second frame", lambda job: give_frame(job, *read_frame(empty, job.photo)))
    session.close()
    job = load_job(tmp_path / "job.peel")
    assert frame_of(job) is not None
    project = ProjectFile.open(tmp_path / "job.peel")
    project.close()


def test_a_frame_that_is_missing_or_damaged_is_as_none(shot: Path, empty: Path) -> None:
    job = _given(shot, empty)
    lost = Job(job.photo, job.planes, job.settings)
    assert frame_of(lost) is None
    assert fit_of(lost) is None
    assert solve_job(lost)[0].is_solved


def test_a_set_is_carried_to_photos_of_its_framing_and_another_take_to_none(
    shot: Path, empty: Path, again: Path, tmp_path: Path
) -> None:
    moved = np.roll(studio.ALPHA, 30, axis=1)
    other = new_job(read_photo(studio.save(tmp_path / "second.png", studio.photo(moved))))
    assert frame_of(carried(_given(shot, empty), other, "recipe").job) is not None
    assert carried(_given(shot, again), other, "recipe").job.settings.recipe.second_frame.picture is None
    elsewhere = np.clip(0.5 + 0.2 * studio.noise(40, 4), 0, 1)
    stranger = new_job(read_photo(studio.save(tmp_path / "elsewhere.png", elsewhere)))
    done = carried(_given(shot, empty), stranger, "recipe")
    assert done.job.settings.recipe.second_frame.picture is None
    assert "not the empty set" in done.says


def test_one_set_is_given_to_many_photos(shot: Path, empty: Path, again: Path, tmp_path: Path) -> None:
    said = give_set(empty, shot, tmp_path / "shot.peel")
    assert "agrees on" in said
    job = load_job(tmp_path / "shot.peel")
    assert job.is_solved
    assert np.abs(job.alpha(job.photo.bounds) - studio.ALPHA).mean() < 0.02
    with pytest.raises(PhotoError, match="same subject before another backdrop"):
        give_set(again, shot, tmp_path / "shot.peel")


def test_a_recipe_brings_its_set(shot: Path, empty: Path, tmp_path: Path) -> None:
    from peel.files.recipes import read_recipe

    recipe = tmp_path / "recipe.json"
    recipe.write_text(json.dumps({"second_frame": {"file": empty.name}}))
    propose_job(shot, tmp_path / "begun.peel", read_recipe(recipe))
    job = load_job(tmp_path / "begun.peel")
    assert frame_of(job) is not None
    assert np.abs(job.alpha(job.photo.bounds) - studio.ALPHA).mean() < 0.02


def test_cut_by_the_set_alone_and_what_is_refused(
    shot: Path, empty: Path, again: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    matte = tmp_path / "matte.png"
    report = cut(CutRequest(photo=shot, empty=empty), CutFiles(matte=matte))
    assert report.frame is not None
    assert report.as_json()["frame"]["kind"] == "empty"  # type: ignore[index]
    found = np.asarray(Image.open(matte), np.float32) / 65535
    assert np.abs(found - studio.ALPHA).mean() < 0.02
    assert main(["cut", str(shot), "--empty", str(again), "--matte", str(matte)]) != 0
    assert "--again" in capsys.readouterr().err
    assert main(["cut", str(shot), "--empty", str(empty), "--again", str(again), "--matte", str(matte)]) != 0
    assert "one second frame" in capsys.readouterr().err
    assert main(["cut", str(shot), "--again", str(again), "--matte", str(matte)]) != 0
    assert prepared(CutRequest(photo=shot, empty=empty)).has_subject
