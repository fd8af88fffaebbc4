"""Motifs as pixels: one item's picture in its pose, with the whole px where it belongs; the last used are kept.

An item at (x, y) is drawn at the share of a px that its place leaves over, so an item moved by whole px has the same
octets. That is what makes a layout close bit for bit.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Collection
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from math import ceil, floor, log2
from threading import Lock
from typing import Any, Generic, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel
from orvix.errors import BadValue
from orvix.tiles.motifs.layout import Item, Layout, Motif
from orvix.tiles.motifs.shapes import shape_svg
from orvix.tiles.motifs.starters import starter_svg
from orvix.tiles.motifs.svg import Pose, Svg, draw_svg

Pixels = NDArray[np.uint16]
ReadPicture = Callable[[str], Pixels]
ReadSvg = Callable[[str], Svg]
MOST_SIDE_PX = 8192
_FEW = 16
SHARES = 64
"""Places are taken to 1/64 of a px: what is finer is not seen, and equal places share their pictures."""


@dataclass(frozen=True)
class Sprite:
    """pixels: uint16 (rows, columns, 4), premultiplied. left, top: where they lie from the item's whole px."""

    pixels: Pixels
    left: int
    top: int


@dataclass(frozen=True)
class Source:
    """A motif as px to read from. step: px of it in one natural px, across and down. pad: px of nothing round it."""

    pixels: Pixels
    step: tuple[float, float]
    pad: int


Held = TypeVar("Held", Sprite, Source)


class Art:
    """What a motif is drawn from: outlines (svg) or px (picture), its natural size in px, and a key of its own.

    Outlines are drawn once for each doubling of the scale, 2 to 4 times as fine as they are shown; every item reads
    from there. That is as crisp as drawing each anew (a test holds it), and many times faster.
    """

    def __init__(self, key: str, width: float, height: float, svg: Svg | None = None, picture: Pixels | None = None):
        self.key, self.width, self.height = key, width, height
        self._svg, self._picture = svg, picture

    @property
    def colours(self) -> tuple[str, ...]:
        """The colours of a drawing, in the order they come."""
        return self._svg.colours if self._svg is not None else ()

    def source(self, scale: float) -> Source:
        """The motif at least twice as fine as a scale needs it, as far as it has px."""
        octave = ceil(log2(scale)) + 1
        if self._picture is not None:
            octave = 0 if scale > 0.5 else min(octave, 0)
        found = _SOURCES.get((self.key, octave))
        if found is None:
            made = self._halved(-octave) if self._picture is not None else self._drawn(octave)
            found = _SOURCES.put((self.key, octave), made)
        return found

    def _halved(self, times: int) -> Source:
        picture = self._picture
        assert picture is not None
        for _ in range(times):
            if min(picture.shape[:2]) <= 4:
                break
            rows, columns = picture.shape[:2]
            picture = cv2.resize(picture, ((columns + 1) // 2, (rows + 1) // 2), interpolation=cv2.INTER_AREA)
        return Source(picture, (picture.shape[1] / self.width, picture.shape[0] / self.height), 0)

    def _drawn(self, octave: int) -> Source:
        svg = self._svg
        assert svg is not None
        fine = 2.0**octave
        fine = min(fine, MOST_SIDE_PX / max(self.width, self.height))
        wide, high = ceil(self.width * fine) + 4, ceil(self.height * fine) + 4
        middle = 2 + self.width * fine / 2, 2 + self.height * fine / 2
        return Source(_premultiplied(draw_svg(svg, Pose(scale=fine), wide, high, middle)), (fine, fine), 2)


class Studio:
    """Draws the items of layouts. read_picture and read_svg give what motifs name; pictures drawn are kept."""

    def __init__(self, read_picture: ReadPicture, read_svg: ReadSvg) -> None:
        self._read_picture = read_picture
        self._read_svg = read_svg
        self._art: dict[Motif, Art] = {}
        self._lopsided: dict[Motif, float] = {}
        self._outlines: dict[Motif, list[NDArray[np.float64]]] = {}

    def art(self, motif: Motif) -> Art:
        """What a motif is drawn from; raises what the readers raise."""
        if motif not in self._art:
            self._art[motif] = self._load(motif)
        return self._art[motif]

    def _load(self, motif: Motif) -> Art:
        key = repr(sorted(motif.as_dict().items(), key=str))
        if motif.is_drawing:
            if motif.kind == "shape":
                svg = shape_svg(motif.what, motif.values, motif.colour)
            else:
                svg = starter_svg(motif.what) if motif.kind == "starter" else self._read_svg(motif.what)
            svg = svg.recoloured(dict(motif.colours))
            return Art(key + svg.text, svg.width, svg.height, svg=svg)
        picture = self._read_picture(motif.what)
        return Art(f"{key}{id(picture)}", picture.shape[1], picture.shape[0], picture=picture)

    def half_size(self, layout: Layout, item: Item) -> tuple[float, float]:
        """Half the width and height in px of the upright box round an item, from its middle."""
        art = self.art(layout.motif(item.motif))
        reach = np.abs(item.pose.matrix()) @ np.array([art.width, art.height]) / 2
        return float(reach[0]), float(reach[1])

    def sprite(self, layout: Layout, item: Item) -> tuple[Sprite, int, int]:
        """An item's picture, and the whole px of the tile that its middle lies in."""
        art = self.art(layout.motif(item.motif))
        x, y = (floor(value * SHARES + 0.5) for value in (item.x, item.y))
        share_x, share_y = x % SHARES, y % SHARES
        key = (art.key, item.pose, item.colour, share_x, share_y)
        sprite = _KEPT.get(key)
        if sprite is None:
            sprite = _KEPT.put(key, self._draw(art, layout, item, share_x / SHARES, share_y / SHARES))
        return sprite, x // SHARES, y // SHARES

    def outlines(self, layout: Layout, motif: Motif) -> list[NDArray[np.float64]]:
        """The outlines of a motif at half its cover, px from its middle: closed polygons (n, 2), of holes too.

        Taken from px, at most 256 a side, and simplified to 0.4 of those px.
        """
        if motif not in self._outlines:
            art = self.art(motif)
            fine = min(256 / max(art.width, art.height), 4.0)
            sprite = self.sprite(layout, Item(motif.id, 0, 0, scale=fine))[0]
            mask = np.ascontiguousarray((sprite.pixels[..., 3] > 32767).astype(np.uint8))
            found, _ = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
            start = np.array([sprite.left + 0.5, sprite.top + 0.5])
            shapes = [cv2.approxPolyDP(one, 0.4, True)[:, 0] for one in found if len(one) > 2]
            self._outlines[motif] = [(shape + start) / fine for shape in shapes if len(shape) > 2]
        return self._outlines[motif]

    def placed_outlines(self, layout: Layout, item: Item) -> list[NDArray[np.float64]]:
        """The outlines of an item, px of the tile."""
        matrix, middle = item.pose.matrix(), np.array([item.x, item.y])
        return [shape @ matrix.T + middle for shape in self.outlines(layout, layout.motif(item.motif))]

    def direction(self, layout: Layout, item: Item) -> tuple[float, float]:
        """Which way an item points, degrees clockwise from up, and how much it counts.

        It counts by its area times how unlike the motif is to itself half-turned: a ring points nowhere.
        """
        motif = layout.motif(item.motif)
        if motif not in self._lopsided:
            probe = Item(motif.id, 0, 0, scale=96 / max(self.art(motif).width, self.art(motif).height))
            mask = self.sprite(layout, probe)[0].pixels[..., 3] > 32767
            both, either = (mask & mask[::-1, ::-1]).sum(), (mask | mask[::-1, ::-1]).sum()
            self._lopsided[motif] = (1 - both / max(either, 1)) * mask.sum() / probe.scale**2
        return item.turn % 360, float(self._lopsided[motif] * item.scale**2)

    def draw_ahead(self, layout: Layout, numbers: Collection[int]) -> None:
        """Draw the pictures that several items need and that are not kept, on two threads."""
        if len(numbers) < _FEW:
            return
        for motif in layout.motifs:
            if any(layout.items[n].motif == motif.id for n in numbers):
                self.art(motif)
        with ThreadPoolExecutor(2) as threads:
            list(threads.map(lambda number: self.sprite(layout, layout.items[number]), numbers))

    def _draw(self, art: Art, layout: Layout, item: Item, share_x: float, share_y: float) -> Sprite:
        half = self.half_size(layout, item)
        left, top = (-(ceil(side) + 2) for side in half)
        wide, high = (2 * (ceil(side) + 2) + 1 for side in half)
        if max(wide, high) > MOST_SIDE_PX:
            raise BadValue(
                "scale", item.scale, f"makes {art.width:g} x {art.height:g} px larger than {MOST_SIDE_PX} px"
            )
        middle = share_x - left, share_y - top
        pixels = _warped(art, item, wide, high, middle)
        if item.colour is not None:
            pixels = _in_one_colour(pixels, item.colour)
        pixels.setflags(write=False)
        return Sprite(pixels, left, top)


class _Kept(Generic[Held]):
    """Pictures held between renders, up to so many octets; the last used stay. Safe on any thread."""

    def __init__(self, most: int) -> None:
        self._most, self._octets = most, 0
        self._held: OrderedDict[Any, Held] = OrderedDict()
        self._lock = Lock()

    def get(self, key: Any) -> Held | None:
        with self._lock:
            found = self._held.get(key)
            if found is not None:
                self._held.move_to_end(key)
            return found

    def put(self, key: Any, picture: Held) -> Held:
        with self._lock:
            if key not in self._held:
                self._held[key] = picture
                self._octets += picture.pixels.nbytes
            while len(self._held) > 1 and self._octets > self._most:
                self._octets -= self._held.popitem(last=False)[1].pixels.nbytes
        return picture


def rgb8(colour: str) -> tuple[int, int, int]:
    """A checked colour as whole numbers, 0 to 255."""
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


_KEPT: _Kept[Sprite] = _Kept(256 * 1024 * 1024)
_SOURCES: _Kept[Source] = _Kept(128 * 1024 * 1024)


def _premultiplied(rgba: NDArray[np.uint8]) -> Pixels:
    out = np.empty(rgba.shape, np.uint16)
    alpha = rgba[..., 3:].astype(np.uint32)
    out[..., :3] = (rgba[..., :3].astype(np.uint32) * alpha * 257 + 127) // 255
    out[..., 3:] = alpha * 257
    return out


def _warped(art: Art, item: Item, wide: int, high: int, middle: tuple[float, float]) -> Pixels:
    """A motif in a pose: read bilinearly twice as finely as it is shown, then averaged two by two."""
    source = art.source(item.scale)
    step = np.array(source.step)
    back = np.linalg.inv(item.pose.matrix())
    natural = np.array([art.width, art.height]) / 2
    # A px n of the fine grid has its middle at (n + 0.5) / 2 of the sprite.
    offset = (back @ (np.array([0.25, 0.25]) - middle) + natural) * step + source.pad - 0.5
    at = np.concatenate([back * step[:, None] / 2, offset[:, None]], axis=1)
    whole = back @ (np.array([0.5, 0.5]) - middle) + natural - 0.5
    if (
        source.step == (1.0, 1.0)
        and not source.pad
        and np.allclose(back, np.round(back))
        and np.allclose(whole, np.round(whole))
    ):
        # At its own size, turned by quarters, on whole px: a picture is itself.
        exact = np.concatenate([np.round(back), np.round(whole)[:, None]], axis=1)
        flags = cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP
        return np.asarray(cv2.warpAffine(source.pixels, exact, (wide, high), flags=flags), np.uint16)
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    fine = cv2.warpAffine(source.pixels, at, (2 * wide, 2 * high), flags=flags, borderMode=cv2.BORDER_CONSTANT)
    out = cv2.resize(fine, (wide, high), interpolation=cv2.INTER_AREA)
    return np.asarray(np.minimum(out, out[..., 3:]), np.uint16)


def _in_one_colour(pixels: Pixels, colour: str) -> Pixels:
    out = np.empty_like(pixels)
    alpha = pixels[..., 3].astype(np.uint32)
    for n, part in enumerate(rgb8(colour)):
        out[..., n] = (alpha * part + 127) // 255
    out[..., 3] = alpha
    return out


@kernel
def lay_sprite(out, sprite, top, left):  # type: ignore[no-untyped-def]
    """`sprite` over `out`, its upper left px at (top, left): uint16 (rows, columns, 4), premultiplied; unchecked."""
    y0, y1 = max(0, -top), min(sprite.shape[0], out.shape[0] - top)
    x0, x1 = max(0, -left), min(sprite.shape[1], out.shape[1] - left)
    for y in range(y0, y1):
        for x in range(x0, x1):
            alpha = np.uint32(sprite[y, x, 3])
            if alpha == 0:
                continue
            keep = np.uint32(65535) - alpha
            for c in range(4):
                below = np.uint64(out[y + top, x + left, c]) * np.uint64(keep)
                out[y + top, x + left, c] = np.uint16(sprite[y, x, c] + (below + np.uint64(32767)) // np.uint64(65535))
