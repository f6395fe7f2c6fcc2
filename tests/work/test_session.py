import math
import threading
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from conftest import outlined, soft_disc
from peel.errors import MarkError, ProjectError
from peel.files.project import ProjectFile
from peel.job.edits import contours, marking
from peel.job.edits import values as edits
from peel.job.edits.marking import Stroke, Zone
from peel.job.job import MATTE_ONE, Job, Photo, new_job
from peel.job.settings import Backing, Separation
from peel.matte.solve.closed_form import solve_matte
from peel.work.separating.choosing import put_separation
from peel.work.session import job_files, memory, recovery
from peel.work.session.session import Session
from peel.work.session.session_events import SessionEvent, Stored, Trouble
from peel.work.solving.solve import solve_job

OUTLINE = [(210 + 90 * math.cos(turn), 150 + 90 * math.sin(turn)) for turn in np.linspace(0, 2 * math.pi, 40)[:-1]]


@pytest.fixture
def session(disc_file: Path) -> Any:
    opened = Session.begin(disc_file, job_files.new_working_path(disc_file.name))
    yield opened
    opened.close()


def _mark(session: Session) -> None:
    session.apply("Points", lambda job: outlined(job, OUTLINE))
    session.apply("Close", contours.close_contour)
    session.apply("Band", lambda job: marking.paint_zone(job, _ring(), Zone.UNSURE))


def _ring() -> Stroke:
    angles = np.linspace(0, 2 * np.pi, 60)
    return Stroke(tuple((210 + 92 * float(np.cos(a)), 150 + 92 * float(np.sin(a))) for a in angles), 16)


def test_an_edit_is_solved_by_itself(session: Session) -> None:
    _mark(session)

    assert session.wait_idle(60)
    job = session.job
    assert job.is_solved
    matte = job.matte.read()
    assert matte[150, 210] == MATTE_ONE
    assert matte[150, 210 + 90] == pytest.approx(MATTE_ONE / 2, rel=0.2)  # half-way up the soft rim


def test_undo_and_redo_restore_zones_and_matte(session: Session) -> None:
    _mark(session)
    session.wait_idle(60)
    marked = session.job

    session.undo()
    session.wait_idle(60)
    undone = session.job
    session.redo()
    session.wait_idle(60)

    assert session.history.current.label == "Band"
    assert not np.array_equal(undone.zones.read(), marked.zones.read())
    assert np.array_equal(session.job.matte.read(), marked.matte.read())


def test_a_drag_is_one_step_of_undo(session: Session) -> None:
    for shade in ("#111111", "#222222", "#333333"):
        backing = Backing(kind="colour", colour=shade)
        session.apply(
            "Backing", lambda job, b=backing: job.with_recipe(backing=b), gesture="drag", ends=shade == "#333333"
        )
    session.wait_idle()

    session.undo()
    session.wait_idle()

    assert session.job.settings.recipe.backing.kind == "nothing"
    assert session.history.redo_label == "Backing"


def test_an_edit_that_changes_nothing_is_no_step(session: Session) -> None:
    session.apply("Nothing", lambda job: job)
    session.wait_idle()

    assert session.history.undo_label is None


def test_everything_is_there_again_without_saving(session: Session, disc_file: Path) -> None:
    _mark(session)
    session.apply("Backing", lambda job: job.with_recipe(backing=Backing(kind="colour", colour="#123456")))
    session.wait_idle(60)
    before, labels = session.job, [state.label for state in session.history.states]
    path = session.project.path
    session.close()

    again = Session.resume(ProjectFile.open(path))

    assert np.array_equal(again.job.matte.read(), before.matte.read())
    assert again.job.settings == before.settings
    assert [state.label for state in again.history.states] == labels
    for _ in labels:
        again.undo()
    assert again.wait_idle(60)
    assert not again.job.has_subject
    again.close()


def test_a_full_disk_is_said_and_nothing_is_lost(session: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    news: list[SessionEvent] = []
    session.listen(news.append)
    real = ProjectFile.append

    def refuses(*_args: object) -> int:
        message = "the disk is full."
        raise ProjectError(message, "Make room.")

    monkeypatch.setattr(ProjectFile, "append", refuses)
    session.apply("First", lambda job: outlined(job, OUTLINE))
    session.wait_idle()
    assert any(isinstance(item, Trouble) and "disk is full" in item.message for item in news)
    assert not session.is_stored
    monkeypatch.setattr(ProjectFile, "append", real)

    session.apply("Second", contours.close_contour)
    session.wait_idle(60)

    assert session.is_stored
    assert [item for item in news if isinstance(item, Stored)][-1].is_complete
    assert [state.label for state in session.project.history().states] == ["Open", "First", "Second"]


def test_a_bug_in_an_edit_is_reported_and_work_goes_on(session: Session) -> None:
    news: list[SessionEvent] = []
    session.listen(news.append)

    session.apply("Bug", lambda _job: 1 // 0)  # type: ignore[arg-type, return-value]
    session.apply("Fine", lambda job: outlined(job, OUTLINE))
    session.wait_idle()

    assert any(isinstance(item, Trouble) and "ZeroDivisionError" in item.trace for item in news)
    assert session.history.undo_label == "Fine"


def test_a_local_solve_agrees_with_a_full_one(disc_job: Job) -> None:
    job = marking.paint_zone(disc_job, Stroke(((210, 150),), 70), Zone.SUBJECT)
    job = solve_job(marking.paint_zone(job, _ring(), Zone.UNSURE))[0]
    changed = marking.paint_zone(job, Stroke(((300, 150), (310, 170)), 22), Zone.UNSURE)

    local = solve_job(changed)[0]

    full, _ = solve_matte(changed.photo.colours(changed.photo.bounds), changed.zones.read())
    assert local.is_solved
    away = np.abs(local.alpha(local.photo.bounds) - full)
    # single pixels differ more: both stop at a residual, and cleaning moves values near 0 and 1
    assert np.percentile(away, 99) <= 2 / 255
    assert away.max() <= 12 / 255


def test_unkept_jobs_are_offered_and_kept_ones_are_not(session: Session, tmp_path: Path) -> None:
    working = session.project.path
    assert job_files.unkept() == [working]
    assert job_files.unkept_for("disc.png") == working

    session.keep_as(tmp_path / "kept.peel")

    assert job_files.unkept() == []
    assert session.project.path == tmp_path / "kept.peel"


def test_a_read_only_job_is_opened_as_a_copy(session: Session, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    session.keep_as(tmp_path / "kept.peel")
    session.close()
    monkeypatch.setattr("os.access", lambda path, _mode: Path(path) != tmp_path / "kept.peel")

    opened = recovery.open_job(tmp_path / "kept.peel")

    assert "read-only" in opened.notice
    assert opened.session.project.path.parent == working_folder()
    opened.session.close()


def working_folder() -> Path:
    return memory.state_folder() / "unkept"


def test_what_was_open_is_remembered(session: Session) -> None:
    assert memory.read_open_job() is None

    memory.write_open_job(session.project.path)

    assert memory.read_open_job() == session.project.path
    (memory.state_folder() / "memory.json").write_text("{ broken", "utf-8")
    assert memory.read_open_job() is None


def test_choosing_how_strands_mix_solves_the_matte_again_and_is_kept(disc_job: Job) -> None:
    job = marking.paint_zone(disc_job, Stroke(((210, 150),), 70), Zone.SUBJECT)
    solved = solve_job(marking.paint_zone(job, _ring(), Zone.UNSURE))[0]

    asked = edits.set_value(solved, "photo.mixing", "light")
    again = solve_job(asked)[0]

    assert solved.settings.photo.known_mixing == "value"
    assert not asked.is_solved
    assert again.is_solved
    assert again.settings.photo.known_mixing == "light"
    assert np.abs(again.alpha(again.photo.bounds) - solved.alpha(solved.photo.bounds)).max() > 0.01


def test_a_sheer_colour_given_brings_the_matte_nearer_to_the_truth() -> None:
    rng = np.random.default_rng(0)
    veil, wall, solid = np.array([0.9, 0.86, 0.7]), np.array([0.25, 0.35, 0.45]), np.array([0.5, 0.1, 0.1])
    columns = np.arange(200)
    alpha = np.where(columns < 60, 1.0, np.where(columns < 140, 0.45, 0.0))[None].repeat(120, 0)
    backdrop = wall + 0.12 * np.sin(np.arange(120) / 5)[:, None, None] * np.ones((1, 200, 1))
    subject = np.where((columns < 60)[None, :, None], solid, veil)
    photo = alpha[..., None] * subject + (1 - alpha[..., None]) * backdrop + rng.normal(0, 0.004, (120, 200, 3))
    zones = np.full((120, 200), 128, np.uint8)
    zones[:, :56], zones[:, 144:] = 255, 0
    job = edits.use_zones(new_job(Photo("veil.png", np.round(np.clip(photo, 0, 1) * 255).astype(np.uint8))), zones)
    job = edits.set_value(job, "photo.mixing", "value")

    plain = solve_job(job)[0]
    told = solve_job(edits.set_value(job, "photo.sheer_colours", ("#e6dbb3",)))[0]

    def error(solved: Job) -> float:
        return float(np.abs(solved.alpha(solved.photo.bounds) - alpha)[:, 70:130].mean())

    assert error(told) < 0.6 * error(plain)


def test_a_dragged_value_is_written_to_disk_when_the_gesture_ends(session: Session) -> None:
    session.wait_idle()
    for clean in (0.9, 0.6, 0.3):
        session.apply(
            "Strength", lambda job, c=clean: edits.set_value(job, "recipe.colour.clean", c), gesture=1, ends=False
        )
    session.wait_idle()
    assert not session.is_stored
    assert len(session.project.history().states) == 1

    session.apply("Strength", lambda job: job, gesture=1)
    session.wait_idle()

    assert session.is_stored
    assert [state.label for state in session.project.history().states] == ["Open", "Strength"]
    assert session.job.settings.recipe.colour.clean == 0.3
    session.undo()
    session.wait_idle()
    assert session.job.settings.recipe.colour.clean == 1


def test_a_gesture_that_is_left_open_is_written_when_anything_else_happens(session: Session) -> None:
    session.apply("Strength", lambda job: edits.set_value(job, "recipe.colour.clean", 0.4), gesture=1, ends=False)
    session.apply("Band", lambda job: edits.set_value(job, "recipe.band.outward_px", 30))
    session.apply("Strength", lambda job: edits.set_value(job, "recipe.colour.clean", 0.2), gesture=1, ends=False)
    session.wait_idle()
    path = session.project.path

    session.close()

    again = ProjectFile.open(path)
    assert [state.label for state in again.history().states] == ["Open", "Strength", "Band", "Strength"]
    again.close()


def test_switching_how_colours_mix_while_the_first_solve_runs_solves_it_that_way(
    session: Session, monkeypatch: pytest.MonkeyPatch
) -> None:
    started, go_on = threading.Event(), threading.Event()
    real = solve_job

    def slow(job: Job, *given: Any, **named: Any) -> Any:
        started.set()
        go_on.wait(10)
        return real(job, *given, **named)

    monkeypatch.setattr("peel.work.solving.follower.solve_job", slow)
    _mark(session)
    assert started.wait(10)

    session.apply("Mixing", lambda job: edits.set_value(job, "photo.mixing", "light"))
    go_on.set()

    assert session.wait_idle(60)
    assert session.job.is_solved
    assert session.job.settings.photo.is_linear
    assert session.is_stored


def test_edits_made_while_a_job_is_kept_are_in_the_kept_file(session: Session, tmp_path: Path) -> None:
    keeping = threading.Thread(target=session.keep_as, args=(tmp_path / "kept.peel",))
    for number in range(30):
        session.apply(f"{number}", lambda job, n=number: edits.set_value(job, "recipe.band.outward_px", 20 + n))
        if number == 10:
            keeping.start()
    keeping.join(30)
    session.wait_idle(60)
    assert session.is_stored
    session.close()

    kept = ProjectFile.open(tmp_path / "kept.peel")
    assert [state.label for state in kept.history().states][1:] == [str(number) for number in range(30)]
    kept.close()


def test_a_failed_keep_leaves_the_session_as_it_was(session: Session, tmp_path: Path) -> None:
    before = session.project.path

    with pytest.raises(ProjectError):
        session.keep_as(tmp_path / "no such folder" / "kept.peel")
    session.apply("Band", lambda job: edits.set_value(job, "recipe.band.outward_px", 31))
    session.wait_idle()

    assert session.project.path == before
    assert session.is_stored


def test_what_is_only_looked_at_while_a_solve_runs_is_not_taken_back_by_its_answer(
    tmp_path: Path, disc_file: Path
) -> None:
    session = Session.begin(disc_file, tmp_path / "work.peel")
    _, _, zones = soft_disc(300, 420, 90)
    session.apply("Zones", lambda job: edits.use_zones(job, zones))
    session.apply("Red", lambda job: put_separation(job, 0, Separation(rendering="red")))
    session.apply("Again", edits.unsolve)
    session.apply("Blue", lambda job: put_separation(job, 0, Separation(rendering="blue")))
    session.wait_idle(60)

    (kept,) = session.job.settings.recipe.separations
    session.close()

    assert kept.rendering == "blue"


def test_a_gesture_whose_last_edit_fails_ends_all_the_same(session: Session) -> None:
    def fails(_job: Job) -> Job:
        raise MarkError("That cannot be.", "Do something else.")

    session.apply("Drag", lambda job: edits.set_value(job, "recipe.colour.clean", 0.5), gesture="drag", ends=False)
    session.apply("Drag", fails, gesture="drag")
    session.wait_idle()
    assert session.is_stored
    session.apply("Drag", lambda job: edits.set_value(job, "recipe.colour.clean", 0.25), gesture="drag")
    session.wait_idle()
    session.undo()
    session.wait_idle()
    assert session.job.settings.recipe.colour.clean == 0.5, "the next drag is a step of its own"
