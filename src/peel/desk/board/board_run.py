"""A run from the board: photos delivered one after another in the background, paused, stopped, and told of."""

import time
from collections.abc import Sequence
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from peel.desk.asking import Asker, task
from peel.errors import Cancelled
from peel.work.delivering.contact_sheet import write_contact_sheet
from peel.work.delivering.delivery_report import write_report
from peel.work.delivering.rows import RunRow
from peel.work.many.board import Entry
from peel.work.many.runs import Opening, RunOrder, file_stems, run_one

__all__ = ["BoardRun"]

_RUN = task("run", "The run met an error that Peel did not expect; the jobs are safe on disk.")
_PAPERS = task("report and contact sheet", "Report and contact sheet could not be written.")


class BoardRun(QObject):
    """Runs on a lane; one at a time.

    Signals
    -------
    noted : (photo, text, share)
        What becomes of a photo, and how much of it is done.
    moved : (share, seconds)
        How much of all is done, and how long the rest will take; 0 where that is not known yet.
    done : (rows)
        The report's rows of all that were tried.
    """

    noted = Signal(str, str, object)
    moved = Signal(float, float)
    done = Signal(object)

    def __init__(self, asker: Asker, opening: Opening, parent: QObject) -> None:
        super().__init__(parent)
        self._asker, self._opening = asker, opening
        self._is_stopped = False
        self.is_paused = False

    def start(self, entries: Sequence[Entry], order: RunOrder, papers: Path, title: str) -> None:
        """Deliver; report and contact sheet are written into a folder afterwards."""
        self.is_paused = self._is_stopped = False
        work = partial(self._work, entries, order, papers, title)
        self._asker.ask(_RUN, work, self.done.emit, key=None, failed=lambda _error: self.done.emit([]))

    def pause(self) -> None:
        """Wait before the next photo, or go on."""
        self.is_paused = not self.is_paused

    def stop(self) -> None:
        """Stop; what is written is whole. Any thread."""
        self._is_stopped = True

    def _work(self, entries: Sequence[Entry], order: RunOrder, papers: Path, title: str) -> list[RunRow]:
        rows: list[RunRow] = []
        began, stems = time.monotonic(), file_stems([entry.job for entry in entries])
        for number, entry in enumerate(entries):
            while self.is_paused and not self._is_stopped:
                time.sleep(0.05)
            if self._is_stopped:
                break

            def told(share: float, entry: Entry = entry, number: int = number) -> bool:
                self.noted.emit(str(entry.photo), "delivering…", share)
                whole = (number + share) / len(entries)
                spent = time.monotonic() - began
                self.moved.emit(whole, spent / whole * (1 - whole) if whole > 0.02 else 0.0)
                return not self._is_stopped

            told(0.0)
            try:
                row = run_one(entry.job, order, number=number + 1, stem=stems[number], told=told, opening=self._opening)
            except Cancelled:
                self.noted.emit(str(entry.photo), "stopped", None)
                break
            rows.append(row)
            told(1.0)
            self.noted.emit(str(entry.photo), _words(row), None)
        if rows:
            self._asker.post(partial(self._ask_for_papers, rows, papers, title))
        return rows

    def _ask_for_papers(self, rows: list[RunRow], papers: Path, title: str) -> None:
        self._asker.ask(_PAPERS, partial(_write_papers, rows, papers, title), lambda _none: None, key=None)


def _write_papers(rows: list[RunRow], papers: Path, title: str) -> None:
    write_contact_sheet(rows, papers / "contact-sheet.html", title)
    for name in ("report.json", "report.csv"):
        write_report(rows, papers / name)


def _words(row: RunRow) -> str:
    if row.error:
        return row.error
    count = len(row.files)  # beside the state, which says that they are delivered
    return f"{count} file{'' if count == 1 else 's'}" + (", as before" if row.skipped else "")
