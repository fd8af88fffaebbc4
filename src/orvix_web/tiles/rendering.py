"""Pixels of kept tiles and grains, the last ones held in memory. Every look-up names the owner."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from fractions import Fraction
from threading import Lock
from typing import Any, TypeVar

import numpy as np
import zstandard
from numpy.typing import NDArray

from orvix.errors import UnreadablePicture
from orvix.grains.tone import Tone, grain_plane
from orvix.pictures import read_picture
from orvix.progress import UNWATCHED, Watch
from orvix.strokes.loaded import LoadedGrain
from orvix.tiles.motifs.svg import Svg, read_svg
from orvix.tiles.recipe import KeptStates, Recipe
from orvix.tiles.repeats import Repeat
from orvix.tiles.sources.registry import Drawn, Outside, Vouch
from orvix.tiles.state import TileState
from orvix_web.tiles.models import GrainVersion, Snapshot, TileVersion, Upload

Thing = TypeVar("Thing")
Pixels = NDArray[np.uint16]


class Recent:
    """The last few results of costly look-ups, by key, shared by all threads.

    octets: with `weigh`, so much is held at most, and the last one whatever it weighs.
    """

    def __init__(self, most: int, octets: int = 0, weigh: Callable[[Any], int] = lambda one: 0) -> None:
        self._most, self._octets, self._weigh = most, octets, weigh
        self._held: OrderedDict[Any, Any] = OrderedDict()
        self._making: dict[Any, Lock] = {}
        self._lock = Lock()

    def get(self, key: Any, make: Callable[[], Thing]) -> Thing:
        """The thing of that key, made if it is not held; who asks for it while it is being made waits for it."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return self._held[key]
            making = self._making.setdefault(key, Lock())
        with making:
            with self._lock:
                if key in self._held:
                    return self._held[key]
            try:
                made = make()
            finally:
                with self._lock:
                    self._making.pop(key, None)
            with self._lock:
                self._held[key] = made
                while len(self._held) > self._most or self._too_heavy():
                    self._held.popitem(last=False)
            return made

    def _too_heavy(self) -> bool:
        return len(self._held) > 1 and sum(map(self._weigh, self._held.values())) > self._octets > 0


STATES = KeptStates(640 * 1024 * 1024)
"""States of tiles on their way through recipes, so that only what comes after a change runs again."""

_STORED = Recent(2)
_GRAINS = Recent(12)
_UPLOADS = Recent(4)
_DRAWINGS = Recent(6)
_DRAWN_FILES = Recent(60)


def upload_reader(owner_id: int) -> Callable[[str], Pixels]:
    """A reader of this owner's pictures: uploads by the name `upload:ID`, drawings by `drawn:ID`, versions of
    tiles by `tile:ID`."""

    def read(name: str) -> Pixels:
        kind, number = _named(name)
        if kind == "drawn":
            snapshot = Snapshot.objects.filter(owner_id=owner_id, pk=number).first()
            if snapshot is not None:
                size = snapshot.height, snapshot.width
                return _DRAWINGS.get(snapshot.pk, lambda: unpack_pixels(bytes(snapshot.pixels), *size))
        if kind == "tile":
            version = TileVersion.objects.select_related("tile").filter(tile__owner_id=owner_id, pk=number).first()
            if version is not None:
                return tile_pixels(version)
        upload = Upload.objects.filter(owner_id=owner_id, pk=number).first() if kind == "upload" else None
        if upload is None:
            raise UnreadablePicture("This picture no longer exists. Choose another one.")
        return _UPLOADS.get(upload.pk, lambda: read_picture(bytes(upload.data), upload.name, convert=upload.convert))

    return read


def snapshot_source(owner_id: int, pixels: Pixels, repeat: str, stagger: str, closes: bool) -> dict[str, Any]:
    """The source of a recipe that is these pixels, kept for good; closes: whether that is proven."""
    height, width = pixels.shape[:2]
    snapshot = Snapshot.objects.create(
        owner_id=owner_id,
        width=width,
        height=height,
        repeat=repeat,
        stagger=stagger,
        closes=closes,
        pixels=pack_pixels(pixels),
    )
    return {"name": "drawn", "values": {"file": f"drawn:{snapshot.pk}"}}


def _named(name: str) -> tuple[str, int]:
    kind, _, number = name.partition(":")
    if kind not in ("upload", "drawn", "tile") or not (number.isascii() and number.isdigit()) or len(number) > 12:
        raise UnreadablePicture(f"file={name[:80]!r}: must name one of your pictures, as upload:1")
    return kind, int(number)


def outside_of(owner_id: int) -> Outside:
    """What this owner's recipes may ask for besides pictures."""
    return Outside(drawing_voucher(owner_id), svg_reader(owner_id))


def svg_reader(owner_id: int) -> Callable[[str], Svg]:
    """A reader of the drawings (SVG) that this owner has uploaded, by the name `upload:ID`."""

    def read(name: str) -> Svg:
        kind, number = _named(name)
        upload = Upload.objects.filter(owner_id=owner_id, pk=number).first() if kind == "upload" else None
        if upload is None:
            raise UnreadablePicture("This picture no longer exists.")
        return _DRAWN_FILES.get(upload.pk, lambda: read_svg(bytes(upload.data), upload.name))

    return read


def drawing_voucher(owner_id: int) -> Vouch:
    """What vouches for this owner's drawings: those that were proven to close when they were published."""

    def vouch(name: str) -> Drawn | None:
        kind, number = _named(name)
        found = Snapshot.objects.filter(owner_id=owner_id, pk=number, closes=True) if kind == "drawn" else None
        told = found.values_list("width", "height", "repeat", "stagger").first() if found is not None else None
        return (told[0], told[1], Repeat(told[2], Fraction(told[3]))) if told else None

    return vouch


def rendered(owner_id: int, recipe: Recipe, watch: Watch = UNWATCHED) -> TileState:
    """A recipe's tile, with the uploads of its owner; states on the way are kept."""
    return recipe.run(upload_reader(owner_id), watch, OwnStates(owner_id), outside_of(owner_id))


class OwnStates(KeptStates):
    """One owner's view of the kept states: names of uploads mean something for their owner only."""

    def __init__(self, owner_id: int) -> None:
        self._owner = owner_id

    def get(self, key: str) -> TileState | None:
        """The state of that key, where it is still held."""
        return STATES.get(f"{self._owner} {key}")

    def put(self, key: str, state: TileState) -> None:
        """Hold a state; the longest unused ones go."""
        STATES.put(f"{self._owner} {key}", state)


def tile_state(version: TileVersion) -> TileState:
    """A kept tile with its repeat. The caller has checked whose it is."""
    recipe = Recipe.parse(version.recipe)
    if version.stored is None:
        return rendered(version.tile.owner_id, recipe)
    width, height, repeat = recipe.shape

    stored = bytes(version.stored)

    def load() -> TileState:
        proven = version.readings["seam"]["by_construction"]
        return TileState(unpack_pixels(stored, height, width), repeat, proven)

    return _STORED.get(version.pk, load)


def pack_pixels(pixels: Pixels) -> bytes:
    """Pixels as the database holds them: high octets, then low ones, compressed."""
    octets = np.ascontiguousarray(pixels.astype("<u2")).view(np.uint8).reshape(-1, 2)
    return zstandard.ZstdCompressor(level=3, threads=2).compress(np.ascontiguousarray(octets.T).tobytes())


def unpack_pixels(data: bytes, height: int, width: int) -> Pixels:
    """The reverse of `pack_pixels`."""
    octets = np.frombuffer(zstandard.ZstdDecompressor().decompress(data), np.uint8).reshape(2, -1)
    pixels = np.ascontiguousarray(octets.T).view("<u2").reshape(height, width, 4)
    pixels.setflags(write=False)
    return pixels


def tile_pixels(version: TileVersion) -> Pixels:
    """The pixels of a kept tile: uint16 (rows, columns, 4). The caller has checked whose it is."""
    return tile_state(version).pixels


def loaded_grain(version: GrainVersion) -> LoadedGrain:
    """A kept grain, ready to paint with. The caller has checked whose it is."""

    def load() -> LoadedGrain:
        state = tile_state(version.tile_version)
        colours = state.pixels.astype(np.float32) / np.float32(65535)
        return LoadedGrain(grain_plane(state.pixels, Tone.parse(version.tone)), state.repeat, colours=colours)

    return _GRAINS.get(version.pk, load)
