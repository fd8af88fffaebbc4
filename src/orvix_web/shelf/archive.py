"""Rows as a file and back: a canvas with its whole history, or all that somebody owns.

Unlike a bundle, which holds what things are now, an archive holds how they came about: every operation of a canvas with
the versions of brushes, grains and tiles it used, its saved states, its blocks and what undoes them, all versions of
things, drafts and proofs. Brought in, they are the same to the bit, and go on: undone, redone, repainted.

Nothing is believed: every row is checked as what a painter makes is, blocks and samples are unpacked once, and numbers
of rows are given anew. What is here already, by when it was made and what it says, is not made again.
"""

from __future__ import annotations

import datetime
import hashlib
import io
import json
import re
import zipfile
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from django.contrib.auth.models import User
from django.db import Error as DatabaseError
from django.db import transaction
from django.utils.dateparse import parse_datetime
from zstandard import ZstdError

from orvix.errors import BadValue, OrvixError, UnreadableFile
from orvix.formats.zips import opened
from orvix_web.canvases.storage import load
from orvix_web.drafts.models import Draft, Step
from orvix_web.shelf.archive_checks import CHECKS
from orvix_web.shelf.archive_tables import CHILDREN, NAMES, TABLES, TEXTS, Table
from orvix_web.snapshots import one_moment

FORMAT, VERSION = "orvix-archive", "1.1"
MOST_ROWS = 2_000_000
MOST_OCTETS = 512 * 1024 * 1024
_NAMED = re.compile(r"(upload|drawn|tile|own):(\d{1,15})")
Rename = Callable[[str, int], int]


def renamed(value: Any, rename: Rename, names: Mapping[str, str] = NAMES) -> Any:
    """JSON with the numbers of the rows that it names replaced. rename: the new number, by table and old number."""
    if isinstance(value, dict):
        return {key: _renamed_part(key, inside, rename, names) for key, inside in value.items()}
    if isinstance(value, list):
        return [renamed(one, rename, names) for one in value]
    if isinstance(value, str) and (found := _NAMED.fullmatch(value)):
        return f"{found[1]}:{rename(TEXTS[found[1]], int(found[2]))}"
    return value


def _renamed_part(key: str, value: Any, rename: Rename, names: Mapping[str, str]) -> Any:
    if key in names and type(value) is int:
        return rename(names[key], value) if value else 0
    if key == "tiles" and isinstance(value, dict):
        return {str(rename("tile", int(one))): rename("tile_version", version) for one, version in value.items()}
    return renamed(value, rename, names)


# Out.


def archive_of(owner: User, canvases: Iterable[int] | None = None) -> bytes:
    """Canvases with all that their history needs, or all that somebody owns; raises BadValue where it is too much."""
    gathering = _Gathering(owner.pk)
    with one_moment():
        if canvases is None:
            for table in TABLES.values():
                for row in table.rows(owner.pk).iterator(64):
                    gathering.take_row(table, row)
        else:
            for pk in canvases:
                gathering.take("canvas", pk)
    return gathering.written()


class _Gathering:
    """Rows, each once, with what they name; their octets lie beside them, each once too."""

    def __init__(self, owner_id: int) -> None:
        self._owner_id = owner_id
        self._rows: dict[str, dict[int, dict[str, Any]]] = {name: {} for name in TABLES}
        self._octets: dict[str, bytes] = {}
        self._weight = 0

    def take(self, name: str, pk: int) -> int:
        """Take a row of the owner's and all that it names; what is not there is left out."""
        table = TABLES[name]
        if pk not in self._rows[name]:
            row = table.rows(self._owner_id).filter(pk=pk).first()
            if row is not None:
                self.take_row(table, row)
        return pk

    def take_row(self, table: Table, row: Any) -> None:
        if row.pk in self._rows[table.name]:
            return
        told: dict[str, Any] = {name: _plain(getattr(row, name)) for name in table.fields}
        told |= {name: self._blob(bytes(getattr(row, name) or b"")) for name in table.blobs}
        told |= {name: getattr(row, f"{name}_id") for name in table.refs}
        self._rows[table.name][row.pk] = told
        for name, other in table.refs.items():
            if told[name] is not None:
                self.take(other, told[name])
        for name in table.json:
            renamed(told[name], self.take, table.names)
        for child, rows in CHILDREN.get(table.name, {}).items():
            for one in rows(row):
                self.take_row(TABLES[child], one)

    def _blob(self, data: bytes) -> str:
        name = hashlib.sha256(data).hexdigest()
        if name not in self._octets:
            self._weight += len(data)
            if self._weight > MOST_OCTETS:
                raise BadValue("archive", f"over {MOST_OCTETS >> 20} MB", "export some canvases at a time instead")
            self._octets[name] = data
        return name

    def written(self) -> bytes:
        """The file."""
        told = {name: {str(pk): row for pk, row in rows.items()} for name, rows in self._rows.items() if rows}
        places, at = {}, 0
        for name, data in self._octets.items():
            places[name] = [at, len(data)]
            at += len(data)
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
            whole = {"format": FORMAT, "version": VERSION, "octets": places, "rows": told}
            file.writestr(_entry("archive.json"), json.dumps(whole, ensure_ascii=False))
            file.writestr(_entry("octets.bin"), b"".join(self._octets.values()), zipfile.ZIP_STORED)
        return out.getvalue()


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, datetime.datetime) else value


def _entry(name: str) -> zipfile.ZipInfo:
    return zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))  # a fixed time: the same rows are the same file


# In.


@dataclass
class Archive:
    """An archive that was read. rows: by table and number; octets: by their SHA-256."""

    name: str
    rows: dict[str, dict[int, dict[str, Any]]]
    octets: Callable[[str], bytes]

    def names(self) -> Iterator[tuple[str, str]]:
        """The kind and name of each thing in it."""
        for table in TABLES.values():
            if table.shelf:
                yield from ((table.shelf, row["name"]) for row in self.rows.get(table.name, {}).values())


def is_archive(data: bytes) -> bool:
    """Whether octets are those of an archive rather than of a bundle."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as file:
            return "archive.json" in file.namelist()
    except (zipfile.BadZipFile, ValueError, OSError):
        return False


def read(data: bytes, name: str = "archive.zip") -> Archive:
    """Read an archive and check its frame; rows are checked as they come in. Raises UnreadableFile."""
    with opened(data, name, "archive") as file:
        try:
            whole = json.loads(file.read("archive.json"))
        except (KeyError, ValueError, RecursionError) as error:
            raise UnreadableFile(f"{name}: archive.json is no JSON ({str(error)[:60]})") from error
        octets = memoryview(file.read("octets.bin"))
    if not isinstance(whole, Mapping) or whole.get("format") != FORMAT or not isinstance(whole.get("rows"), dict):
        raise UnreadableFile(f"{name}: archive.json must say format {FORMAT!r} and hold rows")
    if str(whole.get("version")).split(".")[0] != VERSION.split(".")[0]:
        raise UnreadableFile(f"{name}: version={str(whole.get('version'))[:12]}: this reads {VERSION.split('.')[0]}.x")
    octet_places = whole.get("octets")
    places = octet_places if isinstance(octet_places, dict) else {}

    def found(key: str) -> bytes:
        at = places.get(key)
        if not (isinstance(at, list) and len(at) == 2 and all(type(one) is int and one >= 0 for one in at)):
            raise UnreadableFile(f"{name}: octets {str(key)[:12]} are missing")
        data = bytes(octets[at[0] : at[0] + at[1]])
        if hashlib.sha256(data).hexdigest() != key:
            raise UnreadableFile(f"{name}: octets {str(key)[:12]} were changed on the way")
        return data

    return Archive(name, _rows_of(whole["rows"], name), found)


def _rows_of(told: Mapping[str, Any], name: str) -> dict[str, dict[int, dict[str, Any]]]:
    rows: dict[str, dict[int, dict[str, Any]]] = {}
    for label, listed in told.items():
        table = TABLES.get(label)
        if table is None:
            continue  # a kind of row that is not known here
        wanted = {*table.fields, *table.blobs, *table.refs}
        if not isinstance(listed, dict):
            raise UnreadableFile(f"{name}: {label} must be rows by their numbers")
        rows[label] = {}
        for pk, row in listed.items():
            row = {**table.later, **row} if isinstance(row, dict) else row
            if not pk.isdecimal() or len(pk) > 15 or not isinstance(row, dict) or set(row) != wanted:
                raise UnreadableFile(f"{name}: {label} {str(pk)[:20]}: must be a row with {', '.join(sorted(wanted))}")
            rows[label][int(pk)] = row
    if sum(map(len, rows.values())) > MOST_ROWS:
        raise UnreadableFile(f"{name}: holds more than {MOST_ROWS} rows")
    return rows


_BROKEN = (
    OrvixError, DatabaseError, ZstdError, KeyError, TypeError, ValueError, AttributeError, ArithmeticError,
    RecursionError,
)  # fmt: skip
"""What goes wrong in a file that says what no painter's row says."""


@dataclass
class Restored:
    """What came in. made: things by their table; here: how many were here already."""

    made: list[tuple[str, Any]] = field(default_factory=list)
    here: int = 0
    numbers: dict[tuple[str, int], int] = field(default_factory=dict)


def restore(owner: User, archive: Archive) -> Restored:
    """Make all of an archive that is not here yet, or nothing; raises UnreadableFile."""
    bringing = _Bringing(owner.pk, archive)
    with transaction.atomic():
        try:
            bringing.everything()
        except UnreadableFile:
            raise
        except _BROKEN as error:
            raise UnreadableFile(f"{archive.name}: {bringing.at}: {str(error)[:200]}") from error
    return bringing.out


class _Bringing:
    """Rows on their way in, each made when it is first named."""

    def __init__(self, owner_id: int, archive: Archive) -> None:
        self._owner_id = owner_id
        self._archive = archive
        self._going: set[tuple[str, int]] = set()
        self._names: dict[str, set[str]] = {}
        self.out = Restored()
        self.at = "archive"

    def everything(self) -> None:
        """All things, with what belongs to them; other rows come in where they are named."""
        for table in TABLES.values():
            if table.root:
                for pk in self._archive.rows.get(table.name, {}):
                    self.number(table.name, pk)
        self._drafts()

    def number(self, name: str, old: int) -> int:
        """The number here of a row of the archive; 0 for what the archive does not hold."""
        key = (name, old)
        if key in self.out.numbers:
            return self.out.numbers[key]
        row = self._archive.rows.get(name, {}).get(old)
        if row is None:
            return 0
        if key in self._going:
            raise UnreadableFile(f"{self._archive.name}: {name} {old}: is made of itself")
        table = TABLES[name]
        if table.part_of:
            # Versions come in with their thing, in their order.
            self.number(table.refs[table.part_of], row[table.part_of])
            if key not in self.out.numbers:
                raise UnreadableFile(f"{self._archive.name}: {name} {old}: is made of itself")
            return self.out.numbers[key]
        self._going.add(key)
        if not self._known(table, old, row):
            made = self._make(table, old, row)
            if table.shelf:
                self.out.made.append((table.shelf, made))
            for child in table.parts:
                self._make_parts(TABLES[child], old)
            if table.name == "canvas":
                # Its stored blocks and its log agree, and what is after them can be done again.
                held = load(made).held_back
                if held is not None:
                    raise BadValue("operation", held.number, f"cannot be done again ({held.reason})")
        self._going.discard(key)
        return self.out.numbers[key]

    def _make_parts(self, table: Table, old: int) -> None:
        rows = self._archive.rows.get(table.name, {})
        mine = [(pk, row) for pk, row in rows.items() if row[table.part_of] == old]
        for pk, row in sorted(mine, key=lambda one: (one[1].get("number", 0), one[0])):
            self._make(table, pk, row)
            for child in table.parts:
                self._make_parts(TABLES[child], pk)

    def _make(self, table: Table, old: int, row: Mapping[str, Any]) -> Any:
        self.at = f"{table.name} {old}"
        told = {name: row[name] for name in table.fields}
        told |= {name: renamed(told[name], self.number, table.names) for name in table.json}
        told |= {name: self._archive.octets(row[name]) for name in table.blobs}
        times = {name: parse_datetime(told.pop(name) or "") for name in table.times}
        if "name" in told and table.shelf:
            told["name"] = self._free(table, told["name"])
        CHECKS[table.name](told, self._owner_id)
        told |= {name: None for name in table.empty_is_none if not told[name]}
        if any(times[name] is None for name in table.times if name != "trashed"):
            raise BadValue("created", str(row["created"])[:40], "must be a date and a time")
        refs = {f"{name}_id": self._ref(other, row[name]) for name, other in table.refs.items()}
        made = table.model(**told, **refs, **({"owner_id": self._owner_id} if table.owned else {}))
        made.save(force_insert=True)
        table.model.objects.filter(pk=made.pk).update(**times)
        self.out.numbers[table.name, old] = made.pk
        if table.after is not None:
            table.after(made)
        return made

    def _ref(self, name: str, old: int | None) -> int | None:
        return None if old is None else self.number(name, old) or None

    def _free(self, table: Table, name: str) -> str:
        if table.name not in self._names:
            self._names[table.name] = set(table.rows(self._owner_id).values_list("name", flat=True))
        taken, number, out = self._names[table.name], 1, str(name)
        while out in taken:
            number += 1
            out = f"{str(name)[:112]} {number}"
        taken.add(out)
        return out

    def _known(self, table: Table, old: int, row: Mapping[str, Any]) -> bool:
        """Whether a thing is here already, with all of its versions that the archive holds: then those are named."""
        if not table.shelf:
            return False
        found = table.rows(self._owner_id).filter(created=parse_datetime(row["created"] or "")).first()
        if found is None or not _same(table, row, found, self._archive):
            return False
        numbers = {(table.name, old): found.pk}
        for child in table.versions:
            part = TABLES[child]
            for pk, version in self._archive.rows.get(child, {}).items():
                if version[part.part_of] != old:
                    continue
                at = {f"{part.part_of}_id": found.pk, "number": version["number"]}
                here = part.model.objects.filter(**at).first()
                if here is None or not _same(part, version, here, self._archive):
                    return False
                numbers[child, pk] = here.pk
        self.out.numbers |= numbers
        self.out.here += 1
        return True

    def _drafts(self) -> None:
        """Changes that were not saved, of things that came in."""
        made = {(kind, thing.pk) for kind, thing in self.out.made}
        for old, row in self._archive.rows.get("draft", {}).items():
            number = self.number(row["kind"], row["number"]) if row["kind"] in TABLES else 0
            if (row["kind"], number) not in made:
                continue
            self.at = f"draft {old}"
            told = {"kind": row["kind"], "number": number, "at": row["at"], "revision": row["revision"]}
            value = None if row["value"] is None else renamed(row["value"], self.number)
            draft = Draft.objects.create(owner_id=self._owner_id, value=value, **told)
            steps = (one for one in self._archive.rows.get("draft_step", {}).values() if one["draft"] == old)
            for one in steps:
                Step.objects.create(draft=draft, number=one["number"], value=renamed(one["value"], self.number))


def _same(table: Table, row: Mapping[str, Any], here: Any, archive: Archive) -> bool:
    """Whether a row here says what one of an archive says, apart from names and the numbers of other rows."""

    def nobody(name: str, number: int) -> int:
        return 0

    for name in table.says:
        ours, theirs = _plain(getattr(here, name)), row[name]
        if name in table.blobs:
            if bytes(getattr(here, name) or b"") != archive.octets(theirs):
                return False
        elif renamed(ours, nobody) != renamed(theirs, nobody):
            return False
    return True


def only_canvas(restored: Restored) -> Any:
    """The canvas of an archive of one: made now, or here already."""
    found = [pk for (table, _), pk in restored.numbers.items() if table == "canvas"]
    if len(found) != 1:
        raise UnreadableFile("archive: must hold one canvas")
    return TABLES["canvas"].model.objects.get(pk=found[0])


def things_of(archive: Archive) -> list[tuple[str, str]]:
    """The kind and name of each thing that an archive holds, for a page to list."""
    return sorted(archive.names())
