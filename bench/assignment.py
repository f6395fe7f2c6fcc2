"""An assignment: the board with 300 photos of 24 MP, and 20 photos carried to and delivered by one worker and by two."""

import os
import resource
import shutil
import tempfile
import time
from collections.abc import Iterator
from functools import partial
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtWidgets import QApplication

from bench.cases import LARGE, large_case
from peel.demo.arriving import write_variants
from peel.desk.app import make_app
from peel.desk.window import Window
from peel.files.presets import find_preset
from peel.work.many.batches import jobs_in, propose_job
from peel.work.many.each import carry_row, in_turn
from peel.work.many.photo_jobs import job_path_for
from peel.work.many.runs import RunOrder, run

__all__ = ["table"]

_PHOTOS, _DELIVERED = 300, 20


def table() -> Iterator[str]:
    """Print every measure."""
    with tempfile.TemporaryDirectory() as folder:
        yield from _board(Path(folder) / "board")
        yield from _runs(Path(folder))


def _board(folder: Path) -> Iterator[str]:
    """Open and scroll 300 photos of 24 MP: hard links to one file, each read as its own."""
    large_case("bramble", 24)
    folder.mkdir()
    shutil.copy(LARGE / "24" / "bramble.jpg", folder / "photo-000.jpg")
    for number in range(1, _PHOTOS):
        os.link(folder / "photo-000.jpg", folder / f"photo-{number:03}.jpg")
    app = make_app()
    window = Window()
    window.show_welcome()
    window.show()
    _until(app, lambda: window.board is not None)
    board = window.board
    assert board is not None
    since = time.perf_counter()
    window.open_paths([folder])
    _until(app, lambda: len(board.entries) == _PHOTOS and board.page.isVisible())
    yield f"the board with {_PHOTOS} photos of 24 MP is there after {time.perf_counter() - since:.2f} s (2 wanted)"
    bar, waits = board.page.list.verticalScrollBar(), []
    _until(app, lambda: bar.maximum() > 0)
    for step in range(0, bar.maximum(), 120):
        since = time.perf_counter()
        bar.setValue(step)
        app.processEvents()
        waits.append((time.perf_counter() - since) * 1000)
    waits.sort()
    yield f"scrolling: p95 {waits[int(0.95 * len(waits))]:.0f} ms, most {waits[-1]:.0f} ms a turn"
    _until(app, lambda: board.is_idle)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    yield f"memory at most {peak:.0f} MB with every card's picture seen (2000 and one solve wanted)"
    window.close()
    _until(app, lambda: window.is_closed)


def _runs(folder: Path) -> Iterator[str]:
    """Carry from one photo to the others and deliver all, with one worker and with two."""
    photos = write_variants(folder / "session", _DELIVERED, names=("lamplighter",))
    first = job_path_for(photos[0], folder / "first")
    propose_job(photos[0], first)
    presets = (find_preset("Shop, white"), find_preset("Web, transparent"))
    seconds: dict[str, list[float]] = {"carried and solved": [], "delivered": [], "both": []}
    for workers in (1, 2):
        jobs, since = folder / f"jobs-{workers}", time.perf_counter()
        carried = [row for _, row in in_turn(partial(carry_row, first, "both", False), photos, jobs, workers)]
        between = time.perf_counter()
        rows = [
            row
            for _, row in run(
                jobs_in(jobs), RunOrder(str(folder / f"out-{workers}"), presets, unseen=True), workers=workers
            )
        ]
        done = time.perf_counter()
        assert not any(row.error for row in (*carried, *rows))
        for name, took in zip(seconds, (between - since, done - between, done - since), strict=True):
            seconds[name].append(took)
    for name, (one, two) in seconds.items():
        yield f"{_DELIVERED} photos of 6 MP {name}: one worker {one:.0f} s, two {two:.0f} s, {one / two:.2f} times as quick"


def _until(app: QApplication, condition: object, seconds: float = 300) -> None:
    end = time.monotonic() + seconds
    while not condition() and time.monotonic() < end:  # type: ignore[operator]
        app.processEvents()
        time.sleep(0.001)
