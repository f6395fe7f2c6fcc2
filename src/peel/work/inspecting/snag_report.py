"""A report of snags: one HTML file with a picture of each, on the backing where it shows best."""

import base64
import html
import io
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Final

from PIL import Image

from peel.files.atomic import write_whole
from peel.work.delivering.contact_sheet import page_of

__all__ = ["PICTURE_PX", "section_of", "write_snag_report"]

PICTURE_PX: Final = 240
"""Photo pixels a side, at least, that a picture shows."""


def section_of(name: str, rows: Sequence[dict[str, Any]]) -> str:
    """Return a job's part of a report, as HTML; see `peel.work.inspecting.checking.check_job` for the rows."""
    showing = sum(_counts(row) for row in rows)
    figures = "".join(_figure(row) for row in rows)
    return f"<h2>{html.escape(name)}</h2><p>{showing} that will show, {len(rows)} in all</p><main>{figures}</main>"


def _counts(row: dict[str, Any]) -> bool:
    return not row["accepted"] and bool(row.get("shows_on", True)) and not row.get("doubt")


def write_snag_report(sections: Sequence[str], path: Path) -> None:
    """Write a report of several jobs.

    Raises
    ------
    DeliveryError
        If it cannot be written.
    """
    page = page_of("Snags", "".join(sections))
    write_whole(path, lambda file: file.write(page.encode()))


def _figure(row: dict[str, Any]) -> str:
    picture = row.get("picture")
    image = ""
    if picture is not None:
        buffer = io.BytesIO()
        Image.fromarray(picture).save(buffer, "JPEG", quality=88)
        content = base64.b64encode(buffer.getvalue()).decode()
        image = f'<img alt="" src="data:image/jpeg;base64,{content}">'
    lines = [html.escape(str(row["says"]))]
    if row.get("mend"):
        lines.append(f"<small>{html.escape(row['mend']['says'])}</small>")
    if row["accepted"]:
        lines.append(f"<small>right as it is: {html.escape(str(row.get('reason', '')))}</small>")
    place = " · ".join(f"{part:.0f}" for part in row["at"])
    title = f"{row['severity']} · {place}"
    return f"<figure>{image}<figcaption><b>{html.escape(title)}</b>{'<br>'.join(lines)}</figcaption></figure>"
