"""Names of files that come from elsewhere, made fit to be part of names that Peel writes."""

import unicodedata
from typing import Final

__all__ = ["clean_name"]

_MOST: Final = 120  # characters; with what is added to it a name stays below what file systems take


def clean_name(name: str) -> str:
    r"""Return a name without folders, control characters, or anything that reorders what is read.

    >>> clean_name("../../etc/passwd\\x00.jpg")
    'passwd.jpg'
    """
    last = name.replace("\\", "/").rsplit("/", 1)[-1]
    kept = "".join(character for character in last if unicodedata.category(character)[0] != "C").strip(" .")
    if len(kept) > _MOST:
        stem, dot, suffix = kept.rpartition(".")
        kept = f"{stem[: _MOST - len(suffix) - 1]}{dot}{suffix}" if dot and len(suffix) < 10 else kept[:_MOST]
    return kept or "photo"
