"""Compiling the kernels once, in a process that computes nothing."""

import os
import subprocess
import threading
from pathlib import Path
from typing import Any

import pytest

from peel.matte import kernel_cache, warm


@pytest.fixture
def sources(tmp_path: Path) -> Path:
    folder = tmp_path / "matte"
    folder.mkdir()
    (folder / "kernels.py").write_text("one")
    return folder


@pytest.fixture
def begun(sources: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> list[list[str]]:
    """A machine on which nothing has been compiled, and the processes begun there."""
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(tmp_path / "cache"))
    monkeypatch.setattr(kernel_cache, "_FOLDER", sources)
    monkeypatch.setattr(warm.importlib, "import_module", lambda _name: None)
    commands: list[list[str]] = []

    def run(command: list[str], **_named: Any) -> None:
        commands.append(command)
        warm.warm()

    monkeypatch.setattr(subprocess, "run", run)
    return commands


def test_kernels_are_compiled_once_in_another_process(begun: list[list[str]]) -> None:
    assert not warm.is_warm()

    threads = [threading.Thread(target=warm.warm_apart) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()

    assert [command[1:] for command in begun] == [["-m", "peel.matte.warm"]]
    assert warm.is_warm()


def test_they_are_compiled_again_when_a_source_has_changed(
    begun: list[list[str]], sources: Path, tmp_path: Path
) -> None:
    warm.warm_apart()
    was = (sources / "kernels.py").stat()
    os.utime(sources / "kernels.py", ns=(was.st_atime_ns, was.st_mtime_ns + 1_000_000))
    assert not warm.is_warm()

    warm.warm_apart()

    assert warm.is_warm()
    assert len(begun) == 2
    assert len(list((tmp_path / "cache").glob("*.warm"))) == 1


def test_a_cache_that_cannot_be_written_stops_nobody(begun: list[list[str]], tmp_path: Path) -> None:
    (tmp_path / "cache").write_text("a file, where a folder should be")

    warm.warm_apart()

    assert not begun


def test_a_process_that_fails_stops_nobody(begun: list[list[str]], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(subprocess, "run", lambda command, **_named: begun.append(command))

    warm.warm_apart()

    assert len(begun) == 1
    assert not warm.is_warm()


@pytest.fixture
def read_only(sources: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Peel where nobody may write, as a package installs it; the folder where its kernels would lie."""
    monkeypatch.setattr(kernel_cache, "_FOLDER", sources)
    monkeypatch.setattr(os, "access", lambda path, _mode: Path(path) != sources)
    for name in ("NUMBA_CACHE_DIR", "NUMBA_CACHE_LOCATOR_CLASSES"):
        monkeypatch.setenv(name, "")
        monkeypatch.delenv(name)
    kernels = sources / "__pycache__"
    kernels.mkdir()
    return kernels


def test_kernels_that_came_with_the_installation_are_used(read_only: Path) -> None:
    kernel_cache.mark_in(read_only).touch()

    kernel_cache.choose_cache()

    assert os.environ["NUMBA_CACHE_LOCATOR_CLASSES"].endswith("InstalledKernels")
    assert warm.is_warm()
    assert not (Path(os.environ["XDG_CACHE_HOME"]) / "peel").exists()


def test_those_of_another_processor_are_not(read_only: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    kernel_cache.mark_in(read_only).touch()
    monkeypatch.setattr(kernel_cache, "_processor", lambda: "another")

    kernel_cache.choose_cache()

    assert "NUMBA_CACHE_LOCATOR_CLASSES" not in os.environ
    assert Path(os.environ["NUMBA_CACHE_DIR"]) == Path(os.environ["XDG_CACHE_HOME"]) / "peel" / "kernels"
    assert not warm.is_warm()
