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

__all__ = ["PICTURE_PX", "write_snag_report"]

PICTURE_PX: Final = 240
"""Photo pixels a side, at least, that a picture shows."""


def write_snag_report(jobs: Sequence[tuple[str, Sequence[dict[str, Any]]]], path: Path) -> None:
    """Write a report of several jobs, each with the rows of its snags; see `peel.work.inspecting.checking.check_job`.

    Raises
    ------
    DeliveryError
        If it cannot be written.
    """
    parts = []
    for name, rows in jobs:
        showing = sum(bool(row.get("shows_on", True)) and not row.get("doubt") and not row["accepted"] for row in rows)
        parts.append(f"<h2>{html.escape(name)}</h2><p>{showing} that will show, {len(rows)} in all</p>")
        parts.append(f"<main>{''.join(_figure(row) for row in rows)}</main>")
    page = page_of("Snags", "".join(parts))
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
    mend = row.get("mend")
    if isinstance(mend, dict):
        told = mend["objection"] or f"F2: {mend['before']:.1%} off the photo here, then {mend['after']:.1%}."
        lines.append(f"<small>{html.escape(str(told))}</small>")
    if row["accepted"]:
        lines.append(f"<small>right as it is: {html.escape(str(row.get('reason', '')))}</small>")
    place = " · ".join(f"{part:.0f}" for part in row["at"])
    title = f"{row['severity']} · {place}"
    return f"<figure>{image}<figcaption><b>{html.escape(title)}</b>{'<br>'.join(lines)}</figcaption></figure>"
