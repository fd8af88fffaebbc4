"""Every error the core raises on purpose.

Each carries a stable `code` and a sentence that names the thing, its value and the rule. The command line
maps `exit_status`; the web application maps classes to answers in one table of its own. `str(error)` is what the
command line prints, `error.sentence` what a page shows.
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

    @property
    def sentence(self) -> str:
        """The error in the words of a page: what happened, why, and what to do."""
        return _full(str(self))


class BadValue(OrvixError):
    """A value breaks its rule: `spacing=0: must be 0.005 to 20 stamp lengths`.

    title is the value's name on the screen, and enter says what to give instead, as a sentence. A rule that begins
    with a capital is a sentence of its own. One that begins with a verb, such as "is locked", says something of the
    value where that is a text, as the name of a layer.
    """

    code = "bad-value"

    def __init__(self, name: str, value: Any, rule: str, *, title: str = "", enter: str = "") -> None:
        shown = repr(value) if isinstance(value, str) else f"{value}"
        super().__init__(f"{name}={shown[:80]}: {rule}")
        self.name = name
        self.value = value
        self.rule = rule
        self.title = title
        self.enter = enter

    @property
    def sentence(self) -> str:
        """The error in the words of a page: `Spacing cannot be 0. Enter 0.005 to 20 stamp lengths.`"""
        if self.rule[:1].isupper():
            return _full(self.rule)
        title = self.title or _title(self.name)
        shown = f"{self.value:g}" if isinstance(self.value, float) else str(self.value)[:80] or "empty"
        if self.rule.startswith(_OF_THE_VALUE):
            return _full(f"{shown if isinstance(self.value, str) else title} {self.rule}")
        if self.enter:
            return _full(f"{title} cannot be {shown}. {self.enter}")
        what = f"It {self.rule}" if self.rule.startswith("must ") else self.rule[:1].upper() + self.rule[1:]
        return _full(f"{title} cannot be {shown}. {what}")


class UnknownName(OrvixError):
    """A name that a registry does not hold; the message lists those it does."""

    code = "unknown-name"

    def __init__(self, kind: str, name: Any, known: list[str]) -> None:
        super().__init__(f"{kind}={str(name)[:80]!r}: known are {', '.join(known)}")
        self.kind = kind
        self.name = str(name)[:80]
        self.known = known

    @property
    def sentence(self) -> str:
        """The error in the words of a page."""
        few = 1 < len(self.known) <= _FEW
        choice = f"{', '.join(self.known[:-1])} or {self.known[-1]}" if few else "another one"
        return f"There is no {self.kind} named {self.name or 'nothing'}. Choose {choice}."


class UnreadablePicture(OrvixError):
    """A file that is not a picture this program reads, is cut short, or breaks a limit."""

    code = "unreadable-picture"
    exit_status = 1


class UnreadableFile(OrvixError):
    """A file that cannot be opened, parsed or written."""

    code = "unreadable-file"
    exit_status = 1


_OF_THE_VALUE = ("is ", "has ", "cannot ", "contains ", "does ", "already ", "keeps ", "needs ", "holds ")
_FEW = 12
_UNITS = ("_px", "_mm", "_deg", "_ppi", "_pk", "_id")


def _title(name: str) -> str:
    """The name of a value as a label writes it: `grain.offset_px` is Offset."""
    last = name.rsplit(".", 1)[-1]
    if last == "ppi":
        return "Resolution"
    for unit in _UNITS:
        last = last.removesuffix(unit)
    words = last.replace("_", " ").replace("-", " ").strip() or "value"
    return words[:1].upper() + words[1:]


def _full(text: str) -> str:
    """Whole sentences: what a semicolon joins stands alone, and the last one ends with a full stop."""
    parts = [part.strip() for part in text.split("; ")]
    text = ". ".join(part[:1].upper() + part[1:] if n else part for n, part in enumerate(parts) if part)
    return text if text.endswith((".", "?", "!", "…")) else f"{text}."
