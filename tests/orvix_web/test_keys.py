"""The table of keys: one meaning for a key everywhere, and what a painter may change."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from orvix.errors import BadValue, UnknownName
from orvix_web.accounts.keys import BENCHES, GROUPS, KEYS, change_key, keys_of, reset_keys

SCRIPTS = Path(__file__).parents[2] / "src/orvix_web/static/orvix"
TEMPLATES = Path(__file__).parents[2] / "src/orvix_web/templates"


def test_a_key_stands_for_one_action_and_an_action_for_a_bench():
    usual = [key.usual for key in KEYS.values()]
    assert len(set(usual)) == len(usual) > 40
    assert sum(map(len, GROUPS.values())) == len(KEYS)
    for key in KEYS.values():
        assert key.benches
        assert set(key.benches) <= set(BENCHES)
        assert key.does.endswith(".")


def test_scripts_and_tooltips_name_only_actions_of_the_table():
    named = set()
    for path in SCRIPTS.glob("*.js"):
        text = path.read_text()
        for block in re.findall(r"new Keys\(\s*\{(.*?)\n {4,6}\},?\n", text, re.S):
            named |= set(re.findall(r'^\s{6,8}"?([a-z][a-z-]*)"?: \(', block, re.M))
    assert len(named) > 25
    assert named <= set(KEYS), named - set(KEYS)
    tips = {
        name
        for path in TEMPLATES.rglob("*.html")
        for names in re.findall(r"{% key(?:cap)? ([^%]*)%}", path.read_text())
        for name in re.findall(r'"([\w-]+)"', names)
    }
    assert len(tips) > 20
    assert tips <= set(KEYS), tips - set(KEYS)


@pytest.mark.django_db
def test_a_painter_changes_a_key_and_takes_it_back(painter, stranger):
    assert keys_of(painter.pk)["paint"] == "P"
    change_key(painter, "paint", "Shift+b")
    assert keys_of(painter.pk)["paint"] == "Shift+B"
    assert keys_of(stranger.pk)["paint"] == keys_of(None)["paint"] == "P"
    change_key(painter, "fit", "Shift+Alt+f")
    assert keys_of(painter.pk)["fit"] == "Shift+Alt+F"
    reset_keys(painter)
    assert keys_of(painter.pk) == keys_of(None)


@pytest.mark.django_db
@pytest.mark.parametrize(
    ("name", "key", "why"),
    [
        ("paint", "e", "E already stands for Erase"),
        ("paint", "b", "B already stands for Compare"),
        ("paint", "Ctrl+K", "must be one letter"),
        ("paint", "7", "must be one letter"),
        ("paint", "", "must be one letter"),
        ("copy", "Q", "Copy always keeps Ctrl+C"),
    ],
)
def test_a_key_that_is_taken_or_none_is_refused_and_nothing_changes(painter, name, key, why):
    with pytest.raises(BadValue, match=re.escape(why)):
        change_key(painter, name, key)
    assert keys_of(painter.pk) == keys_of(None)


@pytest.mark.django_db
def test_an_action_that_is_none_is_refused(painter):
    with pytest.raises(UnknownName):
        change_key(painter, "fly", "Y")


@pytest.mark.django_db
def test_tooltips_and_the_table_show_the_painters_own_keys(client, kit):
    page = client.get(f"/canvases/{kit.canvas.pk}/").content.decode()
    assert "Paints with the current brush. Key: P" in page
    answer = client.post("/keys/change/", {"name": "paint", "key": "Alt+p"})
    assert answer.status_code == 200
    assert "Paints with the current brush. Key: Alt+P" in client.get(f"/canvases/{kit.canvas.pk}/").content.decode()
    table = client.get("/keys/").content.decode()
    assert 'aria-label="Paint: Alt+P"' in table
    assert all(key.title in table for key in KEYS.values())
    assert (
        client.post("/keys/change/", {"name": "paint", "key": "E"}, headers={"accept": "application/json"})
        .json()["message"]
        .startswith("E already stands for Erase")
    )
    client.post("/keys/reset/")
    assert 'aria-label="Paint: P"' in client.get("/keys/").content.decode()
