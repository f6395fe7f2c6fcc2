"""What was delivered, as JSON and CSV."""

import csv
import io
import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Final

from peel.files.atomic import write_whole
from peel.job.job import Job
from peel.work.delivering.delivery import Delivered
from peel.work.inspecting.inspector import remembered

__all__ = ["report_row", "write_report"]

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


def report_row(job: Job, delivered: Sequence[Delivered], *, source: str = "", error: str = "") -> dict[str, Any]:
    """Say what was delivered of a job: its files with sizes and digests, its snags, and the time it took."""
    found = remembered(job)
    settled = [own for own in job.settings.photo.settled_snags if own.how == "accepted"]
    row: dict[str, Any] = {
        "photo": job.photo.name,
        "job": source,
        "files": [
            {
                "file": str(item.path),
                "what": item.what,
                "width": item.size[1],
                "height": item.size[0],
                "bytes": item.size_bytes,
                "sha256": item.digest,
            }
            for item in delivered
        ],
        "snags_open": None if found is None else len(found.open_snags(job)),
        "snags_accepted": [{"sort": own.sort, "at": list(own.at), "reason": own.reason} for own in settled],
        "seconds": round(
            sum(item.encoding_s for item in delivered) + max((i.pixels_s for i in delivered), default=0.0), 2
        ),
    }
    if error:
        row["error"] = error
    return row


def write_report(rows: Sequence[dict[str, Any]], path: Path) -> None:
    """Write a report whole: CSV, a line a file, where the name ends in .csv, else JSON.

    Raises
    ------
    DeliveryError
        If it cannot be written.
    """
    if path.suffix.lower() != ".csv":
        text = json.dumps({"delivered": list(rows)}, indent=2, ensure_ascii=False) + "\n"
    else:
        buffer = io.StringIO()
        writer = csv.writer(buffer, lineterminator="\n")
        writer.writerow(_COLUMNS)
        for row in rows:
            accepted = "; ".join(f"{own['sort']}: {own['reason']}" for own in row["snags_accepted"])
            tail = [row["seconds"], "" if row["snags_open"] is None else row["snags_open"], accepted]
            for item in row["files"]:
                values = (item["file"], item["what"], item["width"], item["height"], item["bytes"], item["sha256"])
                writer.writerow(_plain([row["photo"], *values, *tail]))
            if row.get("error"):
                writer.writerow(_plain([row["photo"], "", f"failed: {row['error']}", "", "", "", "", *tail]))
        text = buffer.getvalue()
    write_whole(path, lambda file: file.write(text.encode("utf-8", "backslashreplace")))


def _plain(values: Sequence[object]) -> list[object]:
    """Keep a spreadsheet from taking a name for a formula."""
    return [f"'{value}" if isinstance(value, str) and value[:1] in _FORMULA else value for value in values]
