"""What the commands share: files read and checked, numbers and sizes as they are typed, options of a repeat."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from orvix.errors import BadValue, UnreadableFile

Add = Callable[[str, Any, Any, str], argparse.ArgumentParser]
"""Adds a command: its name, what runs it, what reports it in words, and what it does."""


def read_file(path: str) -> bytes:
    """The octets of a file; raises UnreadableFile."""
    try:
        return Path(path).read_bytes()
    except OSError as error:
        raise UnreadableFile(f"{path}: cannot be read ({error.strerror})") from error


def read_pixels(args: argparse.Namespace, path: str, data: bytes | None = None) -> Any:
    """The pixels of a picture's file, or of its octets, where they are at hand; what was converted or left out is kept
    for the answer. Raises UnreadableFile and UnreadablePicture."""
    from orvix.pictures.reading import read_with_notes

    read = read_with_notes(read_file(path) if data is None else data, path)
    args.notes += [f"{path}: {words}" for words in read.notes]
    return read.pixels


def read_json(path: str) -> Any:
    """The JSON of a file; raises UnreadableFile."""
    try:
        return json.loads(read_file(path))
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise UnreadableFile(f"{path}: is not JSON ({error})") from error


def beside(path: str) -> Callable[[str], bytes]:
    """A reader of files named in the file at `path`: beside it or below, nowhere else."""
    folder = Path(path).resolve().parent

    def read(name: str) -> bytes:
        target = (folder / name).resolve()
        if not target.is_relative_to(folder):
            raise BadValue("file", name, "must lie beside the file that names it, or below")
        return read_file(str(target))

    return read


def size_of(name: str, text: str) -> tuple[int, int]:
    """WIDTHxHEIGHT in px; raises BadValue."""
    parts = text.lower().split("x")
    if len(parts) == 2 and all(part.isascii() and part.isdigit() and 0 < len(part) < 7 for part in parts):
        width, height = int(parts[0]), int(parts[1])
        if width and height:
            return width, height
    raise BadValue(name, text, "must be WIDTHxHEIGHT in px, such as 1024x768")


def check_out(path: str) -> None:
    """Raise UnreadableFile where a file cannot be written there."""
    if not Path(path).resolve().parent.is_dir():
        raise UnreadableFile(f"{path}: cannot be written (no such folder)")


def number_of(name: str, given: str) -> float:
    """A typed number; raises BadValue."""
    try:
        return float(given)
    except ValueError as error:
        raise BadValue(name, given, "must be a number") from error


def repeat_options(parser: argparse.ArgumentParser, prefix: str = "", default: str | None = "straight") -> None:
    """Add --repeat and --stagger."""
    parser.add_argument(f"--{prefix}repeat", default=default, metavar="R", help="straight, brick or half-drop")
    parser.add_argument(f"--{prefix}stagger", metavar="F", help="share of the tile, 0 to 1; one half when left out")
