"""Every error the core raises on purpose.

Each carries a stable `code` and a sentence that names the thing, its value and the rule. The command line
maps `exit_status`; the web application maps classes to answers in one table of its own.
"""

from __future__ import annotations

from typing import Any


class OrvixError(Exception):
    """The base of all errors a caller may show to a person."""

    code = "error"
    exit_status = 2

    def __init__(self, message: str, *, code: str | None = None) -> None:
        super().__init__(message)
        if code is not None:
            self.code = code


class BadValue(OrvixError):
    """A value breaks its rule: `spacing=0: must be 0.005 to 20 lengths of the stamp`."""

    code = "bad-value"

    def __init__(self, name: str, value: Any, rule: str) -> None:
        shown = repr(value) if isinstance(value, str) else f"{value}"
        super().__init__(f"{name}={shown[:80]}: {rule}")
        self.name = name
        self.value = value
        self.rule = rule


class UnknownName(OrvixError):
    """A name that a registry does not hold; the message lists those it does."""

    code = "unknown-name"

    def __init__(self, kind: str, name: Any, known: list[str]) -> None:
        super().__init__(f"{kind}={str(name)[:80]!r}: known are {', '.join(known)}")


class UnreadablePicture(OrvixError):
    """A file that is not a picture this program reads, is cut short, or breaks a limit."""

    code = "unreadable-picture"
    exit_status = 1


class UnreadableFile(OrvixError):
    """A file that cannot be opened, parsed or written."""

    code = "unreadable-file"
    exit_status = 1
