"""SVG from outside: what is refused and why, what passes, and how it is drawn."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.tiles.motifs.shapes import SHAPES, shape_svg
from orvix.tiles.motifs.starters import STARTERS, starter_svg
from orvix.tiles.motifs.svg import Pose, UnreadableSvg, draw_svg, read_svg

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="40" height="20"'


def svg(body: str, head: str = HEAD) -> bytes:
    return f"{head}>{body}</svg>".encode()


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (svg("<script>alert(1)</script>"), "contains script"),
        (svg('<rect width="9" height="9" onload="go()"/>'), "onload on rect"),
        (svg('<a href="javascript:go()"><rect style="fill:url(http://x/y)"/></a>'), "loads something from outside"),
        (svg('<image href="http://somewhere/p.png"/>'), "contains image"),
        (svg('<use xlink:href="other.svg#a"/>'), "only parts of the file itself"),
        (svg('<use href="http://somewhere/a.svg#b"/>'), "only parts of the file itself"),
        (svg('<rect fill="url(http://somewhere/a.svg#b)"/>'), "loads something from outside"),
        (svg('<rect style="background:url( data:image/png;base64,AA)"/>'), "loads something from outside"),
        (svg("<style>@import 'x.css';</style>"), "style that loads another file"),
        (svg("<foreignObject><p/></foreignObject>"), "contains foreignObject"),
        (svg("<text>words</text>"), "contains text, which Orvix cannot import"),
        (svg("<g>" * 40 + "</g>" * 40), "more than 32 deep"),
        (svg("<rect/>" * 6000), "more than 5000 elements"),
        (svg(f'<path d="{"M0 0 " * 50_000}"/>'), "more than 200000 characters"),
        (svg('<rect id="a"/>' + '<use href="#a"/>' * 300), "more than 200 uses"),
        (svg("", '<svg xmlns="http://www.w3.org/2000/svg" width="900000" height="4"'), "sides must be 0.01 to 16384"),
        (svg("", '<svg xmlns="http://www.w3.org/2000/svg" width="0" height="4"'), "sides must be"),
        (b'<!DOCTYPE s [<!ENTITY a "b">]><svg xmlns="http://www.w3.org/2000/svg">&a;</svg>', "declares entities"),
        (b'<!DOCTYPE s [<!ENTITY a SYSTEM "file:///etc/passwd">]><svg>&a;</svg>', "declares entities"),
        (b"<svg><g></svg>", "not valid SVG"),
        (b"<html></html>", "outermost element must be svg"),
        (b"\xff\xfe\x00", "not valid SVG"),
        (b"<svg>" + b" " * 1_000_001 + b"</svg>", "at most 1000000"),
    ],
)
def test_what_runs_loads_or_is_absurd_is_refused_with_the_reason(data, words):
    with pytest.raises(UnreadableSvg, match=words):
        read_svg(data, "leaf.svg")


def test_a_refusal_names_the_file():
    with pytest.raises(UnreadableSvg, match=r"^leaf\.svg is"):
        read_svg(b"nothing", "leaf.svg")


@pytest.mark.parametrize(
    ("head", "size"),
    [
        ('width="40" height="20"', (40, 20)),
        ('viewBox="0 0 30 60"', (30, 60)),
        ('width="1in" height="25.4mm" viewBox="0 0 3 3"', (96, 96)),
        ('width="100%" height="100%" viewBox="5 5 80 40"', (80, 40)),
        ("", (100, 100)),
    ],
)
def test_sizes_are_taken_as_css_says(head, size):
    read = read_svg(f'<svg xmlns="http://www.w3.org/2000/svg" {head}><rect width="9" height="9"/></svg>'.encode())
    assert (read.width, read.height) == pytest.approx(size)


def test_colours_are_told_and_each_can_be_another():
    body = '<rect width="20" height="20" fill="#ABC"/><path d="M20 0h20v20h-20z" style="fill:#c2553b"/>'
    read = read_svg(svg(body))
    assert read.colours == ("#aabbcc", "#c2553b")
    # Swapped at once, not one after the other.
    swapped = read.recoloured({"#aabbcc": "#c2553b", "#c2553b": "#aabbcc"})
    drawn = draw_svg(swapped, Pose(), 40, 20, (20, 10))
    assert drawn[10, 5].tolist() == [0xC2, 0x55, 0x3B, 255]
    assert drawn[10, 35].tolist() == [0xAA, 0xBB, 0xCC, 255]
    assert read.recoloured({}) is read


@pytest.mark.parametrize(
    ("body", "colours"),
    [
        ('<rect width="9" height="9" fill="crimson"/>', ("#dc143c",)),
        ('<rect width="9" height="9" style="fill: RebeccaPurple; stroke:rgb(1, 2,300)"/>', ("#663399", "#0102ff")),
        (
            "<style>.a{fill:teal} .b { stroke : rgba(9,8,7,1.0) }</style><rect class='a' width='9' height='9'/>",
            ("#008080", "#090807"),
        ),
        ('<path d="M0 0h9v9z"/>', ("#000000",)),
        ('<g fill="none" stroke="red"><path d="M0 0h9v9z"/></g>', ("#ff0000",)),
        ('<rect width="9" height="9" fill="currentColor"/>', ()),
    ],
)
def test_colours_by_name_by_numbers_and_by_default_can_be_changed_too(body, colours):
    read = read_svg(svg(body))
    assert read.colours == colours
    plain = read_svg(svg(body)).recoloured(dict.fromkeys(colours, "#123456"))
    if colours and "stroke" not in body:
        drawn = draw_svg(plain, Pose(), 40, 20, (20, 10))
        assert (drawn[drawn[..., 3] == 255][:, :3] == [0x12, 0x34, 0x56]).all()


def test_a_pose_scales_mirrors_and_turns_about_the_middle():
    read = read_svg(svg('<rect width="10" height="20" fill="#ff0000"/>'))
    red = lambda pose: draw_svg(read, pose, 80, 80, (40, 40))[..., 3] > 127
    assert red(Pose())[30:50, 20:30].all()
    assert red(Pose()).sum() == 200
    assert red(Pose(flip=True))[30:50, 50:60].all()
    assert red(Pose(turn_deg=90))[20:30, 30:50].all()
    assert red(Pose(scale=2))[20:60, 0:20].all()
    assert red(Pose(turn_deg=90, flip=True))[50:60, 30:50].all()


@pytest.mark.parametrize("name", SHAPES.names())
def test_every_shape_fills_some_of_its_box_and_stays_in_it(name):
    for proportion in (0.5, 1.0, 2.0):
        made = shape_svg(name, {"proportion": proportion}, "#336699")
        assert made.width / made.height == pytest.approx(proportion)
        drawn = draw_svg(made, Pose(), 140, 140, (70, 70))
        cover = (drawn[..., 3] > 127).sum() / (made.width * made.height)
        assert 0.15 < cover <= 1.01
        assert not drawn[:18].any() or name == "outline"


@pytest.mark.parametrize("name", STARTERS.names())
def test_every_starter_passes_the_same_checks_as_a_file(name):
    read = starter_svg(name)
    assert len(read.colours) >= 1
    drawn = draw_svg(read, Pose(), 200, 200, (100, 100))
    assert 0.01 < (drawn[..., 3] > 0).mean() < 0.6
    assert not drawn[0].any()
    assert np.unique(drawn[drawn[..., 3] == 255][:, :3], axis=0).shape[0] >= len(read.colours)
