"""Passwords that were wrong: after too many in a while, whoever tries has to wait. Held by the one server process."""

from __future__ import annotations

from collections import deque
from threading import Lock
from time import monotonic

MOST, SECONDS = 8, 300.0
MOST_NAMES = 10_000


class Attempts:
    """Counts wrong passwords by name."""

    def __init__(self) -> None:
        self._wrong: dict[str, deque[float]] = {}
        self._lock = Lock()

    def wait_s(self, name: str) -> float:
        """So many seconds until this name may be tried again, 0 for now."""
        with self._lock:
            wrong = self._wrong.get(name.lower())
            now = monotonic()
            while wrong and wrong[0] < now - SECONDS:
                wrong.popleft()
            return wrong[0] + SECONDS - now if wrong is not None and len(wrong) >= MOST else 0.0

    def wrong(self, name: str) -> None:
        """One more was wrong."""
        with self._lock:
            # The last that was wrong stands last; who tries many names pushes out those, not the one that waits.
            wrong = self._wrong.pop(name.lower(), deque(maxlen=MOST))
            while len(self._wrong) >= MOST_NAMES:
                idle = next((one for one, times in self._wrong.items() if len(times) < MOST), next(iter(self._wrong)))
                del self._wrong[idle]
            wrong.append(monotonic())
            self._wrong[name.lower()] = wrong

    def right(self, name: str) -> None:
        """This one was right: its wrong ones are forgotten."""
        with self._lock:
            self._wrong.pop(name.lower(), None)


attempts = Attempts()
