"""Paths of SVG files as pieces: every kind of side, transforms, colours, closing, and what is refused."""

from __future__ import annotations

from math import pi

import numpy as np
import pytest

from orvix.canvases.canvas import CanvasSpec
from orvix.canvases.outlines import Outline
from orvix.canvases.shaping import shape_pixels
from orvix.canvases.svg_paths import pieces_of
from orvix.canvases.typesetting import no_font
from orvix.errors import OrvixError
from orvix.tiles.motifs.svg import read_svg

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" width="200" height="160"'


def pieces(body: str, head: str = ""):
    return pieces_of(read_svg(f"{HEAD}{head}>{body}</svg>".encode(), "drawing.svg"))


def area(found) -> float:
    blocks = shape_pixels(CanvasSpec(200, 160), Outline(tuple(found), fill="#000000"), no_font)[0]
    return float(blocks.whole()[..., 3].sum() / 65535)


def test_every_shape_covers_what_geometry_says():
    for body, want in (
        ('<rect x="20" y="10" width="60" height="40"/>', 2400),
        ('<circle cx="90" cy="80" r="50"/>', pi * 2500),
        ('<ellipse cx="90" cy="80" rx="60" ry="30"/>', pi * 1800),
        ('<polygon points="10,10 110,10 110,90"/>', 4000),
        ('<path d="M20 20 h80 v60 h-80 z M40 30 h20 v20 h-20 z"/>', 4400),
        ('<path d="M20 80 q50 -100 100 0 z"/>', 2 / 3 * 100 * 50),
        ('<path d="M60 80 a40 40 0 1 1 80 0 z"/>', pi * 1600 / 2),
    ):
        assert area(pieces(body)) == pytest.approx(want, rel=0.005), body


def test_transforms_and_the_view_box_are_applied_and_colours_are_taken():
    found = pieces(
        '<g transform="translate(10 20) scale(2)"><path d="M0 0 L10 0 L10 5" stroke="#c2553b" fill="none"/></g>'
    )
    (one,) = found
    assert [at[:2] for at in one.points] == [(10, 20), (30, 20), (30, 30)]
    assert (one.closed, one.colour) == (False, "#c2553b")
    (half,) = pieces('<rect width="20" height="10" fill="#2f6f93"/>', ' viewBox="0 0 100 80"')
    assert np.ptp([at[0] for at in half.points]) == 40
    assert half.colour == "#2f6f93"


def test_a_path_that_comes_back_to_its_start_is_closed():
    (one,) = pieces('<path d="M20 20 L80 20 L80 60 L20 20"/>')
    assert one.closed
    assert len(one.points) == 3


def test_what_has_no_path_or_too_much_is_refused():
    for body, why in (
        ("", "must have a path"),
        ("<path d='M0 0h9v9z'/>" * 70, "at most 64"),
        (f"<path d='M0 0{'l1 1' * 600}'/>", "at most 512"),
        ("<script>alert(1)</script><path d='M0 0h9v9z'/>", "script"),
    ):
        with pytest.raises(OrvixError, match=why):
            pieces(body)
