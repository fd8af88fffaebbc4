"""A brush with everything it needs at hand: the pictures of its tips and its grains, ready to paint."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from orvix.brushes.definition import Brush, Coat
from orvix.brushes.tips import TIPS, lettering
from orvix.brushes.tips.registry import Rgba
from orvix.colour.moving import moved_by
from orvix.errors import BadValue
from orvix.grains.field import prefiltered
from orvix.grains.tone import Tone, toned
from orvix.lettering.drawing import Drawn
from orvix.lettering.fonts import Font
from orvix.strokes.dabs import Dabs, PictureDabs, RoundDabs
from orvix.tiles.repeats import Repeat

Plane = NDArray[np.float32]
_KEPT_COLOURS = 8
_KEPT_SCALES = 4


@dataclass(frozen=True, eq=False)
class LoadedGrain:
    """A grain's plane, float32 (rows, columns); its repeat and resolution; and the tile's own colours, float32
    (rows, columns, 4), premultiplied, where a coat paints with them. kept: both as they were read last."""

    plane: Plane
    repeat: Repeat
    ppi: float | None = None
    colours: Rgba | None = None
    kept: dict[Any, Plane] = field(default_factory=dict)

    def filtered(self, scale_x: float, scale_y: float, *, colours: bool = False) -> Plane:
        """Its plane, or its colours, as they are read at a scale: see `orvix.grains.field.prefiltered`."""
        key = (colours, round(scale_x, 9), round(scale_y, 9))
        if key not in self.kept:
            source = self.colours if colours and self.colours is not None else self.plane
            self.kept[key] = prefiltered(source, self.repeat, scale_x, scale_y)
            for old in list(self.kept)[:-_KEPT_SCALES]:
                del self.kept[old]
        return self.kept[key]


@dataclass(frozen=True, eq=False)
class LoadedRibbon:
    """The pictures of a ribbon: its tile, and those of its start, end and corner where there are any."""

    tile: Rgba
    places: dict[str, Rgba] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class LoadedCoat:
    """A coat with its grain and the pictures of its tip, which a round or a drawn tip does not need.

    font: one's own, for a lettering tip. kept: what was made so far, which coats of the same pictures share.
    """

    coat: Coat
    grain: LoadedGrain | None = None
    pictures: tuple[Rgba, ...] = ()
    ribbon: LoadedRibbon | None = None
    font: Font | None = None
    kept: dict[Any, Any] = field(default_factory=dict)

    def dabs(self, paint: Plane) -> Dabs:
        """What lays this coat's dabs with a paint colour, (3,); raises BadValue for a tip without its pictures."""
        tip, values = self.coat.tip, self.coat.values
        kind = TIPS.get(tip.name)
        if kind.name == "round":
            return RoundDabs()
        if kind.name == "lettering":
            return self._lettering(paint)
        own, how = values["colour_from"] == "tip" and kind.draw is None, values["moved_by"]
        key = (own, how, tip.values.get("edges"), tuple(paint.tolist()) if own and how != "nothing" else None)
        if key not in self.kept:
            self.kept[key] = self._drawn(own, how, paint)
            for old in list(self.kept)[:-_KEPT_COLOURS]:
                del self.kept[old]
        return self.kept[key]

    def _drawn(self, own: bool, how: str, paint: Plane) -> Dabs:
        tip = self.coat.tip
        kind = TIPS.get(tip.name)
        if kind.draw is not None:
            plane = kind.draw(tip.values)
            return PictureDabs((np.repeat(plane[..., None], 4, axis=2),), crisp=True)
        if len(self.pictures) < max(len(tip.sources), 1):
            raise BadValue("tip", tip.sources[0] if tip.sources else None, "the picture of this tip is not at hand")
        pictures = tuple(moved_by(one, paint, how) for one in self.pictures) if own else self.pictures
        return PictureDabs(pictures, colours=own, crisp=tip.values.get("edges") == "crisp")

    def _lettering(self, paint: Plane) -> Dabs:
        """Lettering in one colour is a cover; with emoji in it letters take the paint colour, and those keep theirs."""
        found = self.text
        assert found is not None
        emoji = any(one.emoji for one in found.shaped.clusters)
        key = (*self._text_key, "dabs", tuple(paint.tolist()) if emoji else None)
        if key not in self.kept:
            pictures = found.pictures
            if emoji:
                ink = np.append(paint, np.float32(0))
                pictures = tuple(one + one[..., 3:] * ink * _is_black(one)[..., None] for one in pictures)
            self.kept[key] = PictureDabs(pictures, colours=emoji, longer=found.longer, advances=found.advances)
            for old in list(self.kept)[: -2 * _KEPT_COLOURS]:
                del self.kept[old]
        return self.kept[key]

    @property
    def _text_key(self) -> tuple[Any, ...]:
        values = self.coat.tip.values
        return ("text", id(self.font), *(str(values[name]) for name in sorted(values)))

    @property
    def text(self) -> Drawn | None:
        """Its text as it is set, for a lettering tip; raises BadValue where the font has nothing of it."""
        if self.coat.tip.name != "lettering":
            return None
        if self._text_key not in self.kept:
            self.kept[self._text_key] = lettering.drawn(self.coat.tip.values, self.font)
        return self.kept[self._text_key]

    def with_coat(self, coat: Coat) -> LoadedCoat:
        """The same pictures under a changed coat, whose tip and grain are the same."""
        return replace(self, coat=coat, kept=self.kept)


@dataclass(frozen=True, eq=False)
class LoadedBrush:
    """A brush whose coats can paint."""

    brush: Brush
    coats: tuple[LoadedCoat, ...]

    @classmethod
    def plain(cls, brush: Brush) -> LoadedBrush:
        """A brush whose coats need no pictures and no grains."""
        return cls(brush, tuple(LoadedCoat(coat) for coat in brush.coats))

    def with_brush(self, brush: Brush) -> LoadedBrush:
        """The same pictures under a brush with changed values, whose tips and grains are the same."""
        coats = zip(self.coats, brush.coats, strict=True)
        return LoadedBrush(brush, tuple(loaded.with_coat(coat) for loaded, coat in coats))


def _is_black(picture: Rgba) -> Plane:
    """Where a picture has paint but no colour: its letters."""
    return (picture[..., :3].max(axis=2) <= 0).astype(np.float32)


def goes_on(loaded: LoadedBrush) -> bool:
    """Whether the next stroke goes on with the text of this one."""
    tip = loaded.brush.coats[0].tip
    return tip.name == "lettering" and tip.values["begins"] == "go on"


class Pictures(Protocol):
    """Who reads what a brush names: a file, or the rows of an owner."""

    def tip(self, source: Any, values: Mapping[str, Any]) -> Rgba:
        """A picture as a tip, by `orvix.brushes.tips.picture.tip_picture`; raises BadValue."""

    def grain(self, source: Any) -> LoadedGrain:
        """A grain with its own tone; raises BadValue."""

    def tile(self, source: Any) -> Rgba:
        """A tile as it is: float32 (rows, columns, 4), premultiplied; raises BadValue."""

    def font(self, source: Any) -> Font:
        """A font of one's own; raises BadValue or UnreadableFile."""


def load_brush(brush: Brush, pictures: Pictures) -> LoadedBrush:
    """A checked brush with everything it names."""
    return LoadedBrush(brush, tuple(_load_coat(coat, pictures) for coat in brush.coats))


def _load_coat(coat: Coat, pictures: Pictures) -> LoadedCoat:
    grain, ribbon = None, None
    if coat.grain is not None:
        grain = pictures.grain(coat.grain.source)
        if coat.grain.tone != Tone():
            grain = replace(grain, plane=toned(grain.plane, coat.grain.tone), kept={})
    if coat.ribbon is not None:
        places = {name: pictures.tile(source) for name, source in coat.ribbon.pictures.items()}
        ribbon = LoadedRibbon(pictures.tile(coat.ribbon.source), places)
    if coat.tip.name == "lettering":
        font = pictures.font(coat.tip.sources[0]) if coat.tip.sources else None
        return LoadedCoat(coat, grain, (), ribbon, font)
    tips = tuple(pictures.tip(source, coat.tip.values) for source in coat.tip.sources)
    return LoadedCoat(coat, grain, tips, ribbon)
