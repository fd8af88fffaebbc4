"""The fonts that lettering is set in: those that Debian ships for the scripts of the world, or a file of one's own,
checked.

The shipped ones are read from where Debian's packages fonts-noto-core and fonts-noto-color-emoji put them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import uharfbuzz as hb

from orvix.errors import BadValue, UnreadableFile

FOLDER = Path("/usr/share/fonts/truetype/noto")
MOST_OCTETS = 16 * 1024 * 1024
MOST_GLYPHS = 65_535
_SIGNATURES = (b"\x00\x01\x00\x00", b"OTTO", b"true")


@dataclass(frozen=True)
class Shipped:
    """A font that ships with the application: what it is called, the script it is for, a sample, and its file."""

    name: str
    title: str
    script: str
    sample: str
    file: str


SHIPPED: tuple[Shipped, ...] = (
    Shipped("plain", "Plain", "Latin, Greek, Cyrillic", "Brindle Skerry", "NotoSans-Regular.ttf"),
    Shipped("plain-bold", "Plain, bold", "Latin, Greek, Cyrillic", "Brindle Skerry", "NotoSans-Bold.ttf"),
    Shipped("plain-italic", "Plain, slanted", "Latin, Greek, Cyrillic", "Brindle Skerry", "NotoSans-Italic.ttf"),
    Shipped("book", "Book", "Latin, Greek, Cyrillic", "Brindle Skerry", "NotoSerif-Regular.ttf"),
    Shipped("book-bold", "Book, bold", "Latin, Greek, Cyrillic", "Brindle Skerry", "NotoSerif-Bold.ttf"),
    Shipped("poster", "Poster", "Latin, Greek, Cyrillic", "Brindle Skerry", "NotoSerifDisplay-Bold.ttf"),
    Shipped("naskh", "Naskh", "Arabic", "مرفأ", "NotoNaskhArabic-Regular.ttf"),
    Shipped("hebrew", "Hebrew", "Hebrew", "נמל", "NotoSansHebrew-Regular.ttf"),
    Shipped("devanagari", "Devanagari", "Devanagari", "बंदरगाह", "NotoSansDevanagari-Regular.ttf"),
    Shipped("bengali", "Bengali", "Bengali", "বন্দর", "NotoSansBengali-Regular.ttf"),
    Shipped("tamil", "Tamil", "Tamil", "துறைமுகம்", "NotoSansTamil-Regular.ttf"),
    Shipped("thai", "Thai", "Thai", "ท่าเรือ", "NotoSerifThai-Regular.ttf"),
    Shipped("khmer", "Khmer", "Khmer", "កំពង់ផែ", "NotoSansKhmer-Regular.ttf"),
    Shipped("georgian", "Georgian", "Georgian", "ნავსადგური", "NotoSansGeorgian-Regular.ttf"),
    Shipped("armenian", "Armenian", "Armenian", "նավահանգիստ", "NotoSansArmenian-Regular.ttf"),
    Shipped("ethiopic", "Ethiopic", "Ethiopic", "ወደብ", "NotoSerifEthiopic-Regular.ttf"),
)
EMOJI = Shipped("emoji", "Colour emoji", "pictures", "⚓", "NotoColorEmoji.ttf")
FONT_NAMES = tuple(font.name for font in SHIPPED)


class Font:
    """A font that can shape text. title: what it is called where a character is said to be in it."""

    def __init__(self, data: bytes, title: str) -> None:
        """data: a TTF or OTF file; raises UnreadableFile, with the reason and the limit, for anything else."""
        self.title = title
        if len(data) > MOST_OCTETS:
            raise UnreadableFile(f"{title}: {len(data)} octets; a font has at most {MOST_OCTETS}")
        if data[:4] not in _SIGNATURES:
            raise UnreadableFile(f"{title} is not a TTF or OTF font.")
        self.face = hb.Face(hb.Blob(data))
        characters = self.face.unicodes
        if not 0 < self.face.glyph_count <= MOST_GLYPHS or not len(characters) or self.face.upem < 16:
            raise UnreadableFile(f"{title} is damaged or has no usable characters.")
        self.font = hb.Font(self.face)
        self.upem = int(self.face.upem)
        self._characters = frozenset(characters)

    def has(self, character: str) -> bool:
        """Whether it has a character."""
        return ord(character) in self._characters


@lru_cache(maxsize=32)
def shipped_font(name: str) -> Font:
    """A shipped font by its name; raises BadValue for an unknown one, UnreadableFile where Debian's package is
    missing."""
    for one in (*SHIPPED, EMOJI):
        if one.name == name:
            try:
                return Font((FOLDER / one.file).read_bytes(), one.title)
            except OSError as error:
                package = "fonts-noto-color-emoji" if one is EMOJI else "fonts-noto-core"
                raise UnreadableFile(
                    f"{one.title}: the font is not here; install Debian's package {package}"
                ) from error
    raise BadValue("font", name, "must be one of " + ", ".join(FONT_NAMES))


def font_with(characters: str) -> str | None:
    """The title of a shipped font that has all these characters, or None."""
    for one in (*SHIPPED, EMOJI):
        try:
            if all(shipped_font(one.name).has(character) for character in characters):
                return one.title
        except UnreadableFile:
            continue
    return None
