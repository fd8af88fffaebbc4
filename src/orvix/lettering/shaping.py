"""Text shaped into clusters, in the order they are seen from left to right.

Shaping, that is joining, ordering, marks and kerning, is HarfBuzz's. What the font lacks is tried in the colour
emoji; what that lacks too is missing, and named.
"""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass

import uharfbuzz as hb

from orvix.lettering.fonts import EMOJI, Font, font_with, shipped_font

Glyph = tuple[int, float, float]
"""A glyph's number, and where it is drawn within its cluster, in ems, y up."""


@dataclass(frozen=True)
class Cluster:
    """Letters that stay together. advance: to the next one, in ems, kerning counted in; emoji: whether in colour."""

    text: str
    glyphs: tuple[Glyph, ...]
    advance: float
    emoji: bool = False


@dataclass(frozen=True)
class Missing:
    """A character that the font lacks, its name, and a shipped font that has it, if any does."""

    character: str
    name: str
    font: str | None


@dataclass(frozen=True)
class Shaped:
    """A shaped text. right_to_left: how its script runs."""

    clusters: tuple[Cluster, ...]
    missing: tuple[Missing, ...]
    right_to_left: bool


def shape(text: str, font: Font) -> Shaped:
    """Shape a text with a font."""
    buffer = _buffer(text, font)
    right_to_left = str(buffer.direction).lower() == "rtl"
    clusters: list[Cluster] = []
    lacking = ""
    for words, glyphs, advance in _grouped(buffer, text, font):
        if all(glyph[0] != 0 for glyph in glyphs):
            clusters.append(Cluster(words, glyphs, advance))
            continue
        found = _as_emoji(words)
        clusters += found
        if not found:
            lacking += words
    return Shaped(_joined(clusters), tuple(_missing(lacking, font)), right_to_left)


def _buffer(text: str, font: Font) -> hb.Buffer:
    buffer = hb.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    hb.shape(font.font, buffer, {"kern": True, "liga": True})
    return buffer


def _grouped(buffer: hb.Buffer, text: str, font: Font) -> list[tuple[str, tuple[Glyph, ...], float]]:
    """Glyphs by cluster, as they lie from left to right, with the characters of each. Missing neighbours go
    together."""
    starts = sorted({info.cluster for info in buffer.glyph_infos})
    ends = dict(zip(starts, [*starts[1:], len(text)], strict=True))
    groups: list[tuple[int, list[Glyph], float, bool]] = []
    em = float(font.upem)
    for info, place in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
        lacks = info.codepoint == 0
        at = (info.codepoint, place.x_offset / em, place.y_offset / em)
        same = groups and (groups[-1][0] == info.cluster or (lacks and groups[-1][3]))
        if same:
            start, glyphs, advance, _ = groups[-1]
            glyphs.append((at[0], at[1] + advance, at[2]))
            groups[-1] = (min(start, info.cluster), glyphs, advance + place.x_advance / em, lacks)
        else:
            groups.append((info.cluster, [at], place.x_advance / em, lacks))
    found = []
    for n, (start, glyphs, advance, lacks) in enumerate(groups):
        end = ends[start]
        if lacks and n + 1 < len(groups) and groups[n + 1][0] > start:
            end = groups[n + 1][0]
        elif lacks and (n == 0 or groups[n - 1][0] < start):
            end = len(text)
        found.append((text[start:end], tuple(glyphs), advance))
    return found


def _as_emoji(text: str) -> list[Cluster]:
    """Characters that the font lacks, from the colour emoji; nothing where those lack them too."""
    font = shipped_font(EMOJI.name)
    groups = _grouped(_buffer(text, font), text, font)
    if any(glyph[0] == 0 for _, glyphs, _ in groups for glyph in glyphs):
        return []
    return [Cluster(words, glyphs, advance, emoji=True) for words, glyphs, advance in groups]


def _joined(clusters: list[Cluster]) -> tuple[Cluster, ...]:
    """A space goes to the advance of the cluster before it, so that it takes no stamp of its own."""
    found: list[Cluster] = []
    for one in clusters:
        if one.text.strip() or not found:
            found.append(one)
        else:
            last = found[-1]
            found[-1] = Cluster(last.text, last.glyphs, last.advance + one.advance, last.emoji)
    return tuple(found)


def _missing(text: str, font: Font) -> list[Missing]:
    seen = [one for one in dict.fromkeys(text) if not font.has(one) and not one.isspace()]
    return [Missing(one, unicodedata.name(one, "unnamed").lower(), font_with(one)) for one in seen]
