"""Hand files to a client's drop-off over HTTP: whole or not at all, tried again, gone on with where it broke off."""

import contextlib
import hashlib
import http.client
import socket
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Final
from urllib.parse import quote, urlsplit, urlunsplit

from peel.errors import Cancelled, DeliveryError

__all__ = ["address_of", "check_address", "is_address", "upload"]

_TRIES: Final = 8
_FIRST_WAIT_S: Final = 0.2
_MOST_WAIT_S: Final = 5.0
_TIMEOUT_S: Final = 10.0
_MOST_S: Final = 60.0  # for one file, whatever the drop-off does
_SLOWEST: Final = 50_000.0  # bytes in a second that are waited for beside it
_LOOK_S: Final = 0.1  # between two looks at the clock
_PIECE: Final = 1 << 18
_DONE: Final = frozenset({200, 201, 204})
_AGAIN: Final = frozenset({408, 409, 425, 429, 500, 502, 503, 504})


def is_address(text: str) -> bool:
    """Return whether a destination is an address rather than a folder."""
    return text.startswith(("http://", "https://"))


def address_of(folder: str, name: str) -> str:
    """Return the address of a file in a drop-off; what stands behind a question mark stays behind it.

    >>> address_of("https://drop.example/job?key=1", "a b.png")
    'https://drop.example/job/a%20b.png?key=1'
    """
    parts = urlsplit(folder)
    return urlunsplit((parts.scheme, parts.netloc, f"{parts.path.rstrip('/')}/{quote(name)}", parts.query, ""))


def check_address(address: str) -> None:
    """Make sure that an address can be one.

    Raises
    ------
    DeliveryError
    """
    try:
        parts = urlsplit(address)
        has_port = parts.port is None or parts.port > 0
        is_sound = bool(parts.hostname) and has_port and address.isprintable() and " " not in address
    except ValueError:
        is_sound = False
    if not is_sound or "#" in address:
        message = f"{address[:200]!r} is no address of a drop-off."
        raise DeliveryError(message, "Write it as https://host/folder, as the client gave it.")


def upload(
    path: Path,
    address: str,
    *,
    wait: Callable[[float], object] = time.sleep,
    stop: Callable[[], bool] = lambda: False,
    most_s: float = _MOST_S,
) -> str:
    """Put a file to an address and make sure that it arrived.

    A drop-off that refuses for the moment, or goes away, is asked again after a while, and is sent only what it has not
    got. That it took the file counts only once it says that it has all of it, with the file's own digest.

    Parameters
    ----------
    path : Path
    address : str
        Of the folder; the file's name is put behind it.
    wait : callable
        Given the seconds to wait between two tries.
    stop : callable
        Asked now and then whether to stop.
    most_s : float
        Seconds within which the file has to arrive, beside a second for each 50 kB of it.

    Returns
    -------
    str
        The file's SHA-256 in hexadecimal.

    Raises
    ------
    DeliveryError
        If it was refused for good, or had not arrived after eight tries or in time.
    Cancelled
        If `stop` said so.
    """
    check_address(address)
    content = path.read_bytes()
    digest = hashlib.sha256(content).hexdigest()
    watch = _Watch(time.monotonic() + most_s + len(content) / _SLOWEST, stop)
    said = "it does not answer"
    for number in range(_TRIES):
        if number:
            wait(min(_FIRST_WAIT_S * 2 ** (number - 1), _MOST_WAIT_S))
        try:
            with watch.over(address) as connection:
                status, said = _put(connection, content, digest, address_of(address, path.name), watch)
        except (OSError, http.client.HTTPException, ValueError) as error:
            watch.check()
            said = "it took too long" if watch.is_late else f"the connection broke off ({type(error).__name__})"
            if watch.is_late:
                break
            continue
        if status in _DONE:
            return digest
        if status not in _AGAIN:
            break
    raise DeliveryError(f"{address} did not take {path.name}: {said}.", "Ask the client, then deliver again.")


class _Watch:
    """Cuts a connection when the time is up or somebody says to stop, whatever it waits for."""

    def __init__(self, end: float, stop: Callable[[], bool]) -> None:
        self._end, self._stop = end, stop
        self._stopped = False

    @property
    def is_late(self) -> bool:
        return time.monotonic() > self._end

    def check(self) -> None:
        """Raise Cancelled if somebody said to stop."""
        if self._stopped or self._stop():
            raise Cancelled

    @contextlib.contextmanager
    def over(self, address: str) -> Iterator[http.client.HTTPConnection]:
        """Connect, and close the connection from another thread when it must end."""
        self.check()
        parts = urlsplit(address)
        kind = http.client.HTTPSConnection if parts.scheme == "https" else http.client.HTTPConnection
        connection = kind(parts.netloc, timeout=max(0.05, min(_TIMEOUT_S, self._end - time.monotonic())))
        done = threading.Event()
        guard = threading.Thread(target=self._guard, args=(connection, done), daemon=True)
        guard.start()
        try:
            yield connection
        finally:
            done.set()
            guard.join()
            connection.close()

    def _guard(self, connection: http.client.HTTPConnection, done: threading.Event) -> None:
        while not done.wait(_LOOK_S):
            self._stopped = self._stopped or self._stop()
            if self._stopped or self.is_late:
                with contextlib.suppress(OSError):
                    if connection.sock is not None:
                        connection.sock.shutdown(socket.SHUT_RDWR)
                return


def _put(
    connection: http.client.HTTPConnection, content: bytes, digest: str, address: str, watch: _Watch
) -> tuple[int, str]:
    """Send what is missing of a file and ask whether it is there; return the answer's status and its words."""
    parts = urlsplit(address)
    target = f"{parts.path}?{parts.query}" if parts.query else parts.path
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
        watch.check()
        connection.send(content[at : at + _PIECE])
    answer = connection.getresponse()
    said = answer.read(400).decode("utf-8", "replace").strip() or answer.reason
    words = " ".join(part for part in said.split() if part.isprintable())[:200]
    answer.close()
    if answer.status not in _DONE:
        return answer.status, words
    connection.close()  # what it said may not have been read to its end
    if content and _got(connection, target, content, digest) != len(content):
        return 503, "it answered that it took the file, but does not have all of it"
    return answer.status, words


def _got(connection: http.client.HTTPConnection, target: str, content: bytes, digest: str) -> int:
    """Ask how much of a file is there; all of it only if its digest is the same."""
    connection.request("HEAD", target)
    answer = connection.getresponse()
    answer.read(0)
    answer.close()
    size = answer.getheader("X-Received-Bytes") or "0"
    got = int(size) if size.isascii() and size.isdigit() and len(size) < 20 else 0
    if answer.status not in _DONE or got > len(content):
        return 0
    if got == len(content):
        return got if answer.getheader("X-Content-SHA256") == digest else 0
    return got if answer.getheader("X-Content-SHA256") == hashlib.sha256(content[:got]).hexdigest() else 0
