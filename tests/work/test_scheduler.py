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


def test_a_serial_part_never_does_two_things_at_once_while_others_go_on(gate: threading.Event) -> None:
    lane, order = Lane("test", threads=3), []
    mine, theirs = lane.share(is_serial=True), lane.share(is_serial=True)
    inside, most = [0], [0]
    turn = threading.Lock()

    def work(_ticket: Ticket) -> None:
        with turn:
            inside[0] += 1
            most[0] = max(most[0], inside[0])
        gate.wait(5)
        with turn:
            inside[0] -= 1

    for number in range(3):
        mine.submit(number, work, lambda _none, number=number: order.append(number))
    others = threading.Event()
    theirs.submit(None, lambda _ticket: others.set())

    assert others.wait(5), "another part's request is not held up"
    gate.set()
    assert lane.wait_idle(10)
    assert most[0] == 1
    assert sorted(order) == [0, 1, 2]
    lane.close()


def test_closing_a_lane_does_not_wait_for_what_a_serial_part_has_not_begun(gate: threading.Event) -> None:
    lane, done = Lane("test", threads=2), []
    mine = lane.share(is_serial=True)
    begun = threading.Event()
    mine.submit(1, lambda _ticket: (begun.set(), gate.wait(5)), done.append)
    assert begun.wait(5)
    mine.submit(2, lambda _ticket: None, lambda _none: done.append("second"))
    gate.set()
    lane.close()
    assert mine.is_idle
