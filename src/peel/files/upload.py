"""Hand files to a client's drop-off over HTTP: whole or not at all, tried again, gone on with where it broke off."""

import contextlib
import hashlib
import http.client
import time
from collections.abc import Callable
from pathlib import Path
from typing import Final
from urllib.parse import quote, urlsplit

from peel.errors import DeliveryError

__all__ = ["is_address", "upload"]

_TRIES: Final = 8
_FIRST_WAIT_S: Final = 0.2
_MOST_WAIT_S: Final = 5.0
_TIMEOUT_S: Final = 10.0
_PIECE: Final = 1 << 18
_DONE: Final = frozenset({200, 201, 204})
_AGAIN: Final = frozenset({408, 409, 425, 429, 500, 502, 503, 504})


def is_address(text: str) -> bool:
    """Return whether a destination is an address rather than a folder."""
    return text.startswith(("http://", "https://"))


def upload(path: Path, address: str, *, wait: Callable[[float], object] = time.sleep) -> str:
    """Put a file to an address and make sure that it arrived.

    A drop-off that refuses for the moment, or goes away, is asked again after a while, and is sent only what it has not
    got. What it says it has got must have the file's own digest.

    Parameters
    ----------
    path : Path
    address : str
        Of the folder; the file's name is put behind it.
    wait : callable
        Given the seconds to wait between two tries.

    Returns
    -------
    str
        The file's SHA-256 in hexadecimal.

    Raises
    ------
    DeliveryError
        If it was refused for good, or there was no answer after eight tries.
    """
    content = path.read_bytes()
    digest = hashlib.sha256(content).hexdigest()
    said = "it does not answer"
    for number in range(_TRIES):
        if number:
            wait(min(_FIRST_WAIT_S * 2 ** (number - 1), _MOST_WAIT_S))
        try:
            status, said = _put(content, digest, address, path.name)
        except (OSError, http.client.HTTPException) as error:
            said = f"the connection broke off ({type(error).__name__})"
            continue
        if status in _DONE:
            return digest
        if status not in _AGAIN:
            break
    raise DeliveryError(f"{address} did not take {path.name}: {said}.", "Ask the client, then deliver again.")


def _put(content: bytes, digest: str, address: str, name: str) -> tuple[int, str]:
    """Send what is missing of a file; return the answer's status and its words."""
    parts = urlsplit(address)
    kind = http.client.HTTPSConnection if parts.scheme == "https" else http.client.HTTPConnection
    target = f"{parts.path.rstrip('/')}/{quote(name)}"
    with contextlib.closing(kind(parts.netloc, timeout=_TIMEOUT_S)) as connection:
        begin = _got(connection, target, content, digest)
        if begin == len(content) and begin:
            return 200, "it has it already"
        headers = {"Content-Length": str(len(content) - begin), "X-Content-SHA256": digest}
        if begin:
            headers["Content-Range"] = f"bytes {begin}-{len(content) - 1}/{len(content)}"
        connection.putrequest("PUT", target)
        for key, value in headers.items():
            connection.putheader(key, value)
        connection.endheaders()
        for at in range(begin, len(content), _PIECE):
            connection.send(content[at : at + _PIECE])
        answer = connection.getresponse()
        said = answer.read(400).decode("utf-8", "replace").strip() or answer.reason
        return answer.status, " ".join(part for part in said.split() if part.isprintable())[:200]


def _got(connection: http.client.HTTPConnection, target: str, content: bytes, digest: str) -> int:
    """Ask how much of a file is there; all of it only if its digest is the same."""
    connection.request("HEAD", target)
    answer = connection.getresponse()
    answer.read()
    size = answer.getheader("X-Received-Bytes") or "0"
    got = int(size) if size.isascii() and size.isdigit() else 0
    if answer.status not in _DONE or got > len(content):
        return 0
    if got == len(content):
        return got if answer.getheader("X-Content-SHA256") == digest else 0
    return got if answer.getheader("X-Content-SHA256") == hashlib.sha256(content[:got]).hexdigest() else 0
