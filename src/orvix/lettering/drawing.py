"""Clusters drawn as pictures, all to one scale and on one line: what a lettering tip stamps."""

from __future__ import annotations

import base64
import io
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import resvg_py
import uharfbuzz as hb
from numpy.typing import NDArray
from PIL import Image

from orvix.errors import BadValue
from orvix.lettering.fonts import EMOJI, Font, shipped_font
from orvix.lettering.shaping import Cluster, Glyph, Shaped, shape

Rgba = NDArray[np.float32]
EM_PX = 192
"""The px of an em in the pictures."""
ROOM = 2.0
"""The side of a cluster's picture, in ems; its middle lies on the path."""
_MIDDLE = 0.32
"""How high above the line the path runs, in ems: the middle of small letters and large ones."""
_MOST_SIDE = 4096


@dataclass(frozen=True)
class Drawn:
    """A text drawn: premultiplied float32 pictures, how long each is in ems, and the way from each to the next, ems."""

    pictures: tuple[Rgba, ...]
    longer: float
    advances: tuple[float, ...]
    shaped: Shaped


def draw_letters(text: str, font: Font, gap: float = 0.0) -> Drawn:
    """Each cluster as a picture of its own; gap: after the whole text, in ems. Raises BadValue where nothing is
    left."""
    shaped = _shaped(text, font)
    clusters = shaped.clusters
    pictures = tuple(_picture((one,), font, ROOM, one.advance / 2) for one in clusters)
    ways = [(a.advance + b.advance) / 2 for a, b in zip(clusters, (*clusters[1:], clusters[0]), strict=True)]
    ways[-1] += gap
    return Drawn(pictures, ROOM, tuple(ways), shaped)


def draw_whole(text: str, font: Font, gap: float = 0.0) -> Drawn:
    """The whole text as one picture."""
    shaped = _shaped(text, font)
    length = sum(one.advance for one in shaped.clusters)
    side = min(max(length + 1.0, ROOM), _MOST_SIDE / EM_PX)
    picture = _picture(shaped.clusters, font, side, length / 2)
    return Drawn((picture,), side, (length + gap,), shaped)


def _shaped(text: str, font: Font) -> Shaped:
    shaped = shape(text, font)
    if not any(one.text.strip() for one in shaped.clusters):
        others = ", ".join(sorted({one.font for one in shaped.missing if one.font})) or "none of the fonts here"
        raise BadValue("text", text[:40], f"has no character that {font.title} or the emoji has; {others} has them")
    return shaped


def _picture(clusters: tuple[Cluster, ...], font: Font, side: float, middle: float) -> Rgba:
    """Clusters one after the other, their middle in the middle of a square of `side` ems; letters black, emoji as they
    are."""
    px = round(side * EM_PX)
    canvas = np.zeros((px, px, 4), np.float32)
    at, paths = side / 2 - middle, []
    for one in clusters:
        if one.emoji:
            _lay_emoji(canvas, one, at)
        else:
            paths += [_placed(font, glyph, at, side) for glyph in one.glyphs]
        at += one.advance
    if paths:
        alpha = _filled(" ".join(paths), side, px)
        canvas = np.maximum(canvas, np.repeat(alpha[..., None], 4, axis=2) * np.array([0, 0, 0, 1], np.float32))
    return canvas


def _placed(font: Font, glyph: Glyph, at: float, side: float) -> str:
    path = outline(font, glyph[0])
    if not path:
        return ""
    scale, x, y = 1 / font.upem, at + glyph[1], side / 2 + _MIDDLE - glyph[2]
    return f'<path d="{path}" transform="translate({x:.5f} {y:.5f}) scale({scale:.8f} {-scale:.8f})"/>'


@lru_cache(maxsize=2048)
def outline(font: Font, glyph: int) -> str:
    """A glyph's outline as SVG path data, in units of the font, y up."""
    parts: list[str] = []
    funcs = hb.DrawFuncs()
    funcs.set_move_to_func(lambda x, y, data: parts.append(f"M{x:g} {y:g}"))
    funcs.set_line_to_func(lambda x, y, data: parts.append(f"L{x:g} {y:g}"))
    funcs.set_quadratic_to_func(lambda a, b, x, y, data: parts.append(f"Q{a:g} {b:g} {x:g} {y:g}"))
    funcs.set_cubic_to_func(lambda a, b, c, d, x, y, data: parts.append(f"C{a:g} {b:g} {c:g} {d:g} {x:g} {y:g}"))
    funcs.set_close_path_func(lambda data: parts.append("Z"))
    font.font.draw_glyph(glyph, funcs, None)
    return "".join(parts)


def _filled(paths: str, side: float, px: int) -> NDArray[np.float32]:
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{px}" height="{px}" viewBox="0 0 {side} {side}">{paths}</svg>'
    )
    png = bytes(resvg_py.svg_to_bytes(svg_string=svg))
    return np.asarray(Image.open(io.BytesIO(png)).convert("RGBA"), np.float32)[..., 3] / np.float32(255)


@dataclass(frozen=True)
class EmojiPicture:
    """An emoji's own picture: a PNG, and where it lies beside the start of its cluster, in ems, y down."""

    png: bytes
    left: float
    top: float
    wide: float
    high: float

    def as_svg(self, x: float, y: float) -> str:
        """As a part of an SVG in ems; x, y: where its cluster starts on the line."""
        data = base64.b64encode(self.png).decode()
        at = f'x="{x + self.left:.6f}" y="{y + self.top:.6f}" width="{self.wide:.6f}" height="{self.high:.6f}"'
        return f'<image {at} href="data:image/png;base64,{data}"/>'


def emoji_pictures(cluster: Cluster) -> list[EmojiPicture]:
    """The pictures of an emoji, on its line."""
    font, found = shipped_font(EMOJI.name), []
    for number, dx, _ in cluster.glyphs:
        blob = font.font.get_glyph_color_png(number)
        if blob:
            png = bytes(blob.data)
            width, height = Image.open(io.BytesIO(png)).size
            high = cluster.advance * height / width
            found.append(EmojiPicture(png, dx, -_MIDDLE - high / 2, cluster.advance, high))
    return found


def _lay_emoji(canvas: Rgba, cluster: Cluster, at: float) -> None:
    """An emoji's own picture, taken to the scale of the font, on its line."""
    font = shipped_font(EMOJI.name)
    for number, dx, _ in cluster.glyphs:
        blob = font.font.get_glyph_color_png(number)
        if not blob:
            continue
        picture = Image.open(io.BytesIO(bytes(blob.data))).convert("RGBA")
        wide = max(round(cluster.advance * EM_PX), 1)
        small = picture.resize((wide, max(round(picture.height * wide / picture.width), 1)), Image.Resampling.LANCZOS)
        pixels = np.asarray(small, np.float32) / np.float32(255)
        pixels[..., :3] *= pixels[..., 3:]
        left = round((at + dx) * EM_PX)
        top = round(canvas.shape[0] / 2 - pixels.shape[0] / 2)
        x0, y0 = max(left, 0), max(top, 0)
        part = canvas[y0 : top + pixels.shape[0], x0 : left + pixels.shape[1]]
        part[:] = pixels[y0 - top : y0 - top + part.shape[0], x0 - left : x0 - left + part.shape[1]]
