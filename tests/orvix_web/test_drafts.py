"""Drafts: stored as they are changed, stepped through, followed, and never replaced unseen."""

from __future__ import annotations

import asyncio
import json
from io import BytesIO

import pytest
from PIL import Image

from orvix.errors import BadValue, OrvixError
from orvix_web import notices
from orvix_web.brushes.services import keep_brush
from orvix_web.chain.following import publish
from orvix_web.drafts.models import Draft, Step
from orvix_web.drafts.services import MOST_STEPS, Written, forget, step
from orvix_web.errors import NotYours
from orvix_web.proofs.own_surfaces import create_surface, keep_laying
from orvix_web.proofs.services import create_proof, keep_proof
from orvix_web.tiles.services import keep_grain
from tests.drafting import put, shown

pytestmark = pytest.mark.django_db


def png(width: int, height: int) -> bytes:
    out = BytesIO()
    Image.new("RGB", (width, height), "#c8b48c").save(out, "PNG")
    return out.getvalue()


def things(kit):
    """A thing of each kind, where one of its values is, another for that, and how it is saved."""
    owner, proof = kit.owner, create_proof(kit.owner, "tile", kit.tile.pk)
    surface = create_surface(owner, "wall.png", png(64, 48))

    def keep_tone(told):
        return keep_grain(owner, kit.grain.pk, told["tile_version"], told["tone"], told["scale"])

    return {
        "tile": (kit.tile, ("source", "values", "cells"), 11, lambda told: publish(owner, kit.tile.pk, told)),
        "grain": (kit.grain, ("tone", "contrast"), 0.3, keep_tone),
        "brush": (kit.brush, ("coats", 0, "values", "size"), 77.0, lambda told: keep_brush(owner, kit.brush.pk, told)),
        "proof": (proof, ("panels", 0, "columns"), 5, lambda told: keep_proof(owner, proof.pk, told)),
        "surface": (
            surface,
            ("laying", "width_mm"),
            420.0,
            lambda told: keep_laying(owner, surface.pk, told["laying"], told["name"]),
        ),
    }


KINDS = ("tile", "grain", "brush", "proof", "surface")


def case(kit, kind: str):
    """A thing of a kind, another value for it, and how that is saved."""
    thing, path, other, save = things(kit)[kind]
    value = json.loads(json.dumps(shown(kit.owner, kind, thing.pk).value))
    inside = value
    for part in path[:-1]:
        inside = inside[part]
    inside[path[-1]] = other
    return thing, value, save


@pytest.mark.parametrize("kind", KINDS)
def test_a_change_is_stored_undone_redone_discarded_and_saved(kit, kind):
    thing, value, save = case(kit, kind)
    before = shown(kit.owner, kind, thing.pk)
    assert (before.changed, before.can_undo, before.can_redo) == (False, False, False)
    after = put(kit.owner, kind, thing.pk, value)
    assert (after.changed, after.can_undo, after.value) == (True, True, value)
    assert shown(kit.owner, kind, thing.pk).saved == before.value
    undone = step(kit.owner.pk, kind, thing.pk, "undo")
    assert (undone.value, undone.changed, undone.can_undo, undone.can_redo) == (before.value, False, False, True)
    assert step(kit.owner.pk, kind, thing.pk, "redo").value == value
    discarded = step(kit.owner.pk, kind, thing.pk, "discard")
    assert (discarded.changed, discarded.value, discarded.can_undo) == (False, before.value, True)
    assert step(kit.owner.pk, kind, thing.pk, "undo").value == value
    save(value)
    kept = shown(kit.owner, kind, thing.pk)
    assert (kept.changed, kept.value, kept.saved, kept.can_undo) == (False, value, value, True)
    assert step(kit.owner.pk, kind, thing.pk, "undo").value == before.value


@pytest.mark.parametrize("kind", KINDS)
def test_drafts_are_the_owners_and_are_checked(kit, stranger, kind):
    thing, value, _ = case(kit, kind)
    with pytest.raises(NotYours):
        put(stranger, kind, thing.pk, value, base=0)
    put(kit.owner, kind, thing.pk, value)
    with pytest.raises(OrvixError):
        put(kit.owner, kind, thing.pk, {"source": {"name": "nothing"}, "tile_version": -1, "panels": 3, "coats": 3})
    assert shown(kit.owner, kind, thing.pk).value == value


def values(kit, *cells: int):
    first = shown(kit.owner, "tile", kit.tile.pk).value
    return [
        {**first, "source": {**first["source"], "values": {**first["source"]["values"], "cells": n}}} for n in cells
    ]


def cells(standing) -> int:
    return standing.value["source"]["values"]["cells"]


def test_what_is_dragged_is_stored_at_once_and_is_one_step(kit):
    nine, ten, twelve = values(kit, 9, 10, 12)
    for value in (nine, ten):
        put(kit.owner, "tile", kit.tile.pk, value, settled=False)
        assert shown(kit.owner, "tile", kit.tile.pk).value == value
    assert Step.objects.count() == 1  # as it was before the drag
    put(kit.owner, "tile", kit.tile.pk, twelve)
    assert Step.objects.count() == 2
    assert cells(step(kit.owner.pk, "tile", kit.tile.pk, "undo")) == 8
    # A drag that ended with its page is undone as well.
    put(kit.owner, "tile", kit.tile.pk, nine, settled=False)
    assert cells(step(kit.owner.pk, "tile", kit.tile.pk, "undo")) == 8
    assert cells(step(kit.owner.pk, "tile", kit.tile.pk, "redo")) == 9


def test_a_second_window_replaces_nothing_unseen(kit):
    nine, ten, twelve = values(kit, 9, 10, 12)
    base = shown(kit.owner, "tile", kit.tile.pk).revision
    put(kit.owner, "tile", kit.tile.pk, nine, ten, window="one", base=base)
    late = put(kit.owner, "tile", kit.tile.pk, twelve, window="two", base=base)
    assert (late.elsewhere, cells(late), late.can_redo) == (True, 10, True)
    assert cells(step(kit.owner.pk, "tile", kit.tile.pk, "redo")) == 12
    assert cells(step(kit.owner.pk, "tile", kit.tile.pk, "undo")) == 10
    # Once it shows the newest it writes like any other.
    assert cells(put(kit.owner, "tile", kit.tile.pk, nine, window="two")) == 9


def test_a_write_that_came_before_is_not_done_twice_nor_after_a_newer_one(kit):
    nine, ten = values(kit, 9, 10)
    early = {"window": "one", "base": 0, "sequence": 1, "changes": [{"value": nine, "settled": True}]}
    late = {"window": "one", "base": 0, "sequence": 2, "changes": [{"value": ten, "settled": True}]}
    from orvix_web.drafts.services import write

    for told in (late, early, late):
        assert cells(write(kit.owner.pk, "tile", kit.tile.pk, Written.parse(told))) == 10
    assert Step.objects.count() == 2


def test_a_draft_outlives_a_new_version_of_something_else(kit):
    (nine, ten) = values(kit, 9, 10)
    put(kit.owner, "tile", kit.tile.pk, nine)
    publish(kit.owner, kit.tile.pk, ten)
    now = shown(kit.owner, "tile", kit.tile.pk)
    assert (now.changed, cells(now), now.saved) == (True, 9, ten)
    # Without a draft, windows show what was saved.
    step(kit.owner.pk, "tile", kit.tile.pk, "discard")
    before = shown(kit.owner, "tile", kit.tile.pk)
    publish(kit.owner, kit.tile.pk, nine)
    after = shown(kit.owner, "tile", kit.tile.pk)
    assert (cells(after), after.changed) == (9, False)
    assert after.revision > before.revision


@pytest.mark.slow
def test_steps_are_bounded_and_go_with_the_thing(kit):
    for n in range(10, 20):
        put(kit.owner, "tile", kit.tile.pk, *values(kit, *range(n, n + 30)))
    assert Step.objects.count() == MOST_STEPS
    numbers = list(Step.objects.values_list("number", flat=True))
    assert numbers == list(range(numbers[0], numbers[0] + MOST_STEPS))
    forget("tile", kit.tile.pk)
    assert not Draft.objects.exists()
    assert not Step.objects.exists()


@pytest.mark.parametrize(
    "told",
    [
        [],
        {"window": "", "base": 0, "sequence": 1, "changes": [{"value": {}, "settled": True}]},
        {"window": "one", "base": -1, "sequence": 1, "changes": [{"value": {}, "settled": True}]},
        {"window": "one", "base": 0, "sequence": True, "changes": [{"value": {}, "settled": True}]},
        {"window": "one", "base": 0, "sequence": 1, "changes": []},
        {"window": "one", "base": 0, "sequence": 1, "changes": [{"value": {}, "settled": 1}]},
        {"window": "one", "base": 0, "sequence": 1, "changes": [{"value": None, "settled": True}]},
    ],
)
def test_bad_writes_are_refused(told):
    with pytest.raises(BadValue):
        Written.parse(told)


def test_over_http_the_answer_says_how_it_stands(client, kit):
    (nine,) = values(kit, 9)
    href = f"/drafts/tile/{kit.tile.pk}/"
    told = {"window": "one", "base": 0, "sequence": 1, "changes": [{"value": nine, "settled": True}]}
    answer = client.post(href, json.dumps(told), content_type="application/json")
    assert answer.status_code == 200
    assert answer.json() == {
        "changed": True, "revision": answer.json()["revision"], "can_undo": True, "can_redo": False, "elsewhere": False,
    }  # fmt: skip
    late = client.post(href, json.dumps({**told, "window": "two"}), content_type="application/json")
    assert (late.json()["elsewhere"], late.json()["value"]) == (True, nine)
    assert client.get(href).json()["value"] == nine
    assert client.post(f"{href}step/", {"way": "undo", "window": "one"}).json()["changed"] is False
    assert client.post(f"{href}step/", {"way": "sideways"}, HTTP_ACCEPT="application/json").status_code == 422
    assert client.get("/drafts/thing/1/", HTTP_ACCEPT="application/json").status_code == 422
    assert client.get("/drafts/tile/999999/", HTTP_ACCEPT="application/json").status_code == 404
    assert client.post(href, "{", content_type="application/json", HTTP_ACCEPT="application/json").status_code == 422


@pytest.mark.django_db(transaction=True)
def test_other_windows_are_told_once_it_is_committed(kit):
    (nine,) = values(kit, 9)

    async def listen():
        both, plain = notices.listen(kit.owner.pk, drafts=True), notices.listen(kit.owner.pk)
        put(kit.owner, "tile", kit.tile.pk, nine)
        await asyncio.wait_for(both.event.wait(), 5)
        told = both.take(), plain.take(), both.take()
        for one in (both, plain):
            notices.leave(kit.owner.pk, one)
        return told

    news = {"of": "tile", "number": kit.tile.pk, "revision": 1, "window": "one"}
    assert asyncio.run(listen()) == ((False, [news]), (False, []), (False, []))
