"""A plug-in for pytest: note how long each test takes, in the file that PEEL_DURATIONS names."""

import json
import os
from collections import defaultdict
from pathlib import Path

import pytest

_SECONDS: dict[str, float] = defaultdict(float)


def pytest_runtest_logreport(report: pytest.TestReport) -> None:
    """Add up setting up, running and clearing away."""
    _SECONDS[report.nodeid] += report.duration


def pytest_sessionfinish(session: pytest.Session) -> None:
    """Write them, where the tests were not run for another process."""
    if not hasattr(session.config, "workerinput"):
        Path(os.environ["PEEL_DURATIONS"]).write_text(json.dumps(_SECONDS))
