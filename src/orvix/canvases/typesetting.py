"""What a lettering shows on a canvas: its lines shaped, its letters' outlines filled, its emoji laid over them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.letterings import Lettering
from orvix.canvases.shaping import lay_picture
from orvix.errors import BadValue
from orvix.lettering.drawing import emoji_pictures, outline
from orvix.lettering.fonts import Font, shipped_font
from orvix.lettering.shaping import Cluster, shape

FontOf = Callable[[int], Font]
_MARGIN = 2


def no_font(number: int) -> Font:
    """Where there are no fonts of a painter's own; raises BadValue."""
    raise BadValue("own", number, "This font no longer exists.")


def lettering_pixels(spec: CanvasSpec, lettering: Lettering, font_of: FontOf) -> Blocks:
    """What a lettering shows on a canvas; raises BadValue where its font has none of its letters."""
    font = font_of(lettering.own) if lettering.own else shipped_font(lettering.font)
    lines = [shape(line, font).clusters if line.strip() else () for line in lettering.text.split("\n")]
    if not any(one.text.strip() for line in lines for one in line):
        raise BadValue("text", lettering.text[:40], f"has no character that {font.title} or the emoji has")
    canvas = Canvas(spec)
    longest = max(_length(line, lettering.tracking) for line in lines)
    corners = np.array([[x, y, 1] for x in (-0.6, longest + 0.6) for y in (-1.5, 1 + lettering.leading * len(lines))])
    corners[:, 0] -= {"start": 0.0, "middle": longest / 2, "end": longest}[lettering.aligned]
    at = corners @ lettering.matrix.T
    low, high = np.floor(at.min(axis=0)) - _MARGIN, np.ceil(at.max(axis=0)) + _MARGIN
    box = (int(low[0]), int(low[1]), int(high[0]), int(high[1]))
    letters, emoji = _drawn(lettering, lines, font)
    for body, coloured in ((letters, lettering.colour), (emoji, "")):
        if body:
            (a, b), (c, d) = lettering.matrix[:, :2]

            def placed(left: int, top: int, body: str = body, lie: tuple[float, ...] = (a, c, b, d)) -> str:
                numbers = " ".join(f"{n:.9f}" for n in (*lie, lettering.x - left, lettering.y - top))
                return f'<g fill="#fff" transform="matrix({numbers})">{body}</g>'

            lay_picture(canvas, box, placed, coloured)
    return canvas.layer


def _length(line: tuple[Cluster, ...], tracking: float) -> float:
    return sum(one.advance for one in line) + tracking * max(len(line) - 1, 0)


def _drawn(lettering: Lettering, lines: list[tuple[Cluster, ...]], font: Font) -> tuple[str, str]:
    """Letters, and emoji, as parts of an SVG in ems, y down."""
    letters, emoji = [], []
    for n, line in enumerate(lines):
        shift = {"start": 0.0, "middle": 0.5, "end": 1.0}[lettering.aligned] * _length(line, lettering.tracking)
        at, y = -shift, n * lettering.leading
        for one in line:
            if one.emoji:
                emoji += [picture.as_svg(at, y) for picture in emoji_pictures(one)]
            for number, dx, dy in () if one.emoji else one.glyphs:
                path = outline(font, number)
                if path:
                    scale = 1 / font.upem
                    where = f"translate({at + dx:.6f} {y - dy:.6f}) scale({scale:.9f} {-scale:.9f})"
                    letters.append(f'<path d="{path}" transform="{where}"/>')
            at += one.advance + lettering.tracking
    return "".join(letters), "".join(emoji)
