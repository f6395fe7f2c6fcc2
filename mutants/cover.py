"""Which tests run which functions: measured once, kept beside the project, and good until the code is much changed."""

import ast
import json
import os
import sqlite3
import subprocess
import sys
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from coverage import CoverageData

from mutants.changes import Change

__all__ = ["Cover", "measure", "read"]

_KEPT = Path(".mutants")
_TESTS = ["tests/job", "tests/files", "tests/work", "tests/matte", "tests/test_cli.py"]
_NARROW = 12  # tests, before ...
_WIDE = "test_references"
_CALLERS = 3  # steps up, where a function is compiled and no line of it is seen to run


@dataclass
class Cover:
    """The tests that run each function, and how long each test takes."""

    by_function: dict[str, set[str]]
    by_line: dict[Path, dict[int, set[str]]]
    seconds: dict[str, float]
    callers: dict[str, set[str]]

    def tests_of(self, change: Change) -> list[str]:
        """List the tests that run a line: those named after its module, narrow ones, what compares all, the rest.

        Where no test is seen to run the line, those that run its function count, and a compiled function is run by what
        runs its callers.
        """
        key = f"{change.path}:{change.function}"
        reached = set(self.by_line.get(change.path, {}).get(change.line, ()) or self.by_function.get(key, ()))
        names = {key}
        for _ in range(_CALLERS):
            if reached:
                break
            names = {caller for name in names for caller in self.callers.get(name.rsplit(":", 1)[1].split(".")[-1], ())}
            reached = {test for name in names for test in self.by_function.get(name, ())}
        named = f"/test_{change.path.stem}.py"
        tests = sorted(
            reached, key=lambda test: (named not in test, self.seconds.get(test, 1.0) * (1 + self._functions_of(test)))
        )
        wide = [test for test in tests[_NARROW:] if _WIDE in test]
        return [*tests[:_NARROW], *wide, *(test for test in tests[_NARROW:] if test not in wide)]

    def _functions_of(self, test: str) -> int:
        return self._counts.get(test, 0)

    def __post_init__(self) -> None:
        """Count the functions that each test runs."""
        self._counts: dict[str, int] = defaultdict(int)
        for tests in self.by_function.values():
            for test in tests:
                self._counts[test] += 1


def measure(tests: Sequence[str] = ()) -> None:
    """Run the tests of the layers below the window once, and note what each runs; takes some minutes.

    Given files of tests are added to what is known.
    """
    _KEPT.mkdir(exist_ok=True)
    kept = _KEPT.absolute()
    known = json.loads((kept / "seconds.json").read_text()) if tests and (kept / "seconds.json").exists() else {}
    subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-n", "2", "--cov=peel", "--cov-context=test", "--cov-report=",
         "-p", "mutants.durations", *(["--cov-append"] if tests else []), *(tests or _TESTS)],
        env={**os.environ, "COVERAGE_FILE": str(kept / "coverage"), "PEEL_DURATIONS": str(kept / "seconds.json")},
        check=False,
    )  # fmt: skip
    measured = json.loads((kept / "seconds.json").read_text())
    (kept / "seconds.json").write_text(json.dumps({**known, **measured}))


def read() -> Cover | None:
    """Return what was measured, or None if nothing was."""
    if not (_KEPT / "seconds.json").exists():
        return None
    data = CoverageData(str((_KEPT / "coverage").absolute()))
    try:
        data.read()
    except sqlite3.Error:
        return None
    by_function: dict[str, set[str]] = {}
    by_line: dict[Path, dict[int, set[str]]] = {}
    callers: dict[str, set[str]] = defaultdict(set)
    for name in data.measured_files():
        path = Path(os.path.relpath(name))
        if not path.exists():
            continue
        contexts = {
            line: {context.split("|")[0] for context in found if context}
            for line, found in data.contexts_by_lineno(name).items()
        }
        by_line[path] = contexts
        for function, node in _functions(ast.parse(path.read_text())):
            key = f"{path}:{function}"
            body = range(node.body[0].lineno, (node.end_lineno or node.lineno) + 1)
            by_function[key] = {test for line in body for test in contexts.get(line, ())}
            for part in ast.walk(node):
                if isinstance(part, ast.Name | ast.Attribute):
                    callers[part.id if isinstance(part, ast.Name) else part.attr].add(key)
    return Cover(by_function, by_line, json.loads((_KEPT / "seconds.json").read_text()), callers)


def _functions(tree: ast.AST, prefix: str = "") -> list[tuple[str, ast.FunctionDef]]:
    found = []
    for node in ast.iter_child_nodes(tree):
        if isinstance(node, ast.FunctionDef):
            found.append((f"{prefix}{node.name}", node))
        if isinstance(node, ast.FunctionDef | ast.ClassDef):
            found += _functions(node, f"{prefix}{node.name}.")
    return found
