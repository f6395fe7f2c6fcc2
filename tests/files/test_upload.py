"""A client's drop-off may answer whatever it likes: a file counts as delivered only if it is there."""

import socket
import threading
import time
from itertools import count
from pathlib import Path

import pytest
from campaign.clients import Answer, answering

from peel.errors import Cancelled, DeliveryError
from peel.files.upload import address_of, check_address, upload


@pytest.fixture
def file(tmp_path: Path) -> Path:
    path = tmp_path / "flat.jpg"
    path.write_bytes(b"0123456789" * 100)
    return path


def _upload(file: Path, address: str, **given: object) -> str:
    return upload(file, address, wait=lambda _s: time.sleep(0.01), **given)  # type: ignore[arg-type]


def test_a_drop_off_that_only_says_yes_has_not_got_the_file(file: Path) -> None:
    def yes(peer: socket.socket, _head: bytes, _ended: threading.Event) -> None:
        peer.sendall(b"HTTP/1.1 200 OK\r\nContent-Length: 0\r\n\r\n")

    with answering(yes) as address, pytest.raises(DeliveryError, match=r"does not have all of it|broke off"):
        _upload(file, address)


def _endless(peer: socket.socket, _head: bytes, ended: threading.Event) -> None:
    peer.sendall(b"HTTP/1.1 200 OK\r\n")
    while not ended.wait(0.05):
        peer.sendall(b"X: y\r\n")


def _silent(_peer: socket.socket, _head: bytes, ended: threading.Event) -> None:
    ended.wait(120)


def _noting(answer: Answer, over: threading.Event) -> Answer:
    """Note when an answer is over."""

    def noted(peer: socket.socket, head: bytes, ended: threading.Event) -> None:
        answer(peer, head, ended)
        over.set()

    return noted


@pytest.mark.parametrize("answer", [_endless, _silent])
def test_an_answer_without_end_is_cut_off_at_the_deadline(file: Path, answer: Answer) -> None:
    over = threading.Event()
    with answering(_noting(answer, over)) as address:
        with pytest.raises(DeliveryError, match="it took too long"):
            _upload(file, address, most_s=1.0)
        assert not over.is_set(), "nobody waited for the other side"


@pytest.mark.parametrize("answer", [_endless, _silent])
def test_stop_ends_an_upload_at_once(file: Path, answer: Answer) -> None:
    over, asked = threading.Event(), count()
    with answering(_noting(answer, over)) as address:
        with pytest.raises(Cancelled):
            _upload(file, address, stop=lambda: next(asked) >= 3)
        assert not over.is_set(), "nobody waited for the other side"
    assert next(asked) < 8, "it is asked for and carried out"


@pytest.mark.parametrize(
    "answer", [b"\x00" * 500, b"HTTP/9.9 banana\r\n\r\n", b"HTTP/1.1 200 OK\r\nContent-Length: x\r\n\r\n", b"\n" * 99]
)
def test_nonsense_is_said_in_a_sentence(file: Path, answer: bytes) -> None:
    with (
        answering(lambda peer, _head, _ended: peer.sendall(answer)) as address,
        pytest.raises(DeliveryError, match="not take"),
    ):
        _upload(file, address, most_s=5.0)


def test_what_stands_behind_the_question_mark_is_sent_along(file: Path) -> None:
    asked: list[bytes] = []

    def refuse(peer: socket.socket, head: bytes, _ended: threading.Event) -> None:
        asked.append(head.split(b"\r\n")[0])
        peer.sendall(b"HTTP/1.1 403 No\r\nContent-Length: 0\r\nConnection: close\r\n\r\n")

    with answering(refuse) as address, pytest.raises(DeliveryError):
        _upload(file, f"{address}?key=a%20b")
    assert asked[0] == b"HEAD /order/flat.jpg?key=a%20b HTTP/1.1"


@pytest.mark.parametrize(
    "address",
    ["http://", "http://:80/", "http://host:99999/", "http://[::1", "http://a b/", "http://h/#x", "https://\x1b/"],
)
def test_what_is_no_address_is_refused_before_anything_is_sent(file: Path, address: str) -> None:
    with pytest.raises(DeliveryError, match="is no address"):
        _upload(file, address)


def test_an_address_is_put_together_from_its_parts() -> None:
    check_address("https://drop.example/a?b=c")
    assert address_of("https://drop.example:8/a/?b=c", "ü.png") == "https://drop.example:8/a/%C3%BC.png?b=c"
