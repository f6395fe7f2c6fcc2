"""The window at 24 MP: opening, painting while a stroke is drawn, and the solve that follows it."""

import os
import time

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PIL import Image
from PySide6.QtCore import QEvent, QObject, QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from bench.cases import LARGE, large_case
from peel.desk.app import make_app
from peel.desk.bench import Bench
from peel.desk.steps import Step
from peel.desk.window import Window
from peel.job.edits import marking
from peel.job.edits import values as edits
from peel.job.edits.marking import Stroke, Zone
from peel.work.session.session_events import Changed
from peel.work.views import View

__all__ = ["measure"]


class _PaintClock(QObject):
    """Times every paint event of a widget."""

    def __init__(self) -> None:
        super().__init__()
        self.times_ms: list[float] = []
        self._inside = False

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Paint and not self._inside:
            self._inside = True
            since = time.perf_counter()
            QApplication.sendEvent(watched, event)
            self.times_ms.append((time.perf_counter() - since) * 1000)
            self._inside = False
            return True
        return False


def _until(condition: object, seconds: float = 300) -> None:
    end = time.monotonic() + seconds
    while not condition() and time.monotonic() < end:  # type: ignore[operator]
        QApplication.processEvents()
        time.sleep(0.001)


def measure(name: str = "tin-drummer") -> list[str]:
    """Open, mark, stroke; give lines to print."""
    case = large_case(name, 24)
    path = LARGE / "24" / f"{name}.jpg"
    lines = []
    decodes = []
    for _ in range(3):
        since = time.perf_counter()
        with Image.open(path) as image:
            image.load()
        decodes.append(time.perf_counter() - since)
    decode = min(decodes)
    make_app()
    window = Window()
    window.show_welcome()
    window.resize(1280, 800)  # whatever the screen is
    window.show()
    _until(lambda: window.bench is not None)
    bench = window.bench
    assert bench is not None
    desk = bench.desk
    first: list[float] = []
    _until(lambda: False, 0.3)
    since = time.perf_counter()
    bench.files.opener.previewed.connect(lambda *_: first.append(time.perf_counter() - since))
    window.open_path(path)
    _until(lambda: desk.bridge is not None)
    usable = time.perf_counter() - since
    lines.append(
        f"open 24 MP JPEG: first picture {first[0] / decode:.2f} x Pillow's decode, usable {usable / decode:.2f} x ({decode:.2f} s)"
    )
    assert desk.bridge is not None
    session = desk.bridge.session
    session.apply(
        "Zones",
        lambda job: edits.use_zones(
            job, np.where((case.zones == 0) | (case.zones == 255), case.zones, 128).astype(np.uint8)
        ),
    )
    session.wait_idle(600)
    desk.show_step(Step.EDGE)
    _until(lambda: bench.is_drawn)
    for view, scale in ((View.ZONES, None), (View.WHITE, 1.0)):
        desk.show_view(view)
        if scale is not None:
            bench.canvas.look_at(QPointF(2000, 1200), scale)
        _until(lambda: bench.is_drawn)
        lines += _strokes(bench, view)
    lines += _solves(bench)
    desk.show_step(Step.MATTE)
    for tool in ("Solid", "Firm", "Nudge", "Soften", "Release"):
        desk.take_up_named(tool)
        lines += _strokes(bench, View.WHITE, 2)
    window.close()
    _until(lambda: window.is_closed)
    return lines


def _strokes(bench: Bench, view: View, count: int = 5) -> list[str]:
    """Draw strokes as a hand does and time each paint event, and each stroke's edit."""
    clock, canvas, desk = _PaintClock(), bench.canvas, bench.desk
    desk.set_brush(100 / canvas.frame.scale)
    _until(lambda: False, 0.2)
    canvas.installEventFilter(clock)
    rng = np.random.default_rng(0)
    edits_s = []
    for _ in range(count):
        x, y = rng.uniform(200, canvas.width() - 200), rng.uniform(150, canvas.height() - 150)
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(int(x), int(y)))
        turn = rng.uniform(0, 6.3)
        for _step in range(60):
            turn += rng.normal(0, 0.2)
            x, y = (
                np.clip(x + 9 * np.cos(turn), 5, canvas.width() - 5),
                np.clip(y + 9 * np.sin(turn), 5, canvas.height() - 5),
            )
            QTest.mouseMove(canvas, QPoint(int(x), int(y)))
            QApplication.processEvents()
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton)
        assert desk.bridge is not None
        since = time.perf_counter()
        _until(lambda: desk.bridge.session._edits.is_idle)
        edits_s.append(time.perf_counter() - since)
        desk.bridge.session.undo()
    canvas.removeEventFilter(clock)
    desk.bridge.session.wait_idle(300)
    times = np.array(clock.times_ms)
    return [
        f"{desk.tool.name}, {view.value} at {canvas.frame.scale * 100:.0f} %: edit {np.median(edits_s):.2f} s, paint {np.percentile(times, 50):.1f} ms median, "
        f"{np.percentile(times, 95):.1f} ms p95, {times.max():.1f} ms worst of {len(times)}"
    ]


def _solves(bench: Bench) -> list[str]:
    """Time from the end of a 100 px stroke on the edge to its matte."""
    desk = bench.desk
    assert desk.bridge is not None
    session = desk.bridge.session
    zones = session.job.zones.read()
    ys, xs = np.nonzero(zones == 128)
    rng = np.random.default_rng(1)
    times, looks = [], []
    shown: list[float] = []
    session.listen(lambda event: shown.append(time.perf_counter()) if isinstance(event, Changed) else None)
    for index in rng.integers(0, len(ys), 12):
        x, y = float(xs[index]), float(ys[index])
        stroke = Stroke(((x, y), (x + 30, y + 20)), 50)
        shown.clear()
        since = time.perf_counter()
        session.apply("Band", lambda job, s=stroke: marking.paint_zone(job, s, Zone.UNSURE))
        session.wait_idle(60)
        times.append(time.perf_counter() - since)
        looks.append((shown[1] if len(shown) > 1 else shown[0]) - since if shown else 0.0)
        session.undo()
        session.wait_idle(60)
    return [
        f"first answer under a finished stroke of 100 px: {np.median(looks):.2f} s median, "
        f"{np.percentile(looks, 90):.2f} s p90, {max(looks):.2f} s worst of {len(looks)}",
        f"matte under a finished stroke of 100 px, solved and on disk: {np.median(times):.2f} s median, "
        f"{np.percentile(times, 90):.2f} s p90, {max(times):.2f} s worst of {len(times)}",
    ]
