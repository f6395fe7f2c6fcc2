"""The architecture page tells the truth about where things are."""

import re
from pathlib import Path

import pytest

from peel.desk.asking import TASKS
from peel.files.migrations import VERSION

ROOT = Path(__file__).parent.parent
PAGE = (ROOT / "docs" / "architecture.md").read_text()


def _named_paths() -> list[str]:
    """Return the files that the page names; a bare file name lies beside the one named before it."""
    found, folder = [], ""
    for named in re.findall(r"`([\w./-]+\.(?:py|md|toml))`", PAGE):
        folder = str(Path(named).parent) if "/" in named else folder
        found.append(named if "/" in named else f"{folder}/{named}")
    return found


@pytest.mark.parametrize("named", sorted(set(_named_paths())))
def test_every_file_that_the_architecture_names_is_there(named: str) -> None:
    assert any((base / named).exists() for base in (ROOT / "src" / "peel", ROOT / "src", ROOT))


def test_every_folder_of_the_layers_is_named() -> None:
    for layer in ("desk", "work", "job", "files", "matte", "cli"):
        for folder in (ROOT / "src" / "peel" / layer).iterdir():
            if folder.is_dir() and (folder / "__init__.py").exists():
                assert f"{layer}/{folder.name}" in PAGE, f"{layer}/{folder.name}"


def test_the_version_of_the_job_file_is_told() -> None:
    assert f"format {VERSION}" in (ROOT / "docs" / "project-file.md").read_text().lower()


def test_the_number_of_tasks_that_workers_are_asked_is_told() -> None:
    import peel.desk.bench
    import peel.desk.board.board_desk  # noqa: F401 - both register their tasks

    assert f"{len(TASKS)} tasks" in PAGE
