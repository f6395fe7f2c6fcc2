"""A client's drop-off that ships with the demo: takes files over HTTP PUT, checks them, and is as moody as real ones.

It listens on this machine alone. Now and then it refuses, hangs up in the middle of a file, or goes away for a moment.
"""

import hashlib
import random
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any, Final
from urllib.parse import unquote

from peel.files.names import clean_name

__all__ = ["DropOff"]

_MOST_BYTES: Final = 2_000_000_000
_PIECE: Final = 1 << 16


class DropOff(ThreadingHTTPServer):
    """The drop-off; use as a context manager, or call `serve_forever`.

    Parameters
    ----------
    folder : Path
        Where what arrives is put.
    moody : float
        How often it refuses, hangs up or goes away, in [0, 1].
    seed : int
        Of its moods.
    port : int
        0 for any that is free.
    """

    daemon_threads = True

    def __init__(self, folder: Path, *, moody: float = 0.3, seed: int = 1, port: int = 0) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.folder, self.moody = folder, moody
        self.chance = random.Random(seed)
        self.turn = threading.Lock()
        self.away_until = 0.0
        super().__init__(("127.0.0.1", port), _Desk)

    @property
    def address(self) -> str:
        """Where to send files."""
        return f"http://127.0.0.1:{self.server_address[1]}/order"

    def mood(self) -> str:
        """Return what it does next: "take", "refuse", "hang up" or "leave"."""
        with self.turn:
            if self.chance.random() >= self.moody:
                return "take"
            return self.chance.choice(("refuse", "hang up", "leave"))

    def handle_error(self, request: Any, client_address: Any) -> None:
        """Say nothing: a sender that hung up is not worth a word."""


class _Desk(BaseHTTPRequestHandler):
    """One sender at the desk."""

    server: DropOff
    protocol_version = "HTTP/1.1"

    def log_message(self, format: str, *args: object) -> None:  # noqa: A002 - the base class's name
        """Say nothing."""

    def _place(self) -> tuple[Path, Path]:
        name = clean_name(unquote(self.path.rsplit("/", 1)[-1]))
        return self.server.folder / name, self.server.folder / f".{name}.part"

    def do_HEAD(self) -> None:
        """Say how much of a file is there, and its digest."""
        whole, part = self._place()
        found = whole if whole.exists() else part
        content = found.read_bytes() if found.exists() else b""
        self.send_response(200)
        self.send_header("X-Received-Bytes", str(len(content)))
        self.send_header("X-Content-SHA256", hashlib.sha256(content).hexdigest())
        self.send_header("Content-Length", "0")
        self.end_headers()

    def do_PUT(self) -> None:
        """Take a file, or the rest of one."""
        mood = self.server.mood()
        if mood == "leave":
            self.server.away_until = time.monotonic() + 0.2
        if mood in {"refuse", "leave"} or time.monotonic() < self.server.away_until:
            self._answer(503, "The desk is not manned just now.")
            self.close_connection = True
            return
        self._take(hangs_up=mood == "hang up")

    def _take(self, *, hangs_up: bool) -> None:
        whole, part = self._place()
        size = int(self.headers.get("Content-Length") or 0)
        begin = self._begin()
        if begin is None or size <= 0 or size + begin > _MOST_BYTES:
            self._answer(400, "What is sent makes no sense.")
            return
        have = part.stat().st_size if part.exists() else 0
        if begin and begin != have:
            part.unlink(missing_ok=True)
            self._answer(409, "Begin again: the part that was here is not the one you mean.")
            return
        left = size // 2 if hangs_up else size
        with part.open("ab" if begin else "wb") as file:
            while left > 0:
                piece = self.rfile.read(min(left, _PIECE))
                if not piece:
                    break
                file.write(piece)
                left -= len(piece)
        if hangs_up:
            self.connection.close()
            self.close_connection = True
            return
        if hashlib.sha256(part.read_bytes()).hexdigest() != self.headers.get("X-Content-SHA256"):
            part.unlink(missing_ok=True)
            self._answer(409, "It arrived damaged.")
            return
        part.replace(whole)
        self._answer(201, "Thank you.")

    def _begin(self) -> int | None:
        """Return at which byte what is sent begins; None if that makes no sense."""
        given = self.headers.get("Content-Range")
        if given is None:
            return 0
        first = given.removeprefix("bytes ").partition("-")[0]
        return int(first) if first.isascii() and first.isdigit() else None

    def _answer(self, status: int, text: str) -> None:
        body = text.encode()
        self.send_response(status)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)
