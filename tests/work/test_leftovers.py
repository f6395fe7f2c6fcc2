import os
import time
from pathlib import Path

import pytest

from peel.errors import MarkError, ProjectError
from peel.job.edits import contours
from peel.job.job import Job
from peel.work.marking.drawing import set_point
from peel.work.session import job_files, memory
from peel.work.session.leftovers import clear, old_jobs, tidy_up


def _unkept(name: str, days: float) -> Path:
    path = job_files.new_working_path(name)
    path.write_bytes(b"x" * 1000)
    then = time.time() - days * 24 * 3600
    os.utime(path, (then, then))
    return path


def test_jobs_not_touched_for_a_month_are_offered_to_be_cleared_and_no_others() -> None:
    old, other, fresh, last = (_unkept(name, days) for name, days in (("a", 40), ("b", 90), ("c", 3), ("d", 50)))
    memory.write_open_job(last)

    found = old_jobs()
    assert set(found.paths) == {old, other}
    assert found.size_bytes == 2000
    os.utime(other)  # opened meanwhile

    clear(found)

    assert not old.exists()
    assert other.exists()
    assert fresh.exists()
    assert last.exists()


def test_pictures_pasted_more_than_a_month_ago_are_removed() -> None:
    tidy_up()  # nothing was ever pasted
    folder = memory.pasted_folder()
    folder.mkdir()
    paths = [folder / "Pasted then.png", folder / "Pasted now.png"]
    for path in paths:
        path.write_bytes(b"x")
    then = time.time() - 40 * 24 * 3600
    os.utime(paths[0], (then, then))
    tidy_up()
    assert list(folder.iterdir()) == paths[1:]


def test_a_state_folder_that_cannot_be_made_is_explained_and_forgets_quietly(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "file").write_bytes(b"")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "file"))

    with pytest.raises(ProjectError, match="cannot be made"):
        memory.state_folder()
    memory.write_state("key", 1)
    assert memory.read_state("key") is None
    assert memory.read_open_job() is None


@pytest.mark.parametrize("to", [(1e9, 0.0), (float("inf"), 3.0), (float("nan"), 3.0)])
def test_a_point_that_could_not_be_loaded_again_is_refused_when_it_is_set(
    disc_job: Job, to: tuple[float, float]
) -> None:
    job = set_point(disc_job, (10.0, 10.0), 5, False, False, None)

    with pytest.raises(MarkError, match="too far"):
        set_point(job, to, 5, False, False, None)
    with pytest.raises(MarkError, match="too far"):
        contours.with_moved(job.settings.photo.contours[0], 0, to)
