import threading

import pytest

from peel.work.scheduler import Lane, Ticket


@pytest.fixture
def gate() -> threading.Event:
    return threading.Event()


def test_newest_first_and_same_keys_overtake(gate: threading.Event) -> None:
    lane, done = Lane("test"), []
    lane.submit(None, lambda _ticket: gate.wait(5))
    lane.submit("a", lambda _ticket: "old a", done.append)
    lane.submit("b", lambda _ticket: "b", done.append)
    lane.submit("a", lambda _ticket: "new a", done.append)

    gate.set()

    assert lane.wait_idle(5)
    assert done == ["new a", "b"]
    lane.close()


def test_edits_keep_their_order_and_are_finished_on_closing(gate: threading.Event) -> None:
    lane, done = Lane("test", in_order=True), []
    lane.submit(None, lambda _ticket: gate.wait(5))
    for number in range(5):
        lane.submit(None, lambda _ticket, number=number: number, done.append)

    gate.set()
    lane.close()

    assert done == [0, 1, 2, 3, 4]


def test_a_running_request_is_told_and_then_ignored(gate: threading.Event) -> None:
    lane, done, started = Lane("test"), [], threading.Event()

    def work(ticket: Ticket) -> str:
        started.set()
        gate.wait(5)
        ticket.check()
        return "stale"

    lane.submit("a", work, done.append)
    started.wait(5)
    lane.submit("a", lambda _ticket: "fresh", done.append)
    gate.set()

    assert lane.wait_idle(5)
    assert done == ["fresh"]
    lane.close()


def test_failures_are_reported_and_the_lane_goes_on() -> None:
    lane, failed, done = Lane("test"), [], []

    lane.submit(None, lambda _ticket: 1 // 0, done.append, failed.append)
    assert lane.wait_idle(5)
    lane.submit(None, lambda _ticket: 2, done.append)

    assert lane.wait_idle(5)
    assert isinstance(failed[0], ZeroDivisionError)
    assert done == [2]
    lane.close()


def test_a_share_of_a_lane_is_waited_for_and_cancelled_by_itself(gate: threading.Event) -> None:
    lane, done = Lane("test"), []
    mine, theirs = lane.share(), lane.share()
    theirs.submit("work", lambda _ticket: gate.wait(5), lambda _answer: done.append("theirs"))
    mine.submit("work", lambda _ticket: "mine", done.append)

    mine.keep_only(lambda _key: False)
    assert mine.wait_idle(1)
    assert not theirs.is_idle
    gate.set()

    assert theirs.wait_idle(5)
    assert done == ["theirs"]
    lane.close()


def test_nothing_can_be_submitted_to_what_is_closed() -> None:
    lane = Lane("test")
    share = lane.share()
    share.close()
    with pytest.raises(RuntimeError, match="closed"):
        share.submit(None, lambda _ticket: None)
    lane.close()

    with pytest.raises(RuntimeError, match="closed"):
        lane.submit(None, lambda _ticket: None)


def test_a_cancelled_request_reports_no_failure(gate: threading.Event) -> None:
    lane, failures = Lane("test"), []

    def fail(_ticket: Ticket) -> None:
        gate.wait(5)
        raise OSError

    ticket = lane.submit(None, fail, None, failures.append)
    ticket.cancel()
    gate.set()

    assert lane.wait_idle(5)
    assert failures == []
    lane.close()
