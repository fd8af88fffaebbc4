"""The words of the interface: what the glossary rules out stays out, and names are whole sentences where they "
"should be."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from orvix.errors import BadValue, UnknownName
from orvix.labels import COMMON, OF_VALUE, label
from tests.interface_words import of_python, of_scripts, of_templates

GLOSSARY = Path(__file__).resolve().parents[1] / "docs/glossary.md"


def _ruled_out() -> list[str]:
    table = GLOSSARY.read_text().split("## Words the interface does not use")[1]
    rows = re.findall(r"^\| (.+?) \| .+ \|$", table, re.M)[1:]
    return [phrase.strip() for row in rows for phrase in row.split(";")]


def _found(text: str, phrases: list[str]) -> list[str]:
    return [one for one in phrases if re.search(rf"(?<![\w-]){re.escape(one)}(?![\w-])", text, re.I)]


def test_the_glossary_rules_words_out_and_they_are_found_where_they_stand():
    phrases = _ruled_out()
    assert {"in hand", "take out", "bring in"} <= set(phrases)
    assert _found("Take out the layer in hand", phrases) == ["take out", "in hand"]
    assert _found("A brush in handling", phrases) == []


@pytest.mark.parametrize("strings", [of_templates, of_scripts, of_python])
def test_no_phrase_that_the_glossary_rules_out_is_shown(strings):
    phrases = _ruled_out()
    # Words of a stored format stay as they are; pages show their labels.
    stored = set(COMMON) | {word for words in OF_VALUE.values() for word in words}
    wrong = [(where, text) for where, text in strings() if text not in stored and _found(text, phrases)]
    assert not wrong, "\n".join(f"{where}: {text}" for where, text in wrong)
    assert sum(1 for _ in strings()) > 400


def test_texts_of_pages_have_no_semicolon_and_titles_begin_with_a_capital():
    texts = list(of_templates())
    assert [one for one in texts if "; " in one[1]] == []
    small = [one for one in texts if re.match("[a-z]{2,} [a-z]", one[1]) and one[1].endswith(".")]
    assert small == []


@pytest.mark.parametrize(
    ("word", "of", "shown"),
    [
        ("half-drop", "repeat", "Half-drop"),
        ("color-dodge", "", "Colour dodge"),
        ("no", "flip_across", "Off"),
        ("mirror across", "how", "Flip horizontal"),
        ("clear", "bends", "No overlap"),
        ("clear", "spaced_by", "Gap"),
        ("pressure swell", "", "Pressure"),
    ],
)
def test_stored_words_have_labels(word, of, shown):
    assert label(word, of) == shown


@pytest.mark.parametrize(
    ("error", "sentence"),
    [
        (
            BadValue("spacing", 0, "must be 0.005 to 20 stamp lengths", enter="Enter 0.005 to 20 stamp lengths."),
            "Spacing cannot be 0. Enter 0.005 to 20 stamp lengths.",
        ),
        (
            BadValue("layer", "spray", "is locked through plants. Unlock plants first."),
            "spray is locked through plants. Unlock plants first.",
        ),
        (
            BadValue("at_px", [1, 2], "must be a place of the canvas"),
            "At cannot be [1, 2]. It must be a place of the canvas.",
        ),
        (
            BadValue("selection", "nothing", "Nothing is selected. Select an area."),
            "Nothing is selected. Select an area.",
        ),
        (UnknownName("surface", "moon", ["sail"]), "There is no surface named moon. Choose another one."),
    ],
)
def test_errors_say_what_happened_why_and_what_to_do(error, sentence):
    assert error.sentence == sentence
    # The command line names the value as it is typed.
    assert str(error).startswith(("spacing=0:", "layer='spray':", "at_px=", "selection='nothing':", "surface='moon':"))
