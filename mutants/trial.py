"""Run tests on a program with one mistake in it, in a process that is thrown away."""

import ast
import importlib
import importlib.abc
import importlib.machinery
import importlib.util
import os
import pkgutil
import shutil
import signal
import sys
import tempfile
import time
import traceback
from collections.abc import Sequence
from functools import cache
from pathlib import Path
from types import ModuleType

import pytest

from mutants.changes import Change

__all__ = ["Trial", "preload"]

_SLACK = 5.0, 20.0  # times as long as usual, and seconds more, after which a test hangs
_SOURCES = Path("src")


def preload() -> None:
    """Import what the tests need, so that a trial only imports anew what depends on the mistake."""
    import hypothesis  # noqa: F401

    for root in ("peel.matte", "peel.job", "peel.files", "peel.work", "peel.cli"):
        package = importlib.import_module(root)
        for module in pkgutil.walk_packages(package.__path__, f"{root}."):
            importlib.import_module(module.name)
    for path in _SOURCES.rglob("*.py"):
        _imported(_module(path))  # kept


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
                _forget(_module(self.change.path))
            code = pytest.main(
                [
                    "-x",
                    "-q",
                    "--assert=plain",
                    f"--basetemp={self._folder / 'tmp'}",
                    "-p",
                    "no:cacheprovider",
                    "-p",
                    "no:randomly",
                    "--hypothesis-seed=0",
                    *self.tests,
                ]
            )
        except BaseException:  # noqa: BLE001 - this process ends here, whatever happens
            traceback.print_exc()
        finally:
            sys.stdout.flush()
            sys.stderr.flush()
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


def _forget(changed: str) -> None:
    """Let a module and all that import from it be imported anew."""
    for name in _dependents(changed, [name for name in sys.modules if name.split(".")[0] == "peel"]):
        del sys.modules[name]
        package, _, last = name.rpartition(".")
        if package in sys.modules:  # what a package has as an attribute, `from package import module` takes as it is
            vars(sys.modules[package]).pop(last, None)


def _holding(changed: str) -> list[str]:
    """List a module of compiled functions, and those of such modules that import from it."""
    if "njit" not in _path(changed).read_text():
        return [changed]
    return sorted(
        _dependents(changed, [_module(path) for path in _SOURCES.rglob("*.py") if "njit" in path.read_text()])
    )


def _dependents(changed: str, among: Sequence[str]) -> set[str]:
    """Return a module and those that import from it, at any distance."""
    found, last = {changed}, 0
    while len(found) > last:
        last = len(found)
        found |= {name for name in among if found & _imported(name)}
    return found


@cache
def _imported(name: str) -> frozenset[str]:
    """Return the modules that a module imports, and those that it may mean by a name that it imports."""
    path = _path(name)
    tree = ast.parse((path if path.exists() else path.with_suffix("") / "__init__.py").read_text())
    found = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module, *(f"{node.module}.{alias.name}" for alias in node.names)}
    return frozenset(found)
