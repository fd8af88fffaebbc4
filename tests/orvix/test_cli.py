"""The command line: its keys, its exit statuses, and that nothing partial is left behind."""

from __future__ import annotations

import json
import subprocess
import sys

import numpy as np
import pytest
from PIL import Image

from orvix.cli import main
from orvix.devices.photo_tray import develop
from orvix.devices.stylus import trial_strokes
from orvix.formats.pictures_out import OUT_FORMATS, Outgoing
from orvix.pictures.reading import read_picture, read_ppi

RECIPE = {"size": [128, 96], "repeat": "half-drop", "source": {"name": "noise", "values": {"cells": 3}}}


@pytest.fixture
def here(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "r.json").write_text(json.dumps(RECIPE))
    (tmp_path / "s.json").write_text(json.dumps(trial_strokes(("level", "pressure swell"))))
    return tmp_path


@pytest.fixture
def orvix(here, capsys):
    def run(*words: str) -> dict:
        assert main([*words, "--json"]) == 0
        out = capsys.readouterr()
        assert out.err == ""
        return json.loads(out.out)

    return run


def test_sources_and_brushes_list_what_there_is(orvix):
    noise = next(one for one in orvix("sources")["sources"] if one["name"] == "noise")
    assert noise["kind"] == "generated"
    octaves = next(value for value in noise["values"] if value["name"] == "octaves")
    assert octaves.items() >= {"kind": "whole", "low": 1, "high": 8, "default": 5}.items()
    assert len(orvix("brushes")["brushes"]) >= 5
    orvix("brushes", "sea-spray", "--out", "b.json")


def test_tile_and_readings(orvix, here):
    told = orvix("tile", "r.json", "--out", "t.png")
    assert told.items() >= {"size": [128, 96], "closes_by_construction": True, "stagger_px": 48}.items()
    assert orvix("tile", "r.json", "--out", "big.png", "--size", "256x192")["size"] == [256, 192]
    recipe = orvix("readings", "r.json")
    assert recipe["seam"]["by_construction"]
    assert recipe["seam"]["verdict"] == "seamless"
    assert orvix("readings", "t.png", "--repeat", "half-drop")["seam"]["value"] < 1.1
    wrong = orvix("readings", "t.png")
    assert wrong["seam"]["verdict"] == "visible"
    assert not orvix("readings", "r.json", "--repeat", "straight")["seam"]["by_construction"]
    assert set(wrong["seam"]["edges"]) == {"left_right", "top_bottom"}


def test_fit(orvix):
    told = orvix("fit", "--tile", "200x200", "--scale", "0.3", "--canvas", "1000x1000")
    assert told["closes"] is False
    assert told["off_px"] == pytest.approx(20)
    assert told["scales"][0]["fraction"] == "5/17"
    again = orvix("fit", "--tile", "200x200", "--scale", "5/17", "--canvas", "1000x1000")
    assert again["closes"] is True
    doubled = ("--tile-ppi", "150", "--canvas-ppi", "300")
    assert orvix("fit", "--tile", "100x100", "--scale", "1", "--canvas", "600x600", *doubled)["closes"] is True


def test_paint_is_the_same_at_any_threads_and_repeats_by_its_hash(orvix, here):
    orvix("brushes", "sailcloth-chalk", "--out", "b.json")
    size = ("--canvas", "640x200")
    one = orvix("paint", "b.json", "s.json", *size, "--out", "p.png", "--threads", "1")
    four = orvix("paint", "b.json", "s.json", *size, "--out", "q.png", "--threads", "4")
    assert one["sha256"] == four["sha256"]
    assert one["strokes"] == 2
    assert one["stamps"] > 100
    assert one["touched_px"] > 1000
    twice = orvix("paint", "b.json", "s.json", *size, "--out", "d.png", "--times", "2")
    assert twice["stamps"] == one["stamps"]
    small = Image.open("d.png").convert("L").resize((640, 200), Image.Resampling.BOX)
    difference = np.abs(np.asarray(small, float) - np.asarray(Image.open("p.png").convert("L"), float))
    assert difference.mean() < 3
    bare = orvix("paint", "b.json", "s.json", *size, "--out", "n.png", "--background", "none")
    assert bare["sha256"] == one["sha256"]
    assert Image.open("n.png").mode == "RGBA"


def test_joined_painting_closes(orvix, here):
    orvix("brushes", "harbour-liner", "--out", "b.json")
    stroke = {"samples": [[8 * n, 40 + 9 * n, 30 + 4 * n] for n in range(40)]}
    (here / "w.json").write_text(json.dumps({"strokes": [stroke]}))
    orvix("paint", "b.json", "w.json", "--canvas", "160x120", "--out", "j.png", "--joined", "--repeat", "brick")
    assert orvix("readings", "j.png", "--repeat", "brick")["seam"]["value"] < 1.2
    assert orvix("repeat", "j.png", "--columns", "3", "--rows", "2", "--out", "x.png")["size"] == [480, 240]


REFUSED = [
    (("tile", "none.json", "--out", "t.png"), 1, "none.json: cannot be read"),
    (("tile", "s.json", "--out", "t.png"), 2, "strokes"),
    (("tile", "r.json", "--out", "no/t.png"), 1, "no such folder"),
    (("tile", "r.json", "--out", "t.png", "--size", "100x100"), 2, "must have the recipe's proportions"),
    (("readings", "r.json", "--repeat", "odd"), 2, "repeat='odd'"),
    (("readings", "s.png"), 1, "s.png"),
    (("fit", "--tile", "20", "--scale", "1", "--canvas", "9x9"), 2, "tile='20': must be WIDTHxHEIGHT"),
    (("fit", "--tile", "20x20", "--scale", "zero", "--canvas", "9x9"), 2, "scale='zero'"),
    (("fit", "--tile", "20x20", "--scale", "1", "--canvas", "9x9", "--tile-ppi", "3"), 2, "give both"),
    (("brushes", "besom"), 2, "brush='besom': known are"),
    (("paint", "r.json", "s.json", "--canvas", "9x9", "--out", "p.png"), 2, "size"),
    (("paint", "b.json", "s.json", "--canvas", "9x9", "--out", "p.png"), 1, "b.json"),
    (("repeat", "s.json", "--columns", "2", "--rows", "2", "--out", "p.png"), 1, "not a picture"),
    (("bench", "--only", "moon"), 2, "measurement='moon'"),
]


@pytest.mark.parametrize(("words", "status", "message"), REFUSED, ids=[" ".join(row[0])[:36] for row in REFUSED])
def test_refusals_are_one_line_with_their_status_and_leave_nothing(words, status, message, here, capsys):
    before = sorted(path.name for path in here.iterdir())
    assert main(list(words)) == status
    out = capsys.readouterr()
    assert out.out == ""
    assert message in out.err
    assert out.err.count("\n") == 1
    assert sorted(path.name for path in here.iterdir()) == before


def test_steps_are_listed_and_run_and_what_was_given_is_told(orvix, here):
    steps = {one["name"]: one for one in orvix("steps")["steps"]}
    assert steps["mend-border"]["kind"] == "measured"
    assert {"even-light", "threshold", "half-move", "crop"} <= set(steps)
    source = {"name": "screen", "values": {"ruling": 10, "angle": 33}}
    recipe = {"size": [200, 160], "source": source, "steps": [{"name": "resize", "values": {"across": 50, "down": 50}}]}
    (here / "screen.json").write_text(json.dumps(recipe))
    told = orvix("tile", "screen.json", "--out", "s.png")
    assert told["size"] == [100, 80]
    assert not told["closes_by_construction"]
    assert [one["title"] for one in told["given"]] == ["Ruling", "Angle"]
    (here / "newer.json").write_text(json.dumps({**recipe, "version": [1, 7], "gloss": 2}))
    assert orvix("tile", "newer.json", "--out", "s.png")["unknown"] == ["gloss"]


def test_tips_are_listed_and_a_picture_beside_the_brush_is_stamped(orvix, here):
    tips = {one["name"]: one for one in orvix("tips")["tips"]}
    kinds = {"round": "generated", "polygon": "generated", "picture": "given", "set": "given", "lettering": "generated"}
    assert {name: one["kind"] for name, one in tips.items()} == kinds
    assert tips["picture"]["values"][0]["choices"] == ["opaque", "dark", "light"]
    spark = {"size": [64, 64], "source": {"name": "sparks"}}
    (here / "spark.json").write_text(json.dumps(spark))
    orvix("tile", "spark.json", "--out", "spark.png")
    (here / "strokes.json").write_text(json.dumps({"strokes": [{"samples": [[0, 100, 60], [900, 400, 60]]}]}))
    painted = []
    for source in ({"file": "spark.png"}, {"recipe": spark}):
        tip = {"name": "picture", "source": source}
        brush = {"coats": [{"tip": tip, "values": {"size": 64, "spaced_by": "px", "spacing_px": 64, "flow": 1.0}}]}
        (here / "brush.json").write_text(json.dumps(brush))
        told = orvix("paint", "brush.json", "strokes.json", "--canvas", "500x120", "--out", "p.png")
        assert told["stamps"] == 5
        painted.append(np.asarray(Image.open(here / "p.png")).astype(int))
    assert painted[0].max() > 200
    assert np.abs(painted[0] - painted[1]).max() <= 2  # the file holds 8 bits a channel


def test_a_photo_is_mended_and_read_before_and_after(orvix, here, capsys):
    Image.fromarray(develop("beach-stones", 400, 300)).save("stones.jpg", quality=92)
    told = orvix("mend", "stones.jpg", "--out", "m.png", "--size", "320x240", "--repeat", "half-drop")
    assert (told["method"], told["size"], told["warnings"]) == ("automatic", [320, 240], [])
    assert told["before"]["seam"]["verdict"] == "visible"
    assert told["after"]["seam"]["value"] <= 1.10
    assert orvix("readings", "m.png", "--repeat", "half-drop")["seam"]["value"] <= 1.15
    keys = {"size", "repeat", "stagger", "seam", "holes", "rows", "hot_spots", "weight", "tone"}
    assert keys <= set(told["after"])
    assert main(["mend", "stones.jpg", "--out", "n.png", "--method", "magic"]) == 2
    assert "method='magic': must be one of automatic" in capsys.readouterr().err
    assert not (here / "n.png").exists()
    assert main(["mend", "stones.jpg", "--out", "n.png", "--method", "patch fill"]) == 0
    assert "after   seam" in capsys.readouterr().out


REPORTS = {
    "steps": "mend-border  (measured)",
    "tips": "picture  (given)",
    "brushes": "Sailcloth chalk: ",
    "brushes sea-spray --out b.json": "Sea spray: ",
    "readings r.json": "x the strongest line inside",
    "readings dots.json": "holes ",
    "readings dots.json --repeat straight": "cover ",
    "tile r.json --out t.png": "always seamless",
    "tile screen.json --out t.png": "angle: asked 33, given ",
    "fit --tile 200x200 --scale 0.3 --canvas 1000x1000": "off by 20.00 px",
    "fit --tile 200x200 --scale 1/2 --canvas 1000x1000": "the grain fits this canvas",
    "paint brush.json s.json --canvas 400x300 --out p.png": "sha256 of the 16-bit pixels ",
    "repeat tile.png --columns 2 --rows 3 --out x.png": "256 x 288 px",
}


@pytest.mark.parametrize("words", REPORTS)
def test_reports_for_people_name_what_matters(words, here, capsys):
    dots = {"size": [128, 96], "source": {"name": "specks", "values": {"density": 30, "size": 5}}}
    screen = {"size": [200, 160], "source": {"name": "screen", "values": {"ruling": 10, "angle": 33}}}
    for name, told in {"dots": dots, "screen": screen, "brush": {"coats": [{}]}}.items():
        (here / f"{name}.json").write_text(json.dumps(told))
    Image.new("RGB", (128, 96), "#336699").save(here / "tile.png")
    assert main(words.split()) == 0
    out = capsys.readouterr()
    assert REPORTS[words] in out.out
    assert out.err == ""


def test_on_a_terminal_many_strokes_show_how_far_they_are(here, capsys, monkeypatch):
    strokes = [{"samples": [[0, 20 + n, 20], [90, 60 + n, 40]]} for n in range(24)]
    (here / "many.json").write_text(json.dumps({"strokes": strokes}))
    (here / "brush.json").write_text(json.dumps({"coats": [{"values": {"size": 8}}]}))
    monkeypatch.setattr(sys.stderr, "isatty", lambda: True)
    assert main(["paint", "brush.json", "many.json", "--canvas", "200x100", "--out", "p.png", "--json"]) == 0
    out = capsys.readouterr()
    assert json.loads(out.out)["strokes"] == 24  # nothing but the answer on standard output
    assert out.err.count("\r[") == 24
    assert out.err.rstrip().endswith("24 of 24")


def test_readings_of_a_recipe_under_another_repeat_prove_nothing(orvix, here):
    own, other = orvix("readings", "r.json"), orvix("readings", "r.json", "--repeat", "straight")
    assert own["seam"]["by_construction"]
    assert (own["repeat"], other["repeat"]) == ("half-drop", "straight")
    assert not other["seam"]["by_construction"]
    assert other["seam"]["value"] > own["seam"]["value"]
    same = orvix("readings", "r.json", "--repeat", "half-drop", "--stagger", "1/2")
    assert same["seam"]["by_construction"]


def test_a_recipe_reads_pictures_beside_it_only(here, capsys):
    (here / "deep").mkdir()
    source = {"name": "picture", "values": {"file": "../t.png"}}
    (here / "deep" / "r.json").write_text(json.dumps({"size": [64, 64], "source": source}))
    Image.new("RGB", (64, 64)).save("t.png")
    assert main(["tile", "deep/r.json", "--out", "o.png"]) == 2
    assert "beside the file that names it" in capsys.readouterr().err


def test_help_teaches_and_bad_usage_is_one_line():
    run = [sys.executable, "-m", "orvix.cli"]
    told = subprocess.run([*run, "--help"], capture_output=True, text=True, check=True).stdout
    assert "examples:" in told
    assert "orvix fit --tile 200x200" in told
    wrong = subprocess.run([*run, "paint"], capture_output=True, text=True, check=False)
    assert wrong.returncode == 2
    assert wrong.stderr.count("\n") == 1


def test_a_staggered_tile_is_unrolled_to_a_straight_one_or_the_sizes_are_named(orvix, here, capsys):
    orvix("tile", "r.json", "--out", "t.png")
    assert orvix("unroll", "t.png", "--repeat", "half-drop", "--out", "u.png")["size"] == [256, 96]
    tile, unrolled = (np.asarray(Image.open(name)) for name in ("t.png", "u.png"))
    assert np.array_equal(unrolled[:, 128:], np.roll(tile, 48, axis=0))
    assert main(["unroll", "t.png", "--repeat", "half-drop", "--stagger", "1/5", "--out", "v.png"]) == 2
    assert "a height of 95 or 100 px" in capsys.readouterr().err
    assert not (here / "v.png").exists()


def test_a_layout_reads_its_motifs_beside_the_recipe(orvix, here, capsys):
    head = '<svg xmlns="http://www.w3.org/2000/svg" width="30" height="40">'
    leaf = head + '<path fill="#5f7a3f" d="M0 0h30v40h-30z"/></svg>'
    (here / "leaf.svg").write_text(leaf)
    motifs = [{"id": "a", "kind": "svg", "what": "leaf.svg"}, {"id": "b", "kind": "starter", "what": "shell"}]
    items = [{"motif": "a", "x": 0, "y": 50}, {"motif": "b", "x": 70, "y": 40, "scale": 0.5}]
    layout = {"motifs": motifs, "items": items}
    told = {"size": [120, 100], "source": {"name": "motifs", "values": {"layout": layout}}}
    (here / "l.json").write_text(json.dumps(told))
    assert orvix("tile", "l.json", "--out", "l.png")["closes_by_construction"]
    pixels = np.asarray(Image.open("l.png"))
    assert (pixels[50, [0, 119]] == [0x5F, 0x7A, 0x3F]).all()
    assert orvix("readings", "l.json")["direction"]["applies"] in (True, False)
    (here / "leaf.svg").write_text(leaf.replace("<path", "<script/><path"))
    assert main(["tile", "l.json", "--out", "m.png"]) == 1
    assert "leaf.svg contains script" in capsys.readouterr().err


def test_surfaces_are_listed_and_a_picture_is_shown_on_one_at_its_true_scale(orvix, here, capsys):
    names = [one["name"] for one in orvix("surfaces")["surfaces"]]
    assert len(names) == 9
    Image.new("RGB", (80, 40), "#205080").save(here / "cloud.png", dpi=(150, 150))
    told = orvix("proof", "cloud.png", "--surface", "tote", "--scale", "1/2", "--width", "300", "--out", "p.png")
    assert told["ppi"] == 150, "what the file says"
    assert told["repeat_mm"] == [6.773, 3.387]
    with Image.open(here / "p.png") as picture:
        assert list(picture.size) == told["size"]
        assert picture.getpixel((0, 0))[3] == 0
    told = orvix("proof", "cloud.png", "--surface", "mug", "--ppi", "254", "--width", "64", "--out", "p.png")
    assert told["repeat_mm"] == [8.0, 4.0]
    assert main(["proof", "cloud.png", "--surface", "sail", "--out", "q.png"]) == 2
    assert "known are" in capsys.readouterr().err
    assert not (here / "q.png").exists()


@pytest.mark.parametrize("ending", ["png", "tif"])
def test_a_tile_of_16_bits_keeps_them_and_its_resolution_when_it_is_unrolled(orvix, here, ending):
    tile = np.random.default_rng(5).integers(0, 65536, (8, 6, 3), np.uint16)
    pixels = np.dstack([tile, np.full((8, 6), 65535, np.uint16)])
    name = f"deep.{ending}"
    written = {"png": "png16", "tif": "tiff"}[ending]
    (here / name).write_bytes(OUT_FORMATS[written].write(Outgoing(pixels, 300)))
    orvix("unroll", name, "--repeat", "half-drop", "--out", "u.png")
    data = (here / "u.png").read_bytes()
    unrolled = read_picture(data)
    assert np.array_equal(unrolled[:, :6, :3], tile)
    assert np.array_equal(unrolled[:, 6:, :3], np.roll(tile, 4, axis=0))
    assert read_ppi(data) == 300
