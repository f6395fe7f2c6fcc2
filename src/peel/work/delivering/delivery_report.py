"""What was delivered, as JSON and CSV."""

import csv
import io
import json
from collections.abc import Sequence
from pathlib import Path
from typing import Final

from peel.files.atomic import write_whole
from peel.work.delivering.rows import RunRow

__all__ = ["write_report"]

_COLUMNS: Final = (
    "photo",
    "file",
    "what",
    "width",
    "height",
    "bytes",
    "sha256",
    "seconds",
    "snags open",
    "snags accepted",
)

_FORMULA: Final = tuple("=+-@\t\r\n")  # what a spreadsheet takes for the beginning of a formula


def write_report(rows: Sequence[RunRow], path: Path) -> None:
    """Write a report atomically: CSV with one line per file if the name ends in .csv, otherwise JSON.

    Raises
    ------
    DeliveryError
        If it cannot be written.
    """
    if path.suffix.lower() != ".csv":
        text = json.dumps({"delivered": [row.as_json() for row in rows]}, indent=2, ensure_ascii=False) + "\n"
    else:
        buffer = io.StringIO()
        writer = csv.writer(buffer, lineterminator="\n")
        writer.writerow(_COLUMNS)
        for row in rows:
            accepted = "; ".join(f"{own.sort}: {own.reason}" for own in row.snags_accepted)
            tail = [row.seconds, "" if row.snags_open is None else row.snags_open, accepted]
            for item in row.files:
                values = (item.file, item.what, item.width, item.height, item.bytes, item.sha256)
                writer.writerow(_plain([row.photo, *values, *tail]))
            if row.error:
                writer.writerow(_plain([row.photo, "", f"failed: {row.error}", "", "", "", "", *tail]))
        text = buffer.getvalue()
    write_whole(path, lambda file: file.write(text.encode("utf-8", "backslashreplace")))


def _plain(values: Sequence[object]) -> list[object]:
    """Keep a spreadsheet from taking a name for a formula."""
    return [f"'{value}" if isinstance(value, str) and value[:1] in _FORMULA else value for value in values]
