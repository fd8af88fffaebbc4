"""How long work tells how far it is, and is stopped. The core has no clock and no threads of its own in this."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from orvix.errors import OrvixError


class Stopped(OrvixError):
    """The work was stopped because someone asked for it; nothing of it is kept."""

    code = "stopped"


def _untold(_: float, __: str) -> None:
    """Nobody listens."""


def _never() -> bool:
    return False


@dataclass(frozen=True)
class Watch:
    """tell(share done 0 to 1, what is being done); asked_to_stop says whether to give up.

    Both are called on the thread that asked for the work.
    """

    tell: Callable[[float, str], None] = _untold
    asked_to_stop: Callable[[], bool] = _never

    def stop_if_asked(self) -> None:
        """Raise Stopped where someone has asked for it; called between pieces of work."""
        if self.asked_to_stop():
            raise Stopped("Cancelled.")

    def part(self, start: float, stop: float) -> Watch:
        """A watch for one part of the work, from one share of the whole to another."""
        return Watch(lambda share, words: self.tell(start + share * (stop - start), words), self.asked_to_stop)


UNWATCHED = Watch()
