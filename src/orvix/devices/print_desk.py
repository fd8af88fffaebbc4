"""The print desk: what a print service takes, and a stand-in for one. Called by the web application's orders.

`PrintDesk` is the port: whatever prints stands behind it. `StandInDesk` is the one that ships: it checks what it is
sent by its own rules, keeps a book of tickets, and moves each from state to state as it is asked about. It can be told
to be slow, to fail, and to reject. It has no clock and no storage of its own: both are given.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Protocol

from orvix.errors import OrvixError, UnknownName
from orvix.registry import Registry

STATES = ("received", "checked", "printing", "ready")
REFUSED = "refused"
MANNERS = ("as it should", "slow", "failing", "rejecting")
_FAILURES = 2
"""So many times a failing desk does not answer before it does."""
_SLOW_ASKS = 4
"""So many times a slow desk is asked before it gets on with a ticket."""


@dataclass(frozen=True)
class Goods:
    """Something that is printed: its trimmed size and bleed in mm, the least px an inch, and what a file may be."""

    name: str
    title: str
    size_mm: tuple[float, float]
    bleed_mm: float
    least_ppi: float
    most_bytes: int
    repeats: bool = True
    """Whether it is covered by the repeat, or shows the picture once."""
    alpha: bool = False
    """Whether a file may have clear px."""
    most_chroma: float = 0.25
    """The OKLCH chroma above which its inks cannot follow."""
    least_line_mm: float = 0.2
    """Lines that are thinner break up."""

    def size_px(self, ppi: float) -> tuple[int, int]:
        """The file's (width, height), bleed on every side counted in."""
        width, height = (round((side + 2 * self.bleed_mm) / 25.4 * ppi) for side in self.size_mm)
        return width, height

    def describe(self) -> dict[str, Any]:
        """As pages show it (JSON types only)."""
        told = {"name": self.name, "title": self.title, "size_mm": list(self.size_mm), "bleed_mm": self.bleed_mm}
        return told | {"least_ppi": self.least_ppi, "most_mb": round(self.most_bytes / 2**20), "alpha": self.alpha}


GOODS: Registry[Goods] = Registry("goods")
_MB = 2**20
for _one in (
    Goods("tote", "Tote bag, both sides", (386, 426), 3, 200, 48 * _MB, least_line_mm=0.35),
    Goods("tin", "Tin, wall and lid", (330, 120), 2, 300, 32 * _MB),
    Goods("endpaper", "Endpapers, 1 sheet", (400, 280), 3, 300, 64 * _MB),
    Goods("wrap", "Gift wrap, 1 sheet", (700, 500), 5, 150, 48 * _MB),
    Goods("cloth", "Fabric, 1 m", (1400, 1000), 0, 120, 96 * _MB, most_chroma=0.22, least_line_mm=0.35),
    Goods("print", "Art print, not repeated", (297, 210), 3, 200, 48 * _MB, repeats=False),
    Goods("sticker", "Sticker, round", (80, 80), 2, 300, 8 * _MB, repeats=False, alpha=True),
):
    GOODS.add(_one.name, _one)


class DeskDown(OrvixError):
    """The desk does not answer now; asking again later may help."""

    code = "desk-down"


@dataclass(frozen=True)
class Parcel:
    """What is sent: token is the sender's own and says that two sends are one order."""

    token: str
    goods: str
    copies: int
    width_px: int
    height_px: int
    ppi: float
    octets: int
    has_alpha: bool


@dataclass(frozen=True)
class Ticket:
    """What the desk says of an order: its number, its state, and why, where it was refused."""

    number: int
    token: str
    state: str
    reasons: tuple[str, ...] = ()
    asked: int = 0

    @property
    def over(self) -> bool:
        """Whether nothing more will happen to it."""
        return self.state in (STATES[-1], REFUSED)


class PrintDesk(Protocol):
    """Where orders go. Both raise DeskDown while it does not answer; both may be called again with the same token."""

    def send(self, parcel: Parcel) -> Ticket:
        """Send an order; the same token twice is the same order."""

    def ask(self, token: str) -> Ticket | None:
        """How an order stands, or None where the desk knows of none."""


class Book(Protocol):
    """Where the stand-in writes its tickets down."""

    def find(self, token: str) -> Ticket | None:
        """The ticket of a token, or None."""

    def put(self, ticket: Ticket) -> Ticket:
        """Write down a ticket; a new one has the number 0, and gets one."""

    def failures(self, token: str) -> int:
        """Count one more time that a failing desk did not answer for a token; how often it had not before."""


class StandInDesk:
    """A print service that is none. manner: one of MANNERS."""

    def __init__(self, book: Book, manner: str = MANNERS[0]) -> None:
        if manner not in MANNERS:
            raise UnknownName("manner of the print desk", manner, list(MANNERS))
        self._book = book
        self._manner = manner

    def send(self, parcel: Parcel) -> Ticket:
        """As in `PrintDesk`."""
        self._answer(parcel.token)
        known = self._book.find(parcel.token)
        if known is not None:
            return known
        reasons = refusals(parcel)
        if self._manner == "rejecting":
            reasons = (*reasons, "The print desk is set to refuse every order.")
        return self._book.put(Ticket(0, parcel.token, REFUSED if reasons else STATES[0], tuple(reasons)))

    def ask(self, token: str) -> Ticket | None:
        """As in `PrintDesk`; each time it is asked it gets on with the ticket."""
        self._answer(token)
        ticket = self._book.find(token)
        if ticket is None or ticket.over:
            return ticket
        asked = ticket.asked + 1
        if asked >= (_SLOW_ASKS if self._manner == "slow" else 1):
            return self._book.put(replace(ticket, state=STATES[STATES.index(ticket.state) + 1], asked=0))
        return self._book.put(replace(ticket, asked=asked))

    def _answer(self, token: str) -> None:
        if self._manner == "failing" and self._book.failures(token) < _FAILURES:
            raise DeskDown("The print desk does not answer.")


def refusals(parcel: Parcel) -> tuple[str, ...]:
    """What the desk has against a file, by what it can measure of it."""
    goods = GOODS.get(parcel.goods)
    found = []
    if parcel.ppi < goods.least_ppi:
        found.append(f"resolution={parcel.ppi:g} ppi: at least {goods.least_ppi:g}")
    want = goods.size_px(parcel.ppi)
    if any(abs(have - asked) > 2 for have, asked in zip((parcel.width_px, parcel.height_px), want, strict=True)):
        found.append(f"size={parcel.width_px}x{parcel.height_px} px: {want[0]}x{want[1]} at {parcel.ppi:g} ppi")
    if parcel.has_alpha and not goods.alpha:
        found.append("alpha: the file must be opaque")
    if parcel.octets > goods.most_bytes:
        found.append(f"file={parcel.octets} bytes: at most {goods.most_bytes}")
    if not 1 <= parcel.copies <= 10_000:
        found.append(f"copies={parcel.copies}: 1 to 10000")
    return tuple(found)
