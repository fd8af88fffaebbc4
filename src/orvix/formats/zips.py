"""What every zip from outside is checked for before anything in it is read. Nothing of one is ever written to disk."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager

from orvix.errors import UnreadableFile, UnreadablePicture

MOST_BYTES = 512 * 1024 * 1024
MOST_ENTRIES = 1000
MOST_RATIO = 400
_SMALL = 1 << 20


@contextmanager
def opened(data: bytes, name: str, what: str) -> Iterator[zipfile.ZipFile]:
    """A zip from outside, checked; what goes wrong while it is read is an UnreadableFile too.

    what: what it should be, in words.
    """
    if len(data) > MOST_BYTES:
        raise UnreadableFile(f"{name}: {len(data)} bytes; at most {MOST_BYTES} are read")
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as file:
            _check_entries(file, name)
            yield file
    except UnreadablePicture as error:
        raise UnreadableFile(str(error)) from error
    except (zipfile.BadZipFile, KeyError, RuntimeError, NotImplementedError, EOFError, OSError) as error:
        raise UnreadableFile(f"{name} is damaged or not {what} ({str(error)[:80]}).") from error


def _check_entries(file: zipfile.ZipFile, name: str) -> None:
    """Raise UnreadableFile, naming the file and the limit, for what may not be in a zip.

    That is over 1000 entries or 512 MB unpacked, an entry of over 1 MB that unpacks to over 400 times its size, two of
    one name, and a name that leads out of the zip.
    """
    entries = file.infolist()
    if len(entries) > MOST_ENTRIES:
        raise UnreadableFile(f"{name}: {len(entries)} entries; at most {MOST_ENTRIES} are read")
    total, seen = 0, set()
    for entry in entries:
        total += entry.file_size
        if entry.file_size > _SMALL and entry.file_size > MOST_RATIO * max(entry.compress_size, 1):
            raise UnreadableFile(f"{name}: {entry.filename[:60]} unpacks to over {MOST_RATIO} times its size")
        if ".." in entry.filename.replace("\\", "/").split("/"):
            raise UnreadableFile(f"{name}: {entry.filename[:60]} lies outside of the file")
        if entry.filename in seen:
            raise UnreadableFile(f"{name}: {entry.filename[:60]} is in it twice")
        seen.add(entry.filename)
    if total > MOST_BYTES:
        raise UnreadableFile(f"{name}: unpacks to {total} bytes; at most {MOST_BYTES} are read")
