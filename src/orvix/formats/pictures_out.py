"""Pictures out: PNG of 8 and 16 bits, TIFF of 16, WebP, JPEG, an SVG pattern, a style sheet that repeats a tile.

All take premultiplied 16-bit pixels. Straight colours are c x 65535 / alpha, rounded half up, so that 16-bit files come
back exactly; 8-bit files hold those over a ground, or straight, rounded half up from the same pixels. Credit and
licence are written where a format can hold them.
"""

from __future__ import annotations

import base64
import io
import struct
import zlib
from dataclasses import dataclass, replace
from typing import Any
from xml.sax.saxutils import escape

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, PngImagePlugin

from orvix.canvases.compositing import colour_to_rgb
from orvix.canvases.resizing import resized
from orvix.errors import BadValue
from orvix.geometry import MOST_SIDE
from orvix.pictures.packing import flat_rgba8
from orvix.pictures.writing import LUMA, PERCEPTUAL, flat_rgb, straight_8bit
from orvix.registry import Value
from orvix.tiles.repeats import Repeat, cloth

Pixels = NDArray[np.uint16]
MM_AN_INCH = 25.4
_ARTIST, _COPYRIGHT, _SOFTWARE = 0x013B, 0x8298, 0x0131
_X_RESOLUTION, _Y_RESOLUTION, _RESOLUTION_UNIT, _INCH = 0x011A, 0x011B, 0x0128, 2
POINTS_AN_INCH, MOST_POINTS = 72, 14_400
NORMAL_PX = 8
"""How high white lies above black in normals, in px of the picture."""
_RIM_PX, _MOST_UNROLLED_PX = 16, 32 * 1024 * 1024
_WEBP_EFFORT = 4
QUALITY = Value("quality", "Quality", "whole", 95, "More keeps more detail, in a larger JPEG.", low=1, high=100)


@dataclass(frozen=True)
class Credit:
    """Who made it, and under what licence; written into the file where it can be."""

    maker: str = ""
    licence: str = ""

    def __post_init__(self) -> None:
        for name in ("maker", "licence"):
            if len(getattr(self, name)) > 200 or any(ord(one) < 32 for one in getattr(self, name)):
                raise BadValue(name, getattr(self, name)[:40], "must be one line of at most 200 characters")


@dataclass(frozen=True)
class Outgoing:
    """A picture on its way out. pixels: uint16 (rows, columns, 4), premultiplied. ground: what is laid under it in
    files without alpha, `#rrggbb`; repeat: how it repeats, for what tells that."""

    pixels: Pixels
    ppi: float
    name: str = "picture"
    ground: str = "#ffffff"
    credit: Credit = Credit()
    repeat: Repeat = Repeat()
    eight: NDArray[np.uint8] | None = None
    """What 8-bit files hold, (rows, columns, 3), where that is known better: what is seen."""
    quality: int = int(QUALITY.default)
    """Of a JPEG, 1 to 100."""

    @property
    def opaque(self) -> bool:
        """Whether nothing of it is clear."""
        return bool((self.pixels[..., 3] == 65535).all())


def straight_16bit(pixels: Pixels) -> Pixels:
    """Premultiplied pixels as straight ones of the same shape; clear px are black."""
    alpha = pixels[..., 3:].astype(np.uint32)
    out = pixels.copy()
    some = np.maximum(alpha, 1)
    straight = (pixels[..., :3].astype(np.uint64) * 65535 + some // 2) // some
    out[..., :3] = np.minimum(straight, 65535)
    return out


def png_chunk(kind: bytes, data: bytes) -> bytes:
    """One chunk of a PNG, with its length and checksum."""
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def deep_png(pixels: Pixels, ppi: float | None = None, credit: Credit = Credit()) -> bytes:
    """A 16-bit PNG with sRGB and, where told, pHYs and text; RGB where nothing is clear, else straight RGBA."""
    straight = straight_16bit(pixels)
    opaque = bool((pixels[..., 3] == 65535).all())
    order = cv2.COLOR_RGBA2BGR if opaque else cv2.COLOR_RGBA2BGRA
    done, data = cv2.imencode(".png", cv2.cvtColor(straight, order), [cv2.IMWRITE_PNG_COMPRESSION, 3])
    assert done
    return _with_told(data.tobytes(), _told_by_png(ppi, credit))


def _with_told(octets: bytes, told: bytes) -> bytes:
    """A PNG with further chunks after its signature and IHDR."""
    header = 8 + 25
    return octets[:header] + told + octets[header:]


def png_head(width: int, height: int, bits: int, clear: bool, ppi: float | None, credit: Credit) -> bytes:
    """How a PNG of straight RGB, or RGBA where it is clear, begins: its signature, and all chunks before its px."""
    size = struct.pack(">IIBBBBB", width, height, bits, 6 if clear else 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + png_chunk(b"IHDR", size) + _told_by_png(ppi, credit)


def _told_by_png(ppi: float | None, credit: Credit, *, colours: bool = True) -> bytes:
    """The chunks before the px. colours: whether the px are colours; heights and normals are measures."""
    more = png_chunk(b"sRGB", PERCEPTUAL) if colours else b""
    if ppi:
        metre = round(ppi / MM_AN_INCH * 1000)
        more += png_chunk(b"pHYs", struct.pack(">IIB", metre, metre, 1))
    for key, text in (("Author", credit.maker), ("Copyright", credit.licence)):
        if text:
            more += png_chunk(b"iTXt", key.encode() + b"\0\0\0\0\0" + text.encode())
    return more


def _eight(out: Outgoing, *, clear: bool) -> NDArray[np.uint8]:
    if out.eight is not None:
        return out.eight
    if clear and not out.opaque:
        return straight_8bit(out.pixels)
    return flat_rgba8(out.pixels, _unit(out.ground))[..., :3]


def _unit(ground: str) -> tuple[float, float, float]:
    red, green, blue = (part / 255 for part in colour_to_rgb(ground))
    return red, green, blue


def _png(out: Outgoing) -> bytes:
    info = PngImagePlugin.PngInfo()
    info.add(b"sRGB", PERCEPTUAL)
    for key, text in (("Author", out.credit.maker), ("Copyright", out.credit.licence)):
        if text:
            info.add_itxt(key, text)
    file = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(_eight(out, clear=True))).save(
        file, "PNG", pnginfo=info, compress_level=4, dpi=(out.ppi, out.ppi)
    )
    return file.getvalue()


def _deep(out: Outgoing) -> bytes:
    return deep_png(out.pixels, out.ppi, out.credit)


def _tiff(out: Outgoing) -> bytes:
    import tifffile

    straight = straight_16bit(out.pixels)
    pixels = straight[..., :3] if out.opaque else straight
    more: dict[str, Any] = {} if out.opaque else {"extrasamples": ["unassalpha"]}
    file = io.BytesIO()
    tifffile.imwrite(
        file, np.ascontiguousarray(pixels), photometric="rgb", compression="zlib", resolution=(out.ppi, out.ppi),
        resolutionunit="inch", metadata=None, software="Orvix", extratags=tiff_tags(out.credit), **more,
    )  # fmt: skip
    return file.getvalue()


def tiff_tags(credit: Credit) -> list[tuple[int, str, int, bytes, bool]]:
    """Maker and licence as tifffile takes tags."""
    told = [(_ARTIST, "s", 0, credit.maker.encode(), True), (_COPYRIGHT, "s", 0, credit.licence.encode(), True)]
    return [one for one in told if one[3]]


def _exif(out: Outgoing) -> Image.Exif:
    exif = Image.Exif()
    for tag, text in ((_ARTIST, out.credit.maker), (_COPYRIGHT, out.credit.licence), (_SOFTWARE, "Orvix")):
        if text:
            exif[tag] = text.encode()  # as Exif 3.0 has it, in UTF-8
    return exif


def _webp(out: Outgoing) -> bytes:
    file = io.BytesIO()
    image = Image.fromarray(np.ascontiguousarray(_eight(out, clear=True)))
    image.save(file, "WEBP", lossless=True, method=_WEBP_EFFORT, exact=True, exif=_exif(out))
    return file.getvalue()


def _jpeg(out: Outgoing) -> bytes:
    file = io.BytesIO()
    image = Image.fromarray(np.ascontiguousarray(_eight(out, clear=False)))
    exif = _exif(out)
    exif[_X_RESOLUTION], exif[_Y_RESOLUTION], exif[_RESOLUTION_UNIT] = out.ppi, out.ppi, _INCH
    # JFIF knows whole numbers only; where it says none, readers take Exif's.
    jfif = {"dpi": (int(out.ppi), int(out.ppi))} if float(out.ppi).is_integer() and out.ppi <= 65_535 else {}
    image.save(file, "JPEG", quality=out.quality, subsampling=0, exif=exif, **jfif)
    return file.getvalue()


def _svg(out: Outgoing) -> bytes:
    """An SVG whose pattern lays the tile as it repeats, at its true size: staggered rows or columns are moved on.

    Renderers soften the borders of a picture that do not lie on whole px, which shows as hairlines where copies meet.
    So each copy has _RIM_PX of its neighbours around it, which lie under the next copy or beyond the pattern's border.
    Copies that are clear may not lie over each other: they are unrolled to one, where it is not too large.
    """
    tile, repeat = out.pixels, out.repeat
    width, height = repeat.unrolled_size(tile.shape[1], tile.shape[0])
    rim = _RIM_PX
    if not out.opaque and (width, height) != (tile.shape[1], tile.shape[0]):
        if width * height <= _MOST_UNROLLED_PX:
            tile, repeat = cloth(tile, repeat, 0, 0, height, width), Repeat("straight")
        else:
            rim = 0
    rows, columns = tile.shape[:2]
    (ax, ay), (bx, by) = repeat.basis(columns, rows)
    around = cloth(tile, repeat, -rim, -rim, rows + 2 * rim, columns + 2 * rim)
    picture = base64.b64encode(_png(replace(out, pixels=around))).decode()
    places = {
        ((i * ax + j * bx) % width, (i * ay + j * by) % height)
        for i in range(width // columns)
        for j in range(height // rows)
    }
    # A copy that runs over the pattern's border comes in again on its other side.
    shown = sorted(
        (x - over - rim, y - below - rim)
        for x, y in places
        for over in ((0, width) if x + columns > width else (0,))
        for below in ((0, height) if y + rows > height else (0,))
    )
    uses = "".join(f'<use href="#tile" x="{x}" y="{y}"/>' for x, y in shown)
    mm = [f"{3 * side / out.ppi * MM_AN_INCH:.3f}mm" for side in (width, height)]
    about = f"<title>{escape(out.name)}</title><desc>{escape(_line(out.credit))}</desc>"
    box = f"0 0 {3 * width} {3 * height}"
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{mm[0]}" height="{mm[1]}" viewBox="{box}">'
        f'{about}<defs><image id="tile" width="{columns + 2 * rim}" height="{rows + 2 * rim}" '
        f'href="data:image/png;base64,{picture}"/>'
        f'<pattern id="repeat" width="{width}" height="{height}" patternUnits="userSpaceOnUse">{uses}</pattern></defs>'
        f'<rect width="100%" height="100%" fill="url(#repeat)"/></svg>\n'
    ).encode()


def _line(credit: Credit) -> str:
    return ", ".join(text for text in (credit.maker, credit.licence) if text)


def _css(out: Outgoing) -> bytes:
    """A page that shows the tile as a style sheet's background, unrolled to straight, at its true size in mm."""
    from orvix.tiles.joining import unroll

    straight = Outgoing(unroll(out.pixels, out.repeat), out.ppi, out.name, out.ground, out.credit)
    rows, columns = straight.pixels.shape[:2]
    picture = base64.b64encode(_png(straight)).decode()
    size = f"{columns / out.ppi * MM_AN_INCH:.3f}mm {rows / out.ppi * MM_AN_INCH:.3f}mm"
    about = escape(" - ".join(text for text in (out.name, _line(out.credit)) if text))
    return (
        f'<!doctype html>\n<html lang="en"><meta charset="utf-8"><title>{about}</title>\n<style>\nhtml {{\n'
        f"  min-height: 100%;\n  background-color: {out.ground};\n  background-size: {size};\n"
        f'  background-image: url("data:image/png;base64,{picture}");\n}}\n</style></html>\n'
    ).encode()


def _pdf(out: Outgoing) -> bytes:
    """One page of the picture's true size."""
    from reportlab.lib.utils import ImageReader
    from reportlab.pdfgen.canvas import Canvas as Page

    rows, columns = out.pixels.shape[:2]
    size = columns / out.ppi * POINTS_AN_INCH, rows / out.ppi * POINTS_AN_INCH
    if max(size) > MOST_POINTS:
        raise BadValue("ppi", out.ppi, f"makes a page of {max(size) / POINTS_AN_INCH:.0f} inch; a PDF has at most 200")
    file = io.BytesIO()
    # A picture with alpha has a soft mask, which came with 1.4.
    page = Page(file, pagesize=size, invariant=True, pdfVersion=(1, 4))
    page.setTitle(out.name)
    page.setAuthor(out.credit.maker)
    page.setSubject(out.credit.licence)
    picture = Image.fromarray(np.ascontiguousarray(_eight(out, clear=True)))
    page.drawImage(ImageReader(picture), 0, 0, *size, mask="auto")
    page.save()
    return file.getvalue()


def _heights(out: Outgoing, around: int = 0) -> NDArray[np.float32]:
    """How light the picture is over its ground, 0 to 1, with so many px of what repeats around it."""
    rows, columns = out.pixels.shape[:2]
    px = cloth(out.pixels, out.repeat, -around, -around, rows + 2 * around, columns + 2 * around)
    rgb = flat_rgb(px, _unit(out.ground))
    return np.asarray(rgb @ np.array(LUMA, np.float32), np.float32)


def _height(out: Outgoing) -> bytes:
    """A grey PNG of 16 bits, one channel: light is high. It holds heights, not colours, so it has no sRGB chunk."""
    grey = (np.clip(_heights(out), 0, 1) * 65535 + np.float32(0.5)).astype(np.uint16)
    return _measures(grey, out)


def _measures(pixels: NDArray[Any], out: Outgoing) -> bytes:
    """Grey or RGB px that are no colours as a PNG."""
    order = pixels if pixels.ndim == 2 else cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR)
    done, data = cv2.imencode(".png", order, [cv2.IMWRITE_PNG_COMPRESSION, 3])
    assert done
    return _with_told(data.tobytes(), _told_by_png(out.ppi, out.credit, colours=False))


def _normal(out: Outgoing) -> bytes:
    """A PNG of 8 bits that holds the way each px faces: red right, green up, blue out, each (n + 1) / 2 x 255.

    n is across (-dh/dx, dh/dy, 1), h being `NORMAL_PX` px high from dark to light, by central differences that go on
    in the next repeat.
    """
    high = _heights(out, 1) * NORMAL_PX
    slope_x = (high[1:-1, 2:] - high[1:-1, :-2]) / 2
    slope_y = (high[2:, 1:-1] - high[:-2, 1:-1]) / 2
    normal = np.dstack([-slope_x, slope_y, np.ones_like(slope_x)])
    normal /= np.linalg.norm(normal, axis=2, keepdims=True)
    eight = ((normal + 1) / 2 * 255 + 0.5).astype(np.uint8)
    return _measures(eight, out)


@dataclass(frozen=True)
class OutFormat:
    """A format that a picture goes out in. clear: whether it can have clear px; repeats: whether it says how.

    suffix: what the names of its files end in, so that several of one picture lie side by side.
    """

    name: str
    title: str
    ending: str
    content_type: str
    write: Any
    clear: bool = True
    repeats: bool = False
    suffix: str = ""


OUT_FORMATS = {
    one.name: one
    for one in (
        OutFormat("png", "PNG, 8 bits", "png", "image/png", _png),
        OutFormat("png16", "PNG, 16 bits", "png", "image/png", _deep, suffix="-16bit"),
        OutFormat("tiff", "TIFF, 16 bits", "tif", "image/tiff", _tiff),
        OutFormat("webp", "WebP, lossless", "webp", "image/webp", _webp),
        OutFormat("jpeg", "JPEG", "jpg", "image/jpeg", _jpeg, clear=False),
        OutFormat("pdf", "PDF, true size", "pdf", "application/pdf", _pdf),
        OutFormat("height", "Height, grey 16 bits", "png", "image/png", _height, False, True, "-height"),
        OutFormat("normal", "Normals of a height", "png", "image/png", _normal, False, True, "-normals"),
        OutFormat("svg", "SVG pattern", "svg", "image/svg+xml", _svg, repeats=True),
        OutFormat("css", "Style sheet sample", "html", "text/html", _css, repeats=True),
    )
}


def trimmed(pixels: Pixels) -> Pixels:
    """What is not wholly clear of it; a picture that is all clear stays as it is."""
    rows, columns = (np.flatnonzero(pixels[..., 3].any(axis=axis)) for axis in (1, 0))
    if not len(rows):
        return pixels
    return np.ascontiguousarray(pixels[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1])


def at_height(pixels: Pixels, height: int) -> Pixels:
    """The picture at another height, its proportions kept: by area where smaller, else bicubic.

    Raises BadValue where a side would be none, or more than can be.
    """
    width = round(pixels.shape[1] * height / pixels.shape[0])
    if not (1 <= height <= MOST_SIDE and 1 <= width <= MOST_SIDE):
        raise BadValue("height", height, f"makes {width} x {height} px; sides must be 1 to {MOST_SIDE} px")
    if height == pixels.shape[0]:
        return pixels
    return resized(pixels, width, height)
