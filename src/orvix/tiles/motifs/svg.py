"""SVG from outside, read as hostile: checked against what a drawing needs before anything renders it.

Scripts, references to anything outside, styles that load, entities, absurd sizes, counts and nesting are refused with
the reason. What passes is drawn by resvg (static SVG 1.1 and parts of SVG 2).
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from xml.etree import ElementTree

import cv2
import numpy as np
import resvg_py
from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring
from numpy.typing import NDArray
from PIL import ImageColor

from orvix.errors import UnreadablePicture

MOST_OCTETS = 1_000_000
MOST_ELEMENTS, MOST_DEPTH, MOST_POINTS = 5_000, 32, 200_000
MOST_SIDE_PX = 16_384.0
MOST_COLOURS = 24
NAMESPACE = "http://www.w3.org/2000/svg"
XLINK = "{http://www.w3.org/1999/xlink}href"
ELEMENTS = frozenset(
    [
        "svg",
        "g",
        "defs",
        "symbol",
        "use",
        "title",
        "desc",
        "metadata",
        "path",
        "rect",
        "circle",
        "ellipse",
        "line",
        "polyline",
        "polygon",
        "linearGradient",
        "radialGradient",
        "stop",
        "clipPath",
        "mask",
        "style",
        "a",
        "switch",
        "marker",
    ]
)
"""What may stand in a file. Text needs fonts and pictures need files: both are refused by name."""

_URL = re.compile(r"url\s*\(\s*['\"]?\s*(?!#)", re.IGNORECASE)
_LOADS = re.compile(r"@import|@font-face|expression\s*\(|javascript:|data:|https?:|file:", re.IGNORECASE)
_COLOUR = re.compile(r"#(?:[0-9a-fA-F]{6}|[0-9a-fA-F]{3})\b")
_PAINTED = ("fill", "stroke", "stop-color", "color", "flood-color")
_SHAPES = frozenset(["path", "rect", "circle", "ellipse", "line", "polyline", "polygon"])
_ALONE = re.compile(r"^(?P<before>\s*)(?P<value>.*?)\s*$", re.DOTALL)
_IN_STYLE = re.compile(
    r"(?P<before>(?:fill|stroke|stop-color|color|flood-color)\s*:\s*)(?P<value>rgba?\([^)]*\)|[a-zA-Z]+)"
)
_LENGTH = re.compile(r"^\s*([0-9.eE+-]+)\s*(px|pt|mm|cm|in|)\s*$")
_PX = {"": 1.0, "px": 1.0, "pt": 96 / 72, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0}
"""CSS Values and Units Level 3, section 5.2."""


class UnreadableSvg(UnreadablePicture):
    """An SVG that is refused; the message names the file, what was found and the rule."""

    code = "unreadable-svg"


@dataclass(frozen=True)
class Svg:
    """A checked drawing: its text, its size in px, and the colours in it, as #rrggbb, in the order they come."""

    text: str
    width: float
    height: float
    colours: tuple[str, ...]

    def recoloured(self, changes: Mapping[str, str]) -> Svg:
        """The same drawing with colours replaced, all at once; unknown ones are passed over."""
        if not changes:
            return self
        text = _COLOUR.sub(lambda found: changes.get(_long(found[0]), found[0]), self.text)
        return Svg(text, self.width, self.height, tuple(dict.fromkeys(changes.get(one, one) for one in self.colours)))


def is_svg(data: bytes, name: str) -> bool:
    """Whether a file says that it is SVG, by its name or its first octets."""
    return name.lower().endswith(".svg") or data.lstrip()[:5] in (b"<?xml", b"<svg ", b"<!DOC", b"<svg\n")


def read_svg(data: bytes, name: str = "SVG") -> Svg:
    """Check an SVG file and give it ready to be drawn; raises UnreadableSvg."""
    if len(data) > MOST_OCTETS:
        raise UnreadableSvg(f"{name}: {len(data)} octets; at most {MOST_OCTETS} are read")
    try:
        root = fromstring(data, forbid_dtd=False, forbid_entities=True, forbid_external=True)
    except DefusedXmlException as error:
        raise UnreadableSvg(
            f"{name}: declares entities or refers to other files, which Orvix cannot import."
        ) from error
    except (ElementTree.ParseError, ValueError, LookupError) as error:
        raise UnreadableSvg(f"{name} is not valid SVG ({error}).") from error
    if root.tag not in (f"{{{NAMESPACE}}}svg", "svg"):
        raise UnreadableSvg(f"{name}: its outermost element must be svg")
    _check_tree(root, name)
    _spell_colours(root)
    width, height = _size(root, name)
    ElementTree.register_namespace("", NAMESPACE)
    root.set("width", f"{width:g}")
    root.set("height", f"{height:g}")
    if "viewBox" not in root.attrib:
        root.set("viewBox", f"0 0 {width:g} {height:g}")
    text = ElementTree.tostring(root, encoding="unicode")
    colours = tuple(dict.fromkeys(_long(one) for one in _COLOUR.findall(text)))[:MOST_COLOURS]
    try:
        resvg_py.svg_to_bytes(svg_string=text, width=16, skip_system_fonts=True)
    except ValueError as error:
        raise UnreadableSvg(f"{name} cannot be drawn ({error}).") from error
    return Svg(text, width, height, colours)


def _check_tree(root: ElementTree.Element, name: str) -> None:
    count = points = 0
    uses = 0
    waiting = [(root, 1)]
    while waiting:
        element, depth = waiting.pop()
        count += 1
        tag = element.tag.rpartition("}")[2] if isinstance(element.tag, str) else ""
        if depth > MOST_DEPTH:
            raise UnreadableSvg(f"{name}: elements nest more than {MOST_DEPTH} deep")
        if count > MOST_ELEMENTS:
            raise UnreadableSvg(f"{name}: more than {MOST_ELEMENTS} elements")
        if tag and tag not in ELEMENTS and _is_svg(element.tag):
            raise UnreadableSvg(
                f"{name} contains {tag[:40]}, which Orvix cannot import. Convert text to paths and remove pictures."
            )
        uses += tag == "use"
        if uses > 200:
            raise UnreadableSvg(f"{name}: more than 200 uses of other parts")
        points += _check_attributes(element, tag, name)
        if points > MOST_POINTS:
            raise UnreadableSvg(f"{name}: paths of more than {MOST_POINTS} characters in all")
        if tag == "style" and element.text and (_LOADS.search(element.text) or _URL.search(element.text)):
            raise UnreadableSvg(f"{name}: contains a style that loads another file. Remove it.")
        waiting.extend((child, depth + 1) for child in element)


def _spell_colours(root: ElementTree.Element) -> None:
    """Write every colour as #rrggbb, the black that shapes have by default too, so that each can be changed.

    Names are those of CSS Color Module Level 4, section 6.1; rgb() and rgba() are taken where they are opaque.
    """
    waiting = [(root, False)]
    bare = False
    while waiting:
        element, filled = waiting.pop()
        for key in (*_PAINTED, "style"):
            if key in element.attrib:
                element.set(key, _spelled(element.attrib[key], key == "style"))
        style = element.get("style", "")
        filled = filled or "fill" in element.attrib or "fill:" in style.replace(" ", "")
        tag = element.tag.rpartition("}")[2] if isinstance(element.tag, str) else ""
        if tag == "style" and element.text:
            element.text = _spelled(element.text, True)
            filled = True
        bare = bare or (tag in _SHAPES and not filled and "class" not in element.attrib)
        waiting.extend((child, filled) for child in element)
    if bare and "fill" not in root.attrib:
        root.set("fill", "#000000")


def _spelled(text: str, is_style: bool) -> str:
    def one(found: re.Match[str]) -> str:
        value = found["value"].strip().lower()
        known = ImageColor.colormap.get(value)
        numbers = re.fullmatch(r"rgba?\(\s*(\d+)\s*[, ]\s*(\d+)\s*[, ]\s*(\d+)\s*(?:[,/]\s*1(?:\.0*)?\s*)?\)", value)
        if numbers:
            return found["before"] + "#" + "".join(f"{min(int(part), 255):02x}" for part in numbers.groups())
        return found["before"] + known.lower() if isinstance(known, str) else found[0]

    if is_style:
        return _IN_STYLE.sub(one, text)
    return _ALONE.sub(one, text)


def _is_svg(tag: str) -> bool:
    return not tag.startswith("{") or tag.startswith(f"{{{NAMESPACE}}}")


def _check_attributes(element: ElementTree.Element, tag: str, name: str) -> int:
    """Refuse what runs or loads; returns how many characters of geometry there are."""
    for key, value in element.attrib.items():
        plain = key.rpartition("}")[2].lower()
        if plain.startswith("on"):
            raise UnreadableSvg(f"{name} contains a script ({plain[:40]} on {tag[:40]}). Remove it.")
        if plain in ("href", "src") and not value.strip().startswith("#") and tag != "a":
            raise UnreadableSvg(
                f"{name}: {tag[:40]} refers to {value[:60]!r}; only parts of the file itself are allowed"
            )
        if _URL.search(value) or (plain == "style" and _LOADS.search(value)):
            raise UnreadableSvg(f"{name}: {plain[:40]}={value[:60]!r} loads something from outside")
    return len(element.attrib.get("d", "")) + len(element.attrib.get("points", ""))


def _size(root: ElementTree.Element, name: str) -> tuple[float, float]:
    box = [float(one) for one in re.findall(r"[-+0-9.eE]+", root.get("viewBox", ""))[:4] if _is_number(one)]
    sides = []
    for n, key in enumerate(("width", "height")):
        found = _LENGTH.match(root.get(key, ""))
        if found and _is_number(found[1]):
            sides.append(float(found[1]) * _PX[found[2]])
        else:
            sides.append(box[2 + n] if len(box) == 4 else 100.0)
    for side in sides:
        if not 0.01 <= side <= MOST_SIDE_PX:
            raise UnreadableSvg(f"{name}: {sides[0]:g} x {sides[1]:g} px; sides must be 0.01 to {MOST_SIDE_PX:g} px")
    return sides[0], sides[1]


def _is_number(text: str) -> bool:
    try:
        return abs(float(text)) < 1e9
    except ValueError:
        return False


def _long(colour: str) -> str:
    digits = colour[1:].lower()
    return "#" + (digits if len(digits) == 6 else "".join(digit * 2 for digit in digits))


@dataclass(frozen=True)
class Pose:
    """How a motif lies: turned clockwise, scaled, mirrored left to right before it is turned."""

    turn_deg: float = 0.0
    scale: float = 1.0
    flip: bool = False

    def matrix(self) -> NDArray[np.float64]:
        """The 2 x 2 matrix from the motif's own px, about its middle, to px of the tile."""
        turn = np.deg2rad(self.turn_deg % 360)
        cos, sin = (np.round(value, 15) for value in (np.cos(turn), np.sin(turn)))
        across = -self.scale if self.flip else self.scale
        return np.array([[cos * across, -sin * self.scale], [sin * across, cos * self.scale]])


def draw_svg(svg: Svg, pose: Pose, wide: int, high: int, middle: tuple[float, float]) -> NDArray[np.uint8]:
    """A checked drawing in a pose on wide x high px, its middle at `middle`: uint8 (rows, columns, 4), straight."""
    a = pose.matrix()
    x = middle[0] - a[0, 0] * svg.width / 2 - a[0, 1] * svg.height / 2
    y = middle[1] - a[1, 0] * svg.width / 2 - a[1, 1] * svg.height / 2
    place = " ".join(f"{value:.9g}" for value in (a[0, 0], a[1, 0], a[0, 1], a[1, 1], x, y))
    text = (
        f'<svg xmlns="{NAMESPACE}" xmlns:xlink="http://www.w3.org/1999/xlink" width="{wide}" height="{high}">'
        f'<g transform="matrix({place})">{svg.text}</g></svg>'
    )
    png = resvg_py.svg_to_bytes(svg_string=text, skip_system_fonts=True)
    drawn = cv2.imdecode(np.frombuffer(png, np.uint8), cv2.IMREAD_UNCHANGED)
    return np.asarray(cv2.cvtColor(drawn, cv2.COLOR_BGRA2RGBA), np.uint8)
