"""The stand-in print desk: one order for one token, through its states, in each manner; and what it refuses."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import pytest

from orvix.devices.print_desk import GOODS, MANNERS, STATES, DeskDown, Parcel, StandInDesk, Ticket, refusals
from orvix.errors import UnknownName

TOTE = GOODS.get("tote")
GOOD = Parcel("a1", "tote", 60, *TOTE.size_px(200), 200, 1_000_000, False)


@dataclass
class MemoryBook:
    """A book in memory."""

    tickets: dict[str, Ticket] = field(default_factory=dict)
    failed: dict[str, int] = field(default_factory=dict)

    def find(self, token: str) -> Ticket | None:
        return self.tickets.get(token)

    def put(self, ticket: Ticket) -> Ticket:
        if not ticket.number:
            ticket = replace(ticket, number=len(self.tickets) + 1)
        self.tickets[ticket.token] = ticket
        return ticket

    def failures(self, token: str) -> int:
        before = self.failed.get(token, 0)
        self.failed[token] = before + 1
        return before


def through(desk: StandInDesk, token: str) -> list[str]:
    """Ask until it is over; all states that were told."""
    told = []
    for _ in range(100):
        try:
            ticket = desk.ask(token)
        except DeskDown:
            continue
        told.append(ticket.state)
        if ticket.over:
            return told
    raise AssertionError(told)


def test_an_order_goes_through_its_states_and_the_same_token_is_the_same_order():
    desk = StandInDesk(MemoryBook())
    first = desk.send(GOOD)
    assert (first.number, first.state) == (1, "received")
    assert desk.send(GOOD) == first
    assert through(desk, "a1") == list(STATES[1:])
    assert desk.send(GOOD).state == "ready"
    assert desk.send(replace(GOOD, token="b2")).number == 2
    assert desk.ask("none") is None


def test_each_manner_is_what_it_says():
    slow = StandInDesk(MemoryBook(), "slow")
    slow.send(GOOD)
    told = through(slow, "a1")
    assert len(told) > len(STATES)
    assert sorted(set(told), key=STATES.index) == list(STATES)
    book = MemoryBook()
    failing = StandInDesk(book, "failing")
    for _ in range(2):
        with pytest.raises(DeskDown):
            failing.send(GOOD)
    assert failing.send(GOOD).number == 1
    assert len(book.tickets) == 1
    rejecting = StandInDesk(MemoryBook(), "rejecting").send(GOOD)
    assert rejecting.over
    assert rejecting.reasons
    with pytest.raises(UnknownName):
        StandInDesk(MemoryBook(), "sleepy")
    assert len(MANNERS) == 4


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"ppi": 199.0}, "at least 200"),
        ({"width_px": 100}, "px"),
        ({"has_alpha": True}, "opaque"),
        ({"octets": TOTE.most_bytes + 1}, "bytes"),
        ({"copies": 0}, "1 to 10000"),
    ],
)
def test_what_it_cannot_print_it_refuses_with_the_value_and_the_rule(change, words):
    assert refusals(GOOD) == ()
    assert any(words in reason for reason in refusals(replace(GOOD, **change)))


def test_all_goods_are_described():
    for one in GOODS:
        told = one.describe()
        assert told["title"]
        assert min(one.size_px(one.least_ppi)) > 100
