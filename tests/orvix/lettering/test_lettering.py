"""Lettering: shaped by the library, even along the stroke, in every script, and what a font lacks is named."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.brushes.definition import Brush
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import Stroke, StrokeRun, paint_stroke
from orvix.errors import BadValue, UnreadableFile
from orvix.lettering.drawing import draw_letters, draw_whole
from orvix.lettering.fonts import FOLDER, SHIPPED, Font, shipped_font
from orvix.lettering.shaping import shape
from orvix.strokes import rhythm
from orvix.strokes.advice import brush_advice
from orvix.strokes.loaded import LoadedBrush

LINE = np.array([[10.0 * n, 40 + 6 * n, 150, 1, 0, 0, 0] for n in range(120)])


def lettering(text: str, values=None, **tip) -> LoadedBrush:
    told = {"tip": {"name": "lettering", "values": {"text": text, **tip}}}
    told["values"] = {"size": 40, "flow": 1, "follows": "heading", **(values or {})}
    return LoadedBrush.plain(Brush.parse({"coats": [told]}))


def marks_of(loaded, samples, **told) -> np.ndarray:
    run = StrokeRun(Canvas(CanvasSpec(900, 500)), Stroke(loaded, samples[:0], **told))
    run.keep_marks()
    run.feed(samples, last=True)
    return run.painters[0].kept_marks


@pytest.mark.slow
@pytest.mark.parametrize("font", SHIPPED, ids=lambda font: font.name)
def test_every_shipped_font_sets_its_own_sample(font):
    shaped = shape(font.sample, shipped_font(font.name))
    assert shaped.missing == ()
    assert "".join(sorted("".join(one.text for one in shaped.clusters))) == "".join(
        sorted(font.sample.replace(" ", ""))
    )
    assert draw_whole(font.sample, shipped_font(font.name)).pictures[0][..., 3].max() == 1


def test_joined_scripts_stay_joined_and_run_right_to_left():
    font = shipped_font("naskh")
    joined, apart = shape("بب", font), shape("ب", font)
    assert joined.right_to_left
    assert {glyph[0] for one in joined.clusters for glyph in one.glyphs}.isdisjoint(apart.clusters[0].glyphs[0][:1])
    word = shape("مرفأ", font)
    assert [one.text for one in word.clusters] == ["أ", "ف", "ر", "م"]


def test_marks_combine_and_kerning_counts():
    font = shipped_font("plain")
    assert [one.text for one in shape("e\u0301a", font).clusters] == ["e\u0301", "a"]
    pair = shape("AV", font).clusters
    assert pair[0].advance < shape("A", font).clusters[0].advance


def test_emoji_are_in_colour_and_keep_together():
    text = draw_letters("a\u2693\U0001f468\u200d\U0001f469\u200d\U0001f467", shipped_font("plain"))
    assert [one.emoji for one in text.shaped.clusters] == [False, True, True]
    assert np.ptp(text.pictures[1][..., :3].max(axis=(0, 1))) >= 0
    assert text.pictures[1][..., 2].max() > 0.3
    assert text.pictures[0][..., :3].max() == 0


def test_what_a_font_lacks_is_named_with_a_font_that_has_it():
    loaded = lettering("Tin \u05d1")
    words = " ".join(one["words"] for one in brush_advice(loaded))
    assert "This font has no \u05d1 (hebrew letter bet). Hebrew has it." in words
    with pytest.raises(BadValue, match="Plain"):
        draw_whole("жж", shipped_font("naskh"))


def test_letters_follow_by_the_fonts_own_ways_whichever_way_the_stroke_goes():
    ways = draw_letters("Skerry", shipped_font("plain"), 0.5).advances
    for samples in (LINE, LINE[:, [0, 2, 1, 3, 4, 5, 6]], LINE + np.array([0, 0, 0, 0, 0, 0, 0])):
        gaps = np.diff(marks_of(lettering("Skerry", gap=0.5), samples)[:, rhythm.S_DISTANCE])
        assert np.abs(gaps - 40 * np.resize(ways, len(gaps))).max() < 0.01
    back = LINE.copy()
    back[:, 1] = LINE[::-1, 1]
    upright = marks_of(lettering("abc", {"follows": "nothing"}), back)
    assert upright[:4, rhythm.S_PICTURE].tolist() == [2, 1, 0, 2]
    down = LINE[:, [0, 2, 1, 3, 4, 5, 6]]
    gaps = np.diff(marks_of(lettering("il", {"follows": "nothing"}), down)[:, rhythm.S_DISTANCE])
    assert np.allclose(gaps, 40, atol=0.01)


def test_the_next_stroke_goes_on_where_the_last_one_stopped():
    assert marks_of(lettering("abcd"), LINE)[0, rhythm.S_PICTURE] == 0
    assert marks_of(lettering("abcd"), LINE, letters_gone=6)[0, rhythm.S_PICTURE] == 2


def test_a_text_takes_the_paint_colour_and_its_emoji_their_own():
    canvas = Canvas(CanvasSpec(900, 300))
    paint_stroke(canvas, Stroke(lettering("A\u2693"), LINE, "#ff0000"))
    whole = canvas.layer.whole().astype(float)
    red = (whole[..., 0] > 60000) & (whole[..., 1] < 500) & (whole[..., 3] > 60000)
    blue = (whole[..., 2] > whole[..., 0] + 8000) & (whole[..., 3] > 60000)
    assert red.sum() > 500
    assert blue.sum() > 500


def test_a_file_of_ones_own_is_checked():
    data = (FOLDER / "NotoSans-Bold.ttf").read_bytes()
    assert Font(data, "mine.ttf").has("A")
    for bad, words in ((b"", "not a TTF"), (b"\x00\x01\x00\x00" + bytes(200), "damaged"), (data[:5000], "damaged")):
        with pytest.raises(UnreadableFile, match=words):
            Font(bad, "mine.ttf")
    with pytest.raises(UnreadableFile, match="at most"):
        Font(bytes(17 * 1024 * 1024), "mine.ttf")
