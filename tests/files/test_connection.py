"""Looking into job files: after a crash in mid-change, and while they are open here."""

import subprocess
import sys
from pathlib import Path

import pytest

from peel.errors import ProjectError
from peel.files.connection import looking_into
from peel.files.project import ProjectFile
from peel.work.many.batches import propose_job
from peel.work.many.board import Board
from peel.work.many.status import Progress, Status, read_status
from peel.work.many.thumbs import noted_thumb

_DIE_IN_MID_CHANGE = """
import os, signal, sys
from pathlib import Path
from peel.files.connection import connect
sql = connect(Path(sys.argv[1]))
sql.execute("PRAGMA cache_size = 1")  # so that the change reaches the file before it is whole
sql.execute("BEGIN IMMEDIATE")
sql.execute("UPDATE note SET value = 'broken'")
sql.execute("CREATE TABLE filler (content)")
sql.executemany("INSERT INTO filler VALUES (zeroblob(100000))", [()] * 20)
os.kill(os.getpid(), signal.SIGKILL)
"""
_OPEN = """
import sys
from pathlib import Path
from peel.errors import ProjectError
from peel.files.connection import open_checked
try:
    open_checked(Path(sys.argv[1]))
except ProjectError as error:
    print(error.message)
"""


def _python(code: str, path: Path) -> str:
    return subprocess.run([sys.executable, "-c", code, str(path)], check=False, capture_output=True, text=True).stdout


@pytest.fixture
def proposed(tmp_path: Path, disc_file: Path) -> Path:
    path = tmp_path / "disc.peel"
    propose_job(disc_file, path)
    return path


@pytest.mark.parametrize("look", [read_status, noted_thumb, ProjectFile.fingerprint])
def test_a_change_that_a_crash_interrupted_is_taken_back_by_whoever_looks_first(look: object, proposed: Path) -> None:
    assert callable(look)
    before = look(proposed)
    _python(_DIE_IN_MID_CHANGE, proposed)
    assert proposed.with_name("disc.peel-journal").exists()

    assert look(proposed) == before
    assert not proposed.with_name("disc.peel-journal").exists()


def test_a_job_that_is_open_here_stays_locked_while_its_board_is_looked_at(proposed: Path, disc_file: Path) -> None:
    project = ProjectFile.open(proposed)
    board = Board(photos=[disc_file, proposed])
    board.tell(proposed, Status(Progress.SNAGS, 3))

    entries = {entry.photo: entry for entry in (board.scan(), board.scan())[1]}

    assert entries[proposed].status == Status(Progress.SNAGS, 3)
    assert "already open" in _python(_OPEN, proposed)
    with pytest.raises(ProjectError, match="already open"), looking_into(proposed):
        pass
    assert "already open" in _python(_OPEN, proposed)
    project.close()
    assert _python(_OPEN, proposed) == ""
