"""OpenRaster files: layers with their names, order, opacity and modes, both ways.

A zip of `mimetype`, `stack.xml`, one 16-bit PNG a layer, the merged picture and a thumbnail, after the OpenRaster
specification, 0.0.6. What it cannot hold is flattened and told: masks, clipped layers and effects into their layer;
fills, shapes and lettering into pixels; a mode it has no word for, with all that lies under it in its group.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from xml.etree.ElementTree import Element, SubElement, tostring

import numpy as np
from defusedxml.ElementTree import fromstring
from numpy.typing import NDArray

from orvix.canvases.blocks import Block
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.layers import MOST_DEEP, MOST_LAYERS, Layer
from orvix.canvases.stacking import Item, items_of
from orvix.errors import UnreadableFile
from orvix.formats.pictures_out import deep_png
from orvix.formats.zips import opened
from orvix.geometry import BLOCK, MOST_SIDE, keys_in
from orvix.pictures.reading import read_with_notes
from orvix.pictures.writing import png_bytes, straight_8bit

MIMETYPE = "image/openraster"
_PLAIN = {"normal": "src-over", "plus-lighter": "plus"}
_SAME = (
    "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light", "soft-light",
    "difference", "hue", "saturation", "color", "luminosity",
)  # fmt: skip
OPERATORS = _PLAIN | {mode: mode for mode in _SAME}
"""The modes that OpenRaster has a word for, and that word after `svg:`."""
_MODES = {word: mode for mode, word in OPERATORS.items()}
_THUMB = 256
Merge = Callable[..., "Block | None"]
"""Merges items on a ground, or without one on nothing."""


@dataclass(frozen=True)
class Node:
    """A layer of a file, or a group of them, the lowest first. pixels: uint16 (rows, columns, 4), premultiplied, where
    it is no group; x, y: where its upper left lies."""

    name: str
    opacity: float = 1.0
    visible: bool = True
    mode: str = "normal"
    pixels: Block | None = None
    inside: tuple[Node, ...] = ()
    x: int = 0
    y: int = 0


@dataclass
class Told:
    """A picture as the format holds it: its size, ppi, layers from the lowest up, and what was flattened or unknown."""

    width: int
    height: int
    ppi: float
    nodes: tuple[Node, ...]
    notes: list[str] = field(default_factory=list)


# Out.


def write(canvas: Canvas) -> tuple[bytes, list[str]]:
    """A canvas as an OpenRaster file, and what had to be flattened, in words. Its ground becomes the lowest layer."""
    told = as_told(canvas)
    out = io.BytesIO()
    spec = canvas.spec
    image = Element("image", {"version": "0.0.6", "w": str(spec.width), "h": str(spec.height)})
    image.attrib |= {"xres": str(round(spec.ppi)), "yres": str(round(spec.ppi))}
    pictures: list[Block] = []
    _put(SubElement(image, "stack"), told.nodes, pictures)
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as file:
        # The first entry, stored, so that its octets say what the file is.
        _entry(file, "mimetype", MIMETYPE.encode())
        _entry(file, "stack.xml", b'<?xml version="1.0" encoding="UTF-8"?>\n' + tostring(image))
        for n, pixels in enumerate(pictures):
            _entry(file, f"data/layer{n}.png", deep_png(pixels))
        merged = straight_8bit(canvas.pixels())
        _entry(file, "mergedimage.png", png_bytes(merged, level=3))
        step = max(-(-max(merged.shape[:2]) // _THUMB), 1)
        _entry(file, "Thumbnails/thumbnail.png", png_bytes(np.ascontiguousarray(merged[::step, ::step])))
    return out.getvalue(), told.notes


def _entry(file: zipfile.ZipFile, name: str, data: bytes) -> None:
    # A fixed time, so that the same canvas is the same file.
    file.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), data)


def _put(stack: Element, nodes: Sequence[Node], pictures: list[Block]) -> None:
    for node in reversed(nodes):
        told = {"name": node.name, "opacity": f"{node.opacity:.6g}"}
        told |= {"visibility": "visible" if node.visible else "hidden", "composite-op": f"svg:{OPERATORS[node.mode]}"}
        if node.pixels is None:
            _put(SubElement(stack, "stack", told | {"isolation": "isolate"}), node.inside, pictures)
            continue
        SubElement(stack, "layer", told | {"src": f"data/layer{len(pictures)}.png", "x": str(node.x), "y": str(node.y)})
        pictures.append(node.pixels)


def flattened(canvas: Canvas) -> list[str]:
    """What would have to be flattened of a canvas, in words, without making any px."""
    return as_told(canvas, bare=True).notes


def as_told(canvas: Canvas, *, bare: bool = False) -> Told:
    """What of a canvas the format holds; see the module. bare: without px."""
    told = Told(canvas.spec.width, canvas.spec.height, canvas.spec.ppi, ())
    shown = tuple(replace(layer, visible=True, opacity=layer.opacity or 1.0) for layer in canvas.stack)
    hidden = {layer.id: layer for layer in canvas.stack}

    def merge(items: tuple[Item, ...], ground: str | None = None) -> Block | None:
        return None if bare else _alone(canvas, items, hidden, ground)

    under = None
    if canvas.spec.ground is not None:
        under = Node("Ground", pixels=None if bare else Canvas(canvas.spec).pixels())
    told.nodes = _nodes(items_of(shown), hidden, told.notes, merge, under, canvas.spec.ground)
    return told


def _nodes(
    items: Sequence[Item],
    was: dict[int, Layer],
    notes: list[str],
    merge: Merge,
    under: Node | None = None,
    ground: str | None = None,
) -> tuple[Node, ...]:
    """Items of one group, the lowest first; under: the ground they lie on, where they are in no group."""
    out: list[Node] = [under] if under else []
    for n, item in enumerate(items):
        layer, own = item.layer, was[item.layer.id]
        mode = layer.mode
        if mode not in OPERATORS:
            # A blend with nothing, or of what is hidden, shows what a normal one shows.
            if own.visible and out:
                below = [one.name for one in ([under] if under else [])] + [was[one.layer.id].name for one in items[:n]]
                notes.append(f"{layer.name}: OpenRaster has no blend mode {mode}. Merged with " + ", ".join(below))
                out = [Node(layer.name, pixels=merge(tuple(items[: n + 1]), ground))]
                continue
            notes.append(f"{layer.name}: its mode {mode} is not known there; kept as normal")
            mode = "normal"
        node = Node(layer.name, own.opacity, own.visible, mode)
        beside = [word for word, has in (("its mask", layer.mask), ("the layers clipped to it", item.clips),
                                         ("its effects", layer.effects)) if has]  # fmt: skip
        if layer.kind == "group" and not beside:
            out.append(replace(node, inside=_nodes(item.inside, was, notes, merge)))
            continue
        if beside or layer.kind != "paint":
            notes.append(f"{layer.name}: flattened" + (" with " + " and ".join(beside) if beside else " into pixels"))
        whole = replace(item, layer=replace(layer, mode="normal", opacity=1.0))
        out.append(replace(node, pixels=merge((whole,))))
    return tuple(out)


def _alone(canvas: Canvas, items: tuple[Item, ...], was: dict[int, Layer], ground: str | None) -> Block:
    """Some items of one group merged on a ground or on nothing; what is hidden stays hidden, but for a lone one.

    A lone one is as strong as it is here already, but on a ground.
    """

    def layers(some: Sequence[Item], parent: int, keep: bool) -> Iterator[Layer]:
        for item in some:
            shown = item.layer if keep else replace(item.layer, visible=was[item.layer.id].visible)
            if not keep:
                shown = replace(shown, opacity=was[item.layer.id].opacity)
            yield replace(shown, parent=parent, clipped=False)
            yield from layers(item.inside, item.layer.id, False)
            for clip in item.clips:
                yield replace(was[clip.layer.id], parent=parent, clipped=True)
                yield from layers(clip.inside, clip.layer.id, False)

    other = canvas.copy(replace(canvas.spec, ground=ground))
    other.restack(tuple(layers(items, 0, len(items) == 1 and ground is None)))
    return other.pixels()


# In.


def read(data: bytes, name: str = "picture.ora") -> Told:
    """Read an OpenRaster file; raises UnreadableFile naming the file, the rule and the limit."""
    with opened(data, name, "an OpenRaster file") as file:
        if file.read("mimetype").strip() != MIMETYPE.encode():
            raise UnreadableFile(f"{name} is not an OpenRaster file.")
        return _read_stack(file, name)


def _read_stack(file: zipfile.ZipFile, name: str) -> Told:
    text = file.read("stack.xml")
    if len(text) > 1 << 20:
        raise UnreadableFile(f"{name}: stack.xml has {len(text)} bytes; at most {1 << 20} are read")
    try:
        image = fromstring(text)
    except Exception as error:  # what an XML parser raises is its own
        raise UnreadableFile(f"{name}: stack.xml is no XML that is read ({str(error)[:80]})") from error
    width, height = (_whole(image, side, name) for side in ("w", "h"))
    if not (1 <= width <= MOST_SIDE and 1 <= height <= MOST_SIDE):
        raise UnreadableFile(f"{name}: declares {width} x {height} px; at most {MOST_SIDE} a side are read")
    root = image.find("stack")
    if root is None:
        raise UnreadableFile(f"{name}: has no stack of layers")
    told = Told(width, height, float(_whole(image, "xres", name, 72) or 72), ())
    count = [0]
    told.nodes = _read_nodes(file, root, told, name, count, 1)
    if not told.nodes:
        raise UnreadableFile(f"{name} has no layers.")
    return told


def _whole(element: Element, what: str, name: str, usual: int | None = None) -> int:
    given = element.get(what)
    try:
        return int(float(given)) if given is not None else int(usual if usual is not None else given)  # type: ignore[arg-type]
    except (TypeError, ValueError, OverflowError) as error:
        raise UnreadableFile(f"{name}: {what}={str(given)[:20]}: must be a number") from error


def _read_nodes(
    file: zipfile.ZipFile, stack: Element, told: Told, name: str, count: list[int], deep: int
) -> tuple[Node, ...]:
    out = []
    for one in reversed(list(stack)):
        if one.tag not in ("stack", "layer"):
            told.notes.append(f"{str(one.tag)[:40]}: not a layer, skipped")
            continue
        count[0] += 1
        if count[0] > MOST_LAYERS:
            raise UnreadableFile(f"{name}: more than {MOST_LAYERS} layers and groups")
        if deep > MOST_DEEP:
            raise UnreadableFile(f"{name}: groups lie more than {MOST_DEEP} deep in groups")
        word = (one.get("composite-op") or "svg:src-over").removeprefix("svg:")
        title = (one.get("name") or f"Layer {count[0]}").strip()[:60] or f"Layer {count[0]}"
        if word not in _MODES:
            told.notes.append(f"{title}: blend mode {word[:30]} is not supported, set to Normal")
        try:
            opacity = min(max(float(one.get("opacity") or 1), 0.0), 1.0)
        except ValueError as error:
            raise UnreadableFile(f"{name}: opacity={str(one.get('opacity'))[:20]}: must be 0 to 1") from error
        node = Node(title, opacity, one.get("visibility") != "hidden", _MODES.get(word, "normal"))
        if one.tag == "stack":
            out.append(replace(node, inside=_read_nodes(file, one, told, name, count, deep + 1)))
            continue
        source = one.get("src") or ""
        picture = read_with_notes(file.read(source), f"{name}: {source[:60]}")
        told.notes += [f"{title}: {words}" for words in picture.notes]
        out.append(replace(node, pixels=picture.pixels, x=_whole(one, "x", name, 0), y=_whole(one, "y", name, 0)))
    return tuple(out)


def to_canvas(told: Told) -> Canvas:
    """What was read as a canvas of paint layers and groups; what lies outside of it is cut off."""
    canvas = Canvas(CanvasSpec(told.width, told.height, min(max(told.ppi, 1.0), 10_000.0), ground=None))
    stack: list[Layer] = []

    def add(nodes: Sequence[Node], parent: int) -> None:
        for node in nodes:
            number = len(stack) + 1
            kind = "paint" if node.pixels is not None else "group"
            stack.append(Layer(number, node.name, node.opacity, node.visible, kind=kind, mode=node.mode, parent=parent))
            if node.pixels is not None:
                put_pixels(canvas, number, node.pixels, node.x, node.y)
            else:
                add(node.inside, number)

    add(told.nodes, 0)
    canvas.restack(tuple(stack))
    return canvas


def put_pixels(canvas: Canvas, layer: int, pixels: NDArray[np.uint16], x: int, y: int) -> None:
    """Put a picture on a layer that is empty, its upper left at (x, y); what lies outside is cut off."""
    width, height = canvas.spec.width, canvas.spec.height
    left, top = max(x, 0), max(y, 0)
    right, bottom = min(x + pixels.shape[1], width), min(y + pixels.shape[0], height)
    if right <= left or bottom <= top:
        return
    for key in keys_in((left, top, right, bottom)):
        y0, x0 = key[0] * BLOCK, key[1] * BLOCK
        a, b = max(left, x0), max(top, y0)
        c, d = min(right, x0 + BLOCK), min(bottom, y0 + BLOCK)
        part = pixels[b - y : d - y, a - x : c - x]
        if part.any():
            block = np.zeros((BLOCK, BLOCK, 4), np.uint16)
            block[b - y0 : d - y0, a - x0 : c - x0] = part
            canvas.put((layer, key), block)
