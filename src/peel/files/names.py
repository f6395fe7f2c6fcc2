"""Names of files that come from elsewhere, made fit to be part of names that Peel writes."""

import unicodedata
from typing import Final

__all__ = ["clean_name"]

_MOST: Final = 160  # bytes; with what is added to it a name stays below the 255 that file systems take


def clean_name(name: str) -> str:
    r"""Return a name without folders, control characters, or anything that reorders what is read.

    >>> clean_name("../../etc/passwd\x00.jpg")
    'passwd.jpg'
    """
    last = name.replace("\\", "/").rsplit("/", 1)[-1]
    kept = "".join(character for character in last if unicodedata.category(character)[0] != "C").strip(" .")
    if len(kept.encode()) > _MOST:
        stem, dot, suffix = kept.rpartition(".")
        ends = f"{dot}{suffix}" if dot and len(suffix) < 10 else ""
        kept = _within(stem if ends else kept, _MOST - len(ends.encode())) + ends
    return kept or "photo"


def _within(text: str, most: int) -> str:
    """Cut a text to so many bytes, between two characters."""
    return text.encode()[:most].decode("utf-8", "ignore")
