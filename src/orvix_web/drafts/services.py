"""Storing drafts, and stepping back and forth in them.

Law: what a window was answered is in the database, and nothing that another window wrote is replaced unseen. A window
says which revision it shows; where another window has written since, its change becomes the next step to redo and the
answer says so.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db import transaction

from orvix.errors import BadValue
from orvix_web.drafts.kinds import Kind, kind_of
from orvix_web.drafts.models import Draft, Step
from orvix_web.errors import NotYours
from orvix_web.notices import told

MOST_STEPS = 200
MOST_CHANGES = 100
WAYS = ("undo", "redo", "discard")


@dataclass(frozen=True)
class Written:
    """What a window writes: changes in their order, each a value and whether the hand has let go of it.

    base: the revision that the window shows. sequence: counts the writes of this window.
    """

    window: str
    base: int
    sequence: int
    changes: tuple[tuple[Any, bool], ...]

    @classmethod
    def parse(cls, given: Any) -> Written:
        """Read what a page sent; raises BadValue."""
        if not isinstance(given, dict):
            raise BadValue("draft", str(given)[:40], "must be an object with window, base, sequence and changes")
        window, changes = given.get("window"), given.get("changes")
        if not isinstance(window, str) or not 1 <= len(window) <= 40 or not window.isalnum():
            raise BadValue("window", str(window)[:40], "must be 1 to 40 letters and digits")
        for name in ("base", "sequence"):
            if type(given.get(name)) is not int or not 0 <= given[name] < 2**31:
                raise BadValue(name, str(given.get(name))[:40], "must be a whole number from 0")
        if not isinstance(changes, list) or not 1 <= len(changes) <= MOST_CHANGES:
            raise BadValue("changes", str(changes)[:40], f"must be 1 to {MOST_CHANGES} changes")
        for one in changes:
            if not isinstance(one, dict) or not isinstance(one.get("settled"), bool) or one.get("value") is None:
                raise BadValue("change", str(one)[:40], "must have a value, and settled as true or false")
        read = tuple((one["value"], one["settled"]) for one in changes)
        return cls(window, given["base"], given["sequence"], read)


@dataclass(frozen=True)
class Standing:
    """How a draft stands. value: what the bench shows; changed: whether that differs from what was saved last."""

    value: Any
    saved: Any
    changed: bool
    revision: int
    can_undo: bool
    can_redo: bool
    elsewhere: bool = False
    """Whether another window has written since, so that this write became the next step to redo."""

    def facts(self) -> dict[str, Any]:
        """All but the values, as every answer carries them."""
        return {
            "changed": self.changed,
            "revision": self.revision,
            "can_undo": self.can_undo,
            "can_redo": self.can_redo,
            "elsewhere": self.elsewhere,
        }

    def whole(self) -> dict[str, Any]:
        """Everything, as a window takes it that shows it anew."""
        return self.facts() | {"value": self.value, "saved": self.saved}


def standing(owner_id: int, kind: str, number: int) -> Standing:
    """How the draft of a thing stands; raises NotYours. Nothing is written."""
    found, thing = _owned(owner_id, kind, number)
    draft = Draft.objects.filter(kind=kind, number=number).first()
    return _standing(found, thing, draft)


def write(owner_id: int, kind: str, number: int, written: Written) -> Standing:
    """Store what a window writes; raises NotYours, and what the kind's check raises: then nothing is changed.

    A write that has come before is not done twice. Where another window has written since, its value stays, and this
    one becomes the next step to redo.
    """
    found, thing = _owned(owner_id, kind, number)
    checked = [(found.check(owner_id, value), settled) for value, settled in written.changes]
    with transaction.atomic():
        draft = _locked(owner_id, kind, number)
        mine = draft.window == written.window
        if mine and written.sequence <= draft.sequence:
            return _standing(found, thing, draft)
        if not mine and written.base < draft.revision:
            _fix(found, thing, draft)
            _push(draft, checked[-1][0])
            draft.save()
            return _standing(found, thing, draft, elsewhere=True)
        if draft.value is None:
            _fix(found, thing, draft)
        for value, settled in checked:
            _show(found, thing, draft, value)
            if settled:
                _fix(found, thing, draft)
        draft.window, draft.sequence = written.window, written.sequence
        return _saved(found, thing, draft)


def step(owner_id: int, kind: str, number: int, way: str, window: str = "") -> Standing:
    """Undo, redo, or discard what is not saved, which can be undone; raises NotYours and BadValue."""
    if way not in WAYS:
        raise BadValue("way", way[:20], "must be one of " + ", ".join(WAYS))
    found, thing = _owned(owner_id, kind, number)
    with transaction.atomic():
        draft = _locked(owner_id, kind, number)
        _fix(found, thing, draft)
        if way == "discard":
            _show(found, thing, draft, found.saved(thing))
            _fix(found, thing, draft)
        else:
            to = draft.steps.filter(number=draft.at + (1 if way == "redo" else -1)).first()
            if to is None:
                return _standing(found, thing, draft)
            _show(found, thing, draft, to.value)
            draft.at = to.number
        draft.window, draft.sequence = window[:40], draft.sequence if draft.window == window else 0
        return _saved(found, thing, draft)


def saved(owner_id: int, kind: str, thing: Any) -> None:
    """A thing was saved: a draft that says the same is none any more. Any other draft stays, over the new version.

    Called in the transaction that saves it.
    """
    found = kind_of(kind)
    draft = Draft.objects.select_for_update().filter(kind=kind, number=thing.pk).first()
    if draft is None:
        return
    if draft.value is None:
        # Windows that show it as it was saved show the new version.
        draft.revision += 1
        draft.window, draft.sequence = "", 0
    elif draft.value == found.saved(thing):
        draft.value = None
    draft.save()
    told(owner_id, {"of": kind, "number": thing.pk, "revision": draft.revision, "window": ""})


def forget(kind: str, number: int) -> None:
    """A thing is deleted for good, and its draft with it."""
    Draft.objects.filter(kind=kind, number=number).delete()


def _owned(owner_id: int, kind: str, number: int) -> tuple[Kind, Any]:
    found = kind_of(kind)
    thing = found.model.objects.filter(owner_id=owner_id, pk=number).first()
    if thing is None:
        raise NotYours("This item no longer exists.")
    return found, thing


def _locked(owner_id: int, kind: str, number: int) -> Draft:
    Draft.objects.get_or_create(kind=kind, number=number, defaults={"owner_id": owner_id})
    return Draft.objects.select_for_update().get(kind=kind, number=number)


def _shown(found: Kind, thing: Any, draft: Draft | None) -> Any:
    return found.saved(thing) if draft is None or draft.value is None else draft.value


def _show(found: Kind, thing: Any, draft: Draft, value: Any) -> None:
    draft.value = None if value == found.saved(thing) else value
    draft.revision += 1


def _fix(found: Kind, thing: Any, draft: Draft) -> None:
    """What is shown becomes a step, unless it is the one that stands; what could be redone goes."""
    shown = _shown(found, thing, draft)
    last = draft.steps.filter(number=draft.at).first()
    if last is not None and last.value == shown:
        return
    _push(draft, shown)
    draft.at += 1
    draft.steps.filter(number__lte=draft.at - MOST_STEPS).delete()


def _push(draft: Draft, value: Any) -> None:
    """A step after the one that stands, in place of all that come after it."""
    draft.steps.filter(number__gt=draft.at).delete()
    Step.objects.create(draft=draft, number=draft.at + 1, value=value)


def _saved(found: Kind, thing: Any, draft: Draft) -> Standing:
    draft.save()
    told(
        draft.owner_id,
        {"of": draft.kind, "number": draft.number, "revision": draft.revision, "window": draft.window},
    )
    return _standing(found, thing, draft)


def _standing(found: Kind, thing: Any, draft: Draft | None, *, elsewhere: bool = False) -> Standing:
    now, shown = found.saved(thing), _shown(found, thing, draft)
    if draft is None:
        return Standing(shown, now, False, 0, False, False, elsewhere)
    steps = draft.steps
    # A value that is still dragged, or a version that came from elsewhere, is a step that can be undone.
    loose = steps.filter(number=draft.at).exclude(value=shown).exists()
    before = loose or steps.filter(number__lt=draft.at).exists()
    after = not loose and steps.filter(number__gt=draft.at).exists()
    return Standing(shown, now, draft.value is not None, draft.revision, before, after, elsewhere)
