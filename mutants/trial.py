"""Run tests on a program with one mistake in it, in a process that is thrown away."""

import ast
import importlib.abc
import importlib.machinery
import importlib.util
import os
import shutil
import signal
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path
from types import ModuleType

import pytest

from mutants.changes import Change

__all__ = ["Trial", "preload"]

_SLACK = 5.0, 20.0  # times as long as usual, and seconds more, after which a test hangs
_SOURCES = Path("src")


def preload() -> None:
    """Import what all tests need but Peel itself, so that a trial starts in half a second."""
    import cv2  # noqa: F401
    import hypothesis  # noqa: F401
    import numba  # noqa: F401
    import numpy.testing  # noqa: F401
    import PIL.Image  # noqa: F401
    import pydantic  # noqa: F401
    import PySide6.QtWidgets  # noqa: F401
    import scipy.ndimage
    import scipy.sparse.linalg  # noqa: F401
    import tifffile  # noqa: F401
    import typer  # noqa: F401


class Trial:
    """One mistake being tried; `result` is None until it is over."""

    def __init__(self, change: Change | None, tests: Sequence[str], usually: float) -> None:
        self.change, self.tests = change, tests
        self.result: str | None = None
        self._until = time.monotonic() + usually * _SLACK[0] + _SLACK[1]
        self._folder = Path(tempfile.mkdtemp(prefix="peel-mutant-"))
        self._process = os.fork()
        if self._process == 0:
            self._run()

    def _run(self) -> None:
        os.setsid()
        code = 3
        try:
            with (self._folder / "said").open("w") as said:
                os.dup2(said.fileno(), 1)
                os.dup2(said.fileno(), 2)
            os.environ["TMPDIR"] = str(self._folder)
            tempfile.tempdir = None
            if self.change is not None:
                sys.meta_path.insert(0, _Mistaken(self.change, self._folder))
            code = pytest.main(
                ["-x", "-q", "-p", "no:cacheprovider", "-p", "no:randomly", "--hypothesis-seed=0", *self.tests]
            )
        finally:
            os._exit(code)

    def poll(self) -> str | None:
        """Return "killed", "survived" or "error", or None as long as tests run."""
        process, status = os.waitpid(self._process, os.WNOHANG)
        if process:
            code = os.waitstatus_to_exitcode(status)
            self.result = {0: "survived", 4: "error", 5: "error"}.get(code, "killed")
        elif time.monotonic() > self._until:
            os.killpg(self._process, signal.SIGKILL)
            os.waitpid(self._process, 0)
            self.result = "killed"
        if self.result is not None:
            shutil.rmtree(self._folder, ignore_errors=True)
        return self.result


class _Mistaken(importlib.abc.MetaPathFinder):
    """Finds the module with the mistake, and those whose machine code holds its functions, in a folder of their own.

    Numba keeps machine code beside a source and trusts it as long as that has not changed: other places compile anew.
    """

    def __init__(self, change: Change, folder: Path) -> None:
        self._places: dict[str, Path] = {}
        changed = _module(change.path)
        for name in _holding(changed) if change.path.parts[2] == "matte" else [changed]:
            path = _path(name)
            place = folder / name / path.name
            place.parent.mkdir()
            place.write_text(change.applied() if name == changed else path.read_text())
            self._places[name] = place

    def find_spec(
        self, fullname: str, path: Sequence[str] | None = None, target: ModuleType | None = None
    ) -> importlib.machinery.ModuleSpec | None:
        """Return the specification of a module that is taken from elsewhere."""
        if fullname not in self._places:
            return None
        return importlib.util.spec_from_file_location(fullname, self._places[fullname])


def _module(path: Path) -> str:
    return ".".join(path.relative_to(_SOURCES).with_suffix("").parts)


def _path(module: str) -> Path:
    return _SOURCES / Path(*module.split(".")).with_suffix(".py")


def _holding(changed: str) -> list[str]:
    """List a module of compiled functions, and those of such modules that import from it."""
    if "njit" not in _path(changed).read_text():
        return [changed]
    compiled = [_module(path) for path in sorted(_SOURCES.rglob("*.py")) if "njit" in path.read_text()]
    holding, last = {changed}, 0
    while len(holding) > last:
        last = len(holding)
        holding |= {name for name in compiled if holding & _imported(name)}
    return sorted(holding)


def _imported(name: str) -> set[str]:
    tree = ast.parse(_path(name).read_text())
    return {node.module for node in ast.walk(tree) if isinstance(node, ast.ImportFrom) and node.module}
