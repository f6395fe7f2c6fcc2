"""A contact sheet: one HTML file with its pictures inside, of all that was delivered."""

import base64
import html
import io
from collections.abc import Sequence
from pathlib import Path
from typing import Final

import cv2
import numpy as np
from PIL import Image

from peel.errors import PeelError
from peel.files.atomic import write_whole
from peel.work.delivering.read_back import read_delivered
from peel.work.delivering.rows import RunRow
from peel.work.many.thumbs import noted_thumb

__all__ = ["page_of", "write_contact_sheet"]

_SIDE: Final = 320
_STYLE: Final = (
    "body{font:15px/1.45 system-ui,sans-serif;margin:2rem;background:#f5f5f4;color:#222}"
    "main{display:grid;grid-template-columns:repeat(auto-fill,minmax(17rem,1fr));gap:1.2rem}"
    "figure{margin:0;padding:.8rem;background:#fff;border:1px solid #d6d6d4;border-radius:8px}"
    "img{width:100%;height:15rem;object-fit:contain;background:#8b8b8a}"
    "figcaption b{display:block}small{color:#555}.bad{color:#a3260b}"
)


def write_contact_sheet(rows: Sequence[RunRow], path: Path, title: str) -> None:
    """Write a contact sheet of what was delivered.

    Raises
    ------
    DeliveryError
        If it cannot be written.
    """
    figures = "".join(_figure(row) for row in rows)
    count = sum(len(row.files) for row in rows)
    failed = sum(bool(row.error) for row in rows)
    summary = f"{len(rows)} photos · {count} files" + (f" · {failed} not delivered" if failed else "")
    page = page_of(title, f"<p>{summary}</p><main>{figures}</main>")
    write_whole(path, lambda file: file.write(page.encode()))


def page_of(title: str, body: str) -> str:
    """Return a whole HTML page in the looks of a contact sheet, around a body that is HTML itself."""
    return (
        f'<!DOCTYPE html><html lang="en"><meta charset="utf-8"><title>{html.escape(title)}</title>'
        f"<style>{_STYLE}</style><h1>{html.escape(title)}</h1>{body}</html>\n"
    )


def _figure(row: RunRow) -> str:
    lines = [f"<small>{html.escape(Path(item.file).name)} · {item.width} × {item.height}</small>"
             for item in row.files]  # fmt: skip
    if row.error:
        lines.append(f'<small class="bad">{html.escape(row.error)}</small>')
    if row.snags_open:
        lines.append(f"<small>{row.snags_open} snags were left</small>")
    lines += [f"<small>right as it is: {html.escape(own.reason)}</small>" for own in row.snags_accepted if own.reason]
    caption = f"<b>{html.escape(row.photo)}</b>" + "<br>".join(lines)
    picture = _picture([Path(item.file) for item in row.files]) or _noted(row)
    return f"<figure>{picture}<figcaption>{caption}</figcaption></figure>"


def _picture(files: Sequence[Path]) -> str:
    """Return the first file that is a picture, small, inside the page."""
    for path in sorted(files, key=lambda path: path.suffix not in {".jpg", ".webp", ".avif", ".png"}):
        try:
            pixels = read_delivered(path)
        except PeelError:
            continue
        scale = min(1.0, _SIDE / max(pixels.shape[:2]))
        size = (max(1, round(pixels.shape[1] * scale)), max(1, round(pixels.shape[0] * scale)))
        buffer = io.BytesIO()
        Image.fromarray(np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA))).save(
            buffer, "JPEG", quality=82
        )
        return _image(base64.b64encode(buffer.getvalue()).decode())
    return ""


def _noted(row: RunRow) -> str:
    """Return the picture that the job itself holds: what went to a drop-off is no longer here."""
    content = noted_thumb(Path(row.job)) if row.files and row.job else None
    return _image(content) if content else ""


def _image(content: str) -> str:
    return f'<img alt="" src="data:image/jpeg;base64,{html.escape(content)}">'
