"""A photo has one job: found wherever it lies, and told from that of another photo of the same name."""

import os
import threading
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from peel.desk.starting import Closing
from peel.errors import ProjectError
from peel.files.presets import keep_preset
from peel.files.project import ProjectFile
from peel.files.project_checks import photo_digest
from peel.job.edits.marking import Zone, mark_region
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.preset import Preset
from peel.work.delivering.delivery import deliver_job
from peel.work.delivering.rows import RunRow
from peel.work.inspecting.inspector import Inspector
from peel.work.many.assignment import Assignment
from peel.work.many.batches import approve, load_job, photos_in, propose_job
from peel.work.many.board import Board
from peel.work.many.photo_jobs import job_of, job_path_for, note_job, noted_jobs
from peel.work.many.runs import RunOrder, file_stems, run
from peel.work.many.status import Progress
from peel.work.session.job_files import new_working_path
from peel.work.session.session import Session
from peel.work.session.session_events import Trouble

pytestmark = pytest.mark.slow


def _digest(path: Path) -> str:
    return photo_digest(path.read_bytes())


def _begun(photo: Path, job: Path) -> Path:
    job.parent.mkdir(parents=True, exist_ok=True)
    Session.begin(photo, job).close()
    return job


def _mark(session: Session) -> None:
    region = np.zeros((300, 420), bool)
    region[80:220, 140:280] = True
    session.apply("Mark", lambda job: mark_region(job, region, Zone.SUBJECT))
    session.wait_idle()


def test_a_job_beside_the_photo_comes_first_then_kept_ones_then_those_never_kept(
    disc_file: Path, tmp_path: Path
) -> None:
    digest = _digest(disc_file)
    assert job_of(disc_file, digest) is None
    unkept = _begun(disc_file, new_working_path(disc_file.name))
    assert job_of(disc_file, digest).path == unkept
    kept = _begun(disc_file, tmp_path / "elsewhere" / "named.peel")
    note_job(disc_file, digest, kept)
    assert job_of(disc_file, digest).path == kept
    beside = _begun(disc_file, disc_file.with_suffix(".peel"))
    assert job_of(disc_file, digest).path == beside
    beside.unlink()
    kept.unlink()
    assert job_of(disc_file, digest).path == unkept


def test_a_renamed_photo_is_known_by_its_bytes_and_a_replaced_one_is_said(disc_file: Path, tmp_path: Path) -> None:
    job = _begun(disc_file, disc_file.with_suffix(".peel"))
    moved = tmp_path / "moved" / "other.png"
    moved.parent.mkdir()
    moved.write_bytes(disc_file.read_bytes())
    note_job(disc_file, _digest(disc_file), job)
    assert job_of(moved, _digest(moved)).path == job
    Image.new("RGB", (60, 40), (9, 90, 200)).save(disc_file)
    found = job_of(disc_file, _digest(disc_file))
    assert found.path == job
    assert found.is_changed


def test_notes_of_many_threads_at_a_time_are_all_kept(disc_file: Path, tmp_path: Path) -> None:
    jobs = [_begun(disc_file, tmp_path / f"{number}" / "disc.peel") for number in range(8)]
    threads = [threading.Thread(target=note_job, args=(job.with_suffix(".png"), "d", job)) for job in jobs]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(noted_jobs().values()) == jobs


def test_a_session_that_the_desk_asks_for_while_it_is_borrowed_stays_open(disc_file: Path, tmp_path: Path) -> None:
    job = _begun(disc_file, tmp_path / "disc.peel")
    assignment = Assignment()
    try:
        with assignment.borrowed(job) as session:
            assert assignment.open_job(job).session is session
        assert assignment.session_on(job) is session
        _mark(session)
        assert session.is_stored
    finally:
        assignment.close()


def test_photos_that_differ_in_their_suffix_only_have_two_jobs(disc_file: Path) -> None:
    plain = _begun(disc_file, job_path_for(disc_file, disc_file.parent))
    assert plain.name == "disc.peel"
    other = disc_file.with_suffix(".jpg")
    Image.new("RGB", (60, 40), (9, 90, 200)).save(other)
    assert job_path_for(disc_file, disc_file.parent) == plain
    assert job_path_for(other, other.parent).name == "disc.jpg.peel"
    assert job_of(other, _digest(other)) is None


def test_the_board_shows_the_unkept_job_and_takes_it_in(disc_file: Path) -> None:
    session = Session.begin(disc_file, new_working_path(disc_file.name))
    _mark(session)
    unkept = session.project.path
    session.close()
    note_job(disc_file, _digest(disc_file), unkept)
    board = Board(disc_file.parent)
    assert board.scan()[0].job == unkept

    assert board.adopt() == []

    entry = board.scan()[0]
    assert entry.job == disc_file.with_suffix(".peel")
    assert not unkept.exists()
    assert load_job(entry.job).has_subject


def test_a_card_says_that_the_photo_was_replaced(disc_file: Path) -> None:
    propose_job(disc_file, disc_file.with_suffix(".peel"))
    board = Board(disc_file.parent)
    board.scan()
    Image.new("RGB", (60, 40), (9, 90, 200)).save(disc_file)
    board.scan()
    assert board.scan()[0].status.progress is Progress.CHANGED


def test_pipes_and_folders_called_like_photos_or_jobs_are_passed_over(disc_file: Path) -> None:
    folder = disc_file.parent
    os.mkfifo(folder / "pipe.jpg")
    os.mkfifo(folder / "pipe.peel")
    (folder / "folder.png").mkdir()
    listed: list[list[str]] = []
    thread = threading.Thread(target=lambda: listed.append([entry.name for entry in Board(folder).scan()]), daemon=True)
    thread.start()
    thread.join(20)
    assert listed == [["disc.png"]]
    assert photos_in(folder) == [disc_file]
    with pytest.raises(ProjectError, match="no file"):
        ProjectFile.open(folder / "pipe.peel")


def test_what_is_on_the_desk_is_never_closed_by_a_run(disc_file: Path, tmp_path: Path) -> None:
    assignment = Assignment(most_open=1)
    session = assignment.begin(disc_file.read_bytes(), disc_file, job=tmp_path / "disc.peel").session
    assignment.put_on_desk(session)
    try:
        _mark(session)
        with assignment.borrowed(session.project.path) as shared:
            assert shared is session
        other = tmp_path / "b" / "disc.png"
        other.parent.mkdir()
        Image.new("RGB", (60, 40), (9, 90, 200)).save(other)
        assignment.begin(other.read_bytes(), other)
        session.apply("Approve", lambda job: job.with_photo_settings(spill_shared=True))
        session.wait_idle()
        assert session.job.settings.photo.spill_shared
        assert session.is_stored
    finally:
        assignment.close()


def test_a_borrowed_session_stays_open_until_it_is_given_back(disc_file: Path, tmp_path: Path) -> None:
    job = _begun(disc_file, tmp_path / "disc.peel")
    assignment = Assignment()
    try:
        with assignment.borrowed(job) as session:
            assignment.close_session(session)
            approve(session)
            assert session.is_stored
        assert assignment.session_on(job) is None
        ProjectFile.open(job).close()
    finally:
        assignment.close()


def test_a_closed_session_says_that_nothing_was_changed(disc_file: Path, tmp_path: Path) -> None:
    session = Session.begin(disc_file, tmp_path / "disc.peel")
    events: list[object] = []
    session.listen(events.append)
    session.close()

    session.apply("Mark", lambda job: job)
    session.undo()
    session.note("place", "x")

    said = [event.message for event in events if isinstance(event, Trouble)]
    assert len(said) == 2
    assert all("is closed" in text for text in said)


@pytest.mark.parametrize("replaced", [False, True])
def test_a_job_whose_file_is_deleted_or_replaced_is_written_anew(
    disc_file: Path, tmp_path: Path, replaced: bool
) -> None:
    path = tmp_path / "disc.peel"
    session = Session.begin(disc_file, path)
    events: list[object] = []
    session.listen(events.append)
    path.unlink()
    if replaced:
        path.write_bytes(b"something else")

    _mark(session)
    session.apply("Second", lambda job: job.with_photo_settings(spill_shared=True))
    session.wait_idle()
    where = session.project.path
    session.close()

    assert [event for event in events if isinstance(event, Trouble) and "deleted or replaced" in event.message]
    assert (where == path) is not replaced
    project = ProjectFile.open(where)
    labels = [state.label for state in project.history().states]
    project.close()
    assert labels == ["Open", "Mark", "Second"]
    assert load_job(where).settings.photo.spill_shared
    if replaced:
        assert path.read_bytes() == b"something else"


def test_a_change_that_is_not_on_disk_is_a_failure(disc_file: Path, tmp_path: Path, monkeypatch) -> None:
    def full(self: ProjectFile, label: str, job: object) -> int:
        raise ProjectError(f"{self.path} could not be written: the disk is full.", "Make room.")

    real = ProjectFile.append
    monkeypatch.setattr(
        ProjectFile, "append", lambda self, label, job: (real if label == "Open" else full)(self, label, job)
    )
    with pytest.raises(ProjectError, match="the disk is full"):
        propose_job(disc_file, tmp_path / "out" / "disc.peel")
    assert list((tmp_path / "out").iterdir()) == []


def test_photos_of_one_name_are_delivered_under_two(disc_file: Path, tmp_path: Path) -> None:
    jobs = []
    for folder, colour in (("a", (200, 30, 30)), ("b", (30, 200, 30))):
        photo = tmp_path / folder / "IMG_1.png"
        photo.parent.mkdir()
        picture = np.asarray(Image.open(disc_file)).copy()
        picture[120:180, 180:240] = colour
        Image.fromarray(picture).save(photo)
        jobs.append(photo.with_suffix(".peel"))
        propose_job(photo, jobs[-1])
    assert file_stems(jobs) == ["IMG_1", "IMG_1-2"]

    order = RunOrder(str(tmp_path / "out"), (Preset(name="Flat", product="flat", format="png"),), unseen=True)
    rows = [row for _, row in run(jobs, order)]

    assert not any(row.error for row in rows)
    files = sorted(path for path in (tmp_path / "out").glob("*.png"))
    assert len(files) == 2
    middles = {tuple(np.asarray(Image.open(path).convert("RGB"))[150, 210]) for path in files}
    assert len(middles) == 2


def _row_of(job: Path, order: RunOrder) -> RunRow:
    ((_, row),) = run([job], order)
    assert not row.error
    return row


def test_going_on_notices_a_changed_preset_that_the_job_itself_names(disc_file: Path, tmp_path: Path) -> None:
    keep_preset(Preset(name="Shop", product="flat", format="jpeg", quality=60, file_name="{name}-shop"))
    job = disc_file.with_suffix(".peel")
    propose_job(disc_file, job)
    session = Session.resume(ProjectFile.open(job))
    session.apply("Preset", lambda own: set_value(own, "recipe.delivery.presets", ("Shop",)))
    session.wait_idle()
    session.close()
    order = RunOrder(str(tmp_path / "out"), resumes=True)
    first = _row_of(job, order)
    assert _row_of(job, order).skipped

    keep_preset(Preset(name="Shop", product="flat", format="jpeg", quality=95, file_name="{name}-shop"))

    again = _row_of(job, order)
    assert not again.skipped
    sizes = [{item.file: item.bytes for item in row.files} for row in (first, again)]
    assert sizes[0] != sizes[1]


def test_a_run_ended_between_file_and_note_makes_no_second_file(
    disc_file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    job = disc_file.with_suffix(".peel")
    propose_job(disc_file, job)
    numbered = Preset(name="Numbered", product="flat", format="jpeg", existing="number")
    order = RunOrder(str(tmp_path / "out"), (numbered,), resumes=True, unseen=True)

    def ended(*given: Any, **named: Any) -> None:
        deliver_job(*given, **named)
        raise KeyboardInterrupt

    with monkeypatch.context() as patched:
        patched.setattr("peel.work.many.runs.deliver_job", ended)
        with pytest.raises(KeyboardInterrupt):
            list(run([job], order))
    assert [path.name for path in (tmp_path / "out").glob("*.jpg")] == ["disc-flat.jpg"]

    _row_of(job, order)

    assert [path.name for path in (tmp_path / "out").glob("*.jpg")] == ["disc-flat.jpg"]


def test_closing_goes_on_past_a_step_that_fails() -> None:
    done: list[int] = []

    def fails() -> None:
        raise RuntimeError("cannot be ended in order")

    closing = Closing([lambda: done.append(1), fails, lambda: done.append(2)])
    closing.run()
    assert done == [1, 2]


def test_the_report_of_a_delivery_counts_the_snags_and_inspects_what_was_not(
    disc_file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    job = disc_file.with_suffix(".peel")
    propose_job(disc_file, job)
    inspected: list[Job] = []
    real = Inspector.inspect
    monkeypatch.setattr(Inspector, "inspect", lambda self, own: inspected.append(own) or real(self, own))

    row = _row_of(job, RunOrder(str(tmp_path / "out"), unseen=True))

    assert isinstance(row.snags_open, int)
    assert inspected == [], "it was inspected when it was proposed, and has not changed since"
    session = Session.resume(ProjectFile.open(job))
    _mark(session)
    session.close()
    _row_of(job, RunOrder(str(tmp_path / "out"), unseen=True))
    assert len(inspected) == 1
