"""Drop-offs that answer what they like: each ends in a sentence and in time, and none passes for a delivery."""

import contextlib
import random
import socket
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

from peel.errors import DeliveryError
from peel.files.upload import upload

__all__ = ["Answer", "answering", "run"]

Answer = Callable[[socket.socket, bytes, threading.Event], None]
"""Answers a request; given the connection, what was sent, and what is set once nobody listens any more."""

ROUNDS = 20
_MOST_S = 2.0
_ADDRESSES = (
    "http://",
    "http://:80/x",
    "http://h:99999/",
    "http://[::1",
    "http://a b/",
    "http://h/#x",
    "https://\x1b/",
)


def run(seed: int) -> list[str]:
    """Upload to every one of them; give the figures."""
    rng = random.Random(seed)
    passed, raised, longest = 0, [], 0.0
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "flat.jpg"
        file.write_bytes(rng.randbytes(300_000))
        for number in range(ROUNDS + len(_ADDRESSES)):
            began = time.monotonic()
            try:
                if number < ROUNDS:
                    with answering(partial(_answer, random.Random(seed * 100 + number), number % 10)) as address:
                        upload(file, address, wait=lambda _s: time.sleep(0.02), most_s=_MOST_S)
                else:
                    upload(file, _ADDRESSES[number - ROUNDS])
                passed += 1
            except DeliveryError:
                pass
            except Exception as error:  # noqa: BLE001 - that is what is looked for
                raised.append(f"{number}: {error!r}")
            longest = max(longest, time.monotonic() - began)
    return [
        *(f"BROKEN {line}" for line in raised),
        f"{'BROKEN ' if passed or raised else ''}{ROUNDS} hostile drop-offs and {len(_ADDRESSES)} odd addresses: "
        f"{passed} passed for a delivery, {len(raised)} without a sentence",
        f"{'BROKEN ' if longest > 15 else ''}the longest took {longest:.1f} s",
    ]


@contextlib.contextmanager
def answering(answer: Answer) -> Iterator[str]:
    """Listen on this machine and give the address; every request is answered by `answer`."""
    server = socket.create_server(("127.0.0.1", 0))
    server.settimeout(0.1)
    ended = threading.Event()

    def serve(peer: socket.socket) -> None:
        with peer, contextlib.suppress(OSError):
            peer.settimeout(15)
            while (head := peer.recv(65536)) and not ended.is_set():
                answer(peer, head, ended)

    def listen() -> None:
        while not ended.is_set():
            with contextlib.suppress(OSError):
                threading.Thread(target=serve, args=(server.accept()[0],), daemon=True).start()

    thread = threading.Thread(target=listen, daemon=True)
    thread.start()
    try:
        yield f"http://127.0.0.1:{server.getsockname()[1]}/order"
    finally:
        ended.set()
        thread.join()
        server.close()


def _answer(rng: random.Random, kind: int, peer: socket.socket, _head: bytes, ended: threading.Event) -> None:
    if kind == 0:  # yes to everything
        peer.sendall(b"HTTP/1.1 200 OK\r\nContent-Length: 0\r\n\r\n")
    elif kind == 1:  # headers without end
        peer.sendall(b"HTTP/1.1 200 OK\r\n")
        while not ended.wait(0.02):
            peer.sendall(b"X: y\r\n")
    elif kind == 2:  # a body without end
        peer.sendall(b"HTTP/1.1 200 OK\r\nContent-Length: 999999999999\r\n\r\n")
        while not ended.wait(0.02):
            peer.sendall(b"z" * 64)
    elif kind == 3:  # silence
        ended.wait(20)
    elif kind == 4:  # noise
        peer.sendall(rng.randbytes(2000))
    elif kind == 5:  # hangs up
        peer.close()
    elif kind == 6:  # more than there is
        peer.sendall(b"HTTP/1.1 200 OK\r\nX-Received-Bytes: 99999999999999\r\nContent-Length: 0\r\n\r\n")
    elif kind == 7:  # all of it, but something else
        peer.sendall(
            b"HTTP/1.1 200 OK\r\nX-Received-Bytes: 300000\r\nX-Content-SHA256: 00\r\nContent-Length: 0\r\n\r\n"
        )
    elif kind == 8:  # elsewhere
        peer.sendall(b"HTTP/1.1 302 Found\r\nLocation: http://127.0.0.1:1/\r\nContent-Length: 0\r\n\r\n")
    else:  # terminal escapes in a refusal
        peer.sendall(b"HTTP/1.1 403 \x1b[31mNo\r\nContent-Length: 9\r\nConnection: close\r\n\r\n\x1b]0;x\x07no\n")
