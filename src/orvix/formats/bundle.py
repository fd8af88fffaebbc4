"""Bundles: a painter's things in one zip, with what they are made from; documented in docs/formats/bundle.md.

`bundle.json` lists the things, each with an id of its own within the bundle; one that is made from another names it. A
tile is a recipe, or a picture beside it; a canvas is an OpenRaster file beside it, files from outside and the pictures
of surfaces lie there as they came. Each thing has a digest of all that it is, name and tags left out: so that what is
there already is known, and what was changed on the way is refused.
"""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.brushes.definition import Brush
from orvix.canvases.outlines import Outline
from orvix.colour.palettes import check_palette
from orvix.errors import BadValue, OrvixError, UnreadableFile, UnreadablePicture
from orvix.formats import openraster
from orvix.formats.pictures_out import deep_png
from orvix.formats.zips import opened
from orvix.grains.tone import Tone
from orvix.pictures import read_picture
from orvix.proofs.own import Laying, check_layer
from orvix.tiles.joining import Joining
from orvix.tiles.motifs.svg import is_svg, read_svg
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat, parse_fraction

FORMAT, VERSION = "orvix-bundle", "1.2"
KINDS = ("tile", "grain", "brush", "canvas", "palette", "paths", "motif", "surface")
"""In the order in which they are made of one another."""
MOST_THINGS = 2000
_SCALES = (1 / 64, 64)
_COMMON = ("id", "kind", "name", "tags", "set", "digest", "credit", "description")
_OWN = {
    "tile": ("recipe", "picture", "repeat", "stagger", "closes"),
    "grain": ("of", "tone", "scale"),
    "brush": ("brush",),
    "canvas": ("file", "history", "joined", "repeat", "stagger", "neighbours"),
    "palette": ("colours",),
    "paths": ("pieces",),
    "motif": ("file",),
    "surface": ("picture", "mask", "shade", "laying"),
}
_FILES = {"canvas": ("file", "history"), "motif": ("file",), "surface": ("picture", "mask", "shade")}
"""The parts of a thing that name files beside bundle.json, which are kept as they are."""
_PLACES = {("canvas", "file"): "canvases/{id}.ora", ("canvas", "history"): "histories/{id}.zip"}
MOST_UNKNOWN = 64 * 1024
"""So many characters of what is not known of a thing are kept with it."""
Named = Callable[[str], str]


@dataclass(frozen=True)
class Thing:
    """One thing of a bundle. told: what it is, as bundle.json has it; pixels: of a tile that is a picture, uint16
    (rows, columns, 4), premultiplied; files: by the part that names them; unknown: parts of it that are not known."""

    id: str
    kind: str
    name: str
    told: Mapping[str, Any]
    tags: str = ""
    set_name: str = ""
    credit: str = ""
    description: str = ""
    pixels: NDArray[np.uint16] | None = None
    digest: str = ""
    files: Mapping[str, bytes] = field(default_factory=dict)
    unknown: Mapping[str, Any] = field(default_factory=dict)


@dataclass
class Bundle:
    """Things, each after what it is made from, and what of the file is not known here, in words."""

    things: list[Thing]
    notes: list[str] = field(default_factory=list)


def digest_of(one: Thing, named: Named) -> str:
    """What a thing is, as SHA-256: all it is made of, not what it is called. named: the digest of another by its id."""
    return hashlib.sha256(json.dumps([one.kind, _DIGESTS[one.kind](one, named)], sort_keys=True).encode()).hexdigest()


def _digest_tile(one: Thing, named: Named) -> dict[str, Any]:
    what = {name: one.told[name] for name in ("repeat", "stagger", "closes") if name in one.told}
    if "recipe" in one.told:
        what["recipe"] = Recipe.parse(one.told["recipe"]).as_dict()
    pixels = one.pixels
    inside = hashlib.sha256(b"" if pixels is None else np.ascontiguousarray(pixels).tobytes()).hexdigest()
    return what | {"pixels": inside, "size": None if pixels is None else list(pixels.shape[:2])}


def _digest_grain(one: Thing, named: Named) -> dict[str, Any]:
    tone = Tone.parse(one.told.get("tone", {})).as_dict()
    return {"of": named(one.told["of"]), "tone": tone, "scale": one.told.get("scale")}


def _digest_brush(one: Thing, named: Named) -> dict[str, Any]:
    brush = Brush.parse(one.told["brush"]).renamed(lambda _, source: _named_source(source, named))
    return {"brush": brush.as_dict() | {"name": ""}}


def _digest_files(one: Thing, named: Named) -> dict[str, Any]:
    what = {name: one.told[name] for name in _OWN[one.kind] if name in one.told and name not in _FILES[one.kind]}
    if "laying" in what:
        what["laying"] = Laying.parse(what["laying"]).as_dict()
    # How a canvas came about is not what it is; its history has digests of its own.
    return what | {part: hashlib.sha256(data).hexdigest() for part, data in one.files.items() if part != "history"}


_DIGESTS: dict[str, Callable[[Thing, Named], dict[str, Any]]] = {
    "tile": _digest_tile,
    "grain": _digest_grain,
    "brush": _digest_brush,
    "canvas": _digest_files,
    "palette": lambda one, named: {"colours": [list(row) for row in check_palette(one.told["colours"])]},
    "paths": lambda one, named: Outline.parse({"pieces": one.told["pieces"]}).as_dict(),
    "motif": _digest_files,
    "surface": _digest_files,
}


def _named_source(source: Any, named: Named) -> Any:
    return {"thing": named(source["thing"])} if isinstance(source, Mapping) and "thing" in source else source


def with_digests(things: Sequence[Thing]) -> list[Thing]:
    """The same things with their digests; each must come after what it is made from."""
    found: dict[str, str] = {}
    out = []
    for one in things:
        found[one.id] = digest_of(one, found.__getitem__)
        out.append(replace(one, digest=found[one.id]))
    return out


# Out.


def write(things: Sequence[Thing]) -> bytes:
    """A bundle as a zip; each thing must come after what it is made from. Raises BadValue for too many."""
    if len(things) > MOST_THINGS:
        raise BadValue("things", len(things), f"a bundle holds at most {MOST_THINGS}")
    listed = []
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        for one in with_digests(things):
            told: dict[str, Any] = {"id": one.id, "kind": one.kind, "name": one.name}
            words = {"tags": one.tags, "set": one.set_name, "credit": one.credit, "description": one.description}
            told |= {name: text for name, text in words.items() if text}
            if one.pixels is not None:
                told["picture"] = f"pictures/{one.id}.png"
                file.writestr(_entry(told["picture"]), deep_png(one.pixels))
            for part, data in one.files.items():
                told[part] = _PLACES.get((one.kind, part), "files/{id}-{part}").format(id=one.id, part=part)
                file.writestr(_entry(told[part]), data)
            listed.append({**one.unknown, **told, **one.told, "digest": one.digest})
        whole = {"format": FORMAT, "version": VERSION, "things": listed}
        file.writestr(_entry("bundle.json"), json.dumps(whole, indent=1, ensure_ascii=False))
    return out.getvalue()


def _entry(name: str) -> zipfile.ZipInfo:
    # A fixed time, so that the same things are the same file.
    info = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
    info.compress_type = (
        zipfile.ZIP_STORED
        if name.startswith(("pictures/", "canvases/", "histories/", "files/"))
        else zipfile.ZIP_DEFLATED
    )
    return info


# In.


def read(data: bytes, name: str = "bundle.zip") -> Bundle:
    """Read and check a whole bundle; raises UnreadableFile naming the file, the thing and the rule. Nothing is made."""
    with opened(data, name, "a bundle") as file:
        return _read_things(file, name)


def _read_things(file: zipfile.ZipFile, name: str) -> Bundle:
    text = file.read("bundle.json")
    if len(text) > 16 << 20:
        raise UnreadableFile(f"{name}: bundle.json has {len(text)} bytes; at most {16 << 20} are read")
    try:
        whole = json.loads(text)
    except (json.JSONDecodeError, UnicodeDecodeError, RecursionError) as error:
        raise UnreadableFile(f"{name}: bundle.json is no JSON ({str(error)[:60]})") from error
    if not isinstance(whole, Mapping) or whole.get("format") != FORMAT or not isinstance(whole.get("things"), list):
        raise UnreadableFile(f"{name}: bundle.json must say format {FORMAT!r} and list things")
    version = str(whole.get("version"))[:12]
    if version.split(".")[0] != VERSION.split(".")[0]:
        raise UnreadableFile(f"{name}: version={version}: this reads {VERSION.split('.')[0]}.x")
    if not 1 <= len(whole["things"]) <= MOST_THINGS:
        raise UnreadableFile(f"{name}: {len(whole['things'])} things; 1 to {MOST_THINGS} are read")
    found: dict[str, Thing] = {}
    bundle = Bundle(
        [],
        [f"{part}: not supported, skipped" for part in sorted(set(whole) - {"format", "version", "things"})],
    )
    for told in whole["things"]:
        try:
            thing = _read_thing(file, told, found, bundle.notes)
        except UnreadableFile:
            raise
        except (OrvixError, KeyError) as error:
            label = told.get("id") if isinstance(told, Mapping) else told
            raise UnreadableFile(f"{name}: {str(label)[:40]}: {error}") from error
        if thing is not None:
            found[thing.id] = thing
            bundle.things.append(thing)
    return bundle


def _read_thing(file: zipfile.ZipFile, told: Any, found: Mapping[str, Thing], notes: list[str]) -> Thing | None:
    if not isinstance(told, Mapping):
        raise BadValue("thing", str(told)[:40], "must be an object")
    number, kind = told.get("id"), told.get("kind")
    if not isinstance(number, str) or not 1 <= len(number) <= 60 or number in found:
        raise BadValue("id", str(number)[:40], "must be 1 to 60 characters, of one thing only")
    if kind not in KINDS:
        notes.append(f"{number}: {str(kind)[:30]} is not supported, skipped")
        return None
    words = {}
    for part, most in (("name", 120), ("tags", 400), ("set", 60), ("credit", 400), ("description", 2000)):
        words[part] = told.get(part, "")
        if not isinstance(words[part], str) or len(words[part]) > most or (part == "name" and not words[part].strip()):
            raise BadValue(part, str(words[part])[:40], f"must be text of at most {most} characters")
    own = {part: told[part] for part in _OWN[kind] if part in told}
    unknown = {part: told[part] for part in sorted(set(told) - set(_COMMON) - set(_OWN[kind]))}
    if len(json.dumps(unknown)) > MOST_UNKNOWN:
        raise BadValue("unknown parts", len(json.dumps(unknown)), f"must be at most {MOST_UNKNOWN} characters")
    notes += [f"{number}: {part} is not supported, saved with the item" for part in unknown]
    found_there = _CHECKS[kind](file, own, found)
    for part in ("picture", *_FILES.get(kind, ())):
        own.pop(part, None)
    one = Thing(
        number, kind, words["name"].strip(), own, words["tags"], words["set"], words["credit"], words["description"],
        pixels=found_there if kind == "tile" else None, files=found_there if kind in _FILES else {}, unknown=unknown,
    )  # fmt: skip
    digest = digest_of(one, lambda other: found[other].digest)
    if told.get("digest") not in (None, digest):
        raise BadValue("digest", str(told["digest"])[:20], "is not that of what is in it: it was changed on the way")
    return replace(one, digest=digest)


def _check_tile(file: zipfile.ZipFile, own: dict[str, Any], found: Mapping[str, Thing]) -> NDArray[np.uint16] | None:
    if ("recipe" in own) == ("picture" in own):
        raise BadValue("tile", sorted(own), "must have a recipe or a picture, one of the two")
    if "recipe" in own:
        recipe = Recipe.parse(own["recipe"])
        if recipe.source.kind == "given":
            raise BadValue("recipe", recipe.source.name, "must need nothing from outside: give a picture instead")
        return None
    Repeat.parse(own.get("repeat", "straight"), own.get("stagger"))
    picture = own["picture"]
    if not isinstance(picture, str):
        raise BadValue("picture", str(picture)[:40], "must be the name of a file in the bundle")
    try:
        return read_picture(file.read(picture), picture)
    except UnreadablePicture as error:
        raise BadValue("picture", picture[:40], str(error)) from error


def _check_grain(file: zipfile.ZipFile, own: dict[str, Any], found: Mapping[str, Thing]) -> None:
    _made_of(own.get("of"), "tile", found)
    Tone.parse(own.get("tone", {}))
    parse_fraction("scale", own.get("scale", "1/2"), *_SCALES)


def _check_brush(file: zipfile.ZipFile, own: dict[str, Any], found: Mapping[str, Thing]) -> None:
    for _, what, source in Brush.parse(own.get("brush")).sources():
        if what == "font":
            if not isinstance(source, Mapping) or not isinstance(source.get("font"), str):
                raise BadValue("font", sorted(source) if isinstance(source, Mapping) else source, "must be inside")
            continue
        named = source.get("thing") if isinstance(source, Mapping) else None
        _made_of(named, "grain" if what == "grain" else "tile", found)


def _file(file: zipfile.ZipFile, own: Mapping[str, Any], part: str) -> bytes:
    name = own.get(part)
    if not isinstance(name, str):
        raise BadValue(part, str(name)[:40], "must be the name of a file in the bundle")
    return file.read(name)


def _check_canvas(file: zipfile.ZipFile, own: dict[str, Any], found: Mapping[str, Thing]) -> dict[str, bytes]:
    data = _file(file, own, "file")
    if type(own.get("joined", False)) is not bool:
        raise BadValue("joined", str(own["joined"])[:40], "must be true or false")
    joining = Joining.parse(own.get("repeat", "straight"), own.get("stagger"), own.get("neighbours", "plain"))
    told = openraster.read(data, str(own["file"]))
    if own.get("joined"):
        joining.check(told.width, told.height)
    return {"file": data} | ({"history": _file(file, own, "history")} if "history" in own else {})


def _check_motif(file: zipfile.ZipFile, own: dict[str, Any], found: Mapping[str, Thing]) -> dict[str, bytes]:
    data, name = _file(file, own, "file"), str(own["file"])[:60]
    if is_svg(data, ""):
        read_svg(data, name)
    else:
        read_picture(data, name)
    return {"file": data}


def _check_surface(file: zipfile.ZipFile, own: dict[str, Any], found: Mapping[str, Thing]) -> dict[str, bytes]:
    Laying.parse(own.get("laying"))
    files = {part: _file(file, own, part) for part in _FILES["surface"] if part in own or part == "picture"}
    sizes = {part: read_picture(data, str(own[part])[:60]).shape[:2] for part, data in files.items()}
    for part, size in sizes.items():
        check_layer(part, size, sizes["picture"])
    return files


def _check_palette(file: zipfile.ZipFile, own: dict[str, Any], found: Mapping[str, Thing]) -> None:
    check_palette(own.get("colours"))


def _check_paths(file: zipfile.ZipFile, own: dict[str, Any], found: Mapping[str, Thing]) -> None:
    Outline.parse({"pieces": own.get("pieces")})


def _made_of(number: Any, kind: str, found: Mapping[str, Thing]) -> None:
    """Raise BadValue where a thing is not made of one of that kind that came before it: so there are no loops."""
    other = found.get(number) if isinstance(number, str) else None
    if other is None or other.kind != kind:
        raise BadValue("made of", str(number)[:40], f"must be a {kind} that stands before it in the bundle")


_CHECKS: dict[str, Callable[[zipfile.ZipFile, dict[str, Any], Mapping[str, Thing]], Any]] = {
    "tile": _check_tile,
    "grain": _check_grain,
    "brush": _check_brush,
    "canvas": _check_canvas,
    "palette": _check_palette,
    "paths": _check_paths,
    "motif": _check_motif,
    "surface": _check_surface,
}
