"""Canvases opened from files: layered ones with their layers, pictures as one layer."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from orvix.canvases.layers import Change, Layer, block_numbers
from orvix.errors import UnreadableFile
from orvix.formats import openraster
from orvix.pictures.reading import read_ppi, read_with_notes
from orvix_web.canvases.journal import Journal, Record
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.services import create_canvas
from orvix_web.tiles.services import check_name
from orvix_web.tiles.thumbnails import thumbnail

LEAST_SIDE = 16
USUAL_PPI = 300.0
_ZIP = b"PK\x03\x04"


def open_file(owner: User, file: str, data: bytes, called: str = "") -> tuple[Canvas, list[str]]:
    """A new canvas of an OpenRaster file or of a picture, and what of it was converted or is not known here, in words.

    called: its name, where it is not that of the file. Raises UnreadableFile, UnreadablePicture and BadValue.
    """
    name = called.strip() or file.rsplit(".", 1)[0][:120] or "Picture"
    if data.startswith(_ZIP):
        told = openraster.read(data, file)
    else:
        read = read_with_notes(data, file)
        node = openraster.Node(file.rsplit(".", 1)[0][:60] or "Picture", pixels=read.pixels)
        height, width = read.pixels.shape[:2]
        told = openraster.Told(width, height, read_ppi(data) or USUAL_PPI, (node,), list(read.notes))
    return keep_opened(owner, name, told, {}), told.notes


def keep_opened(owner: User, name: str, read: openraster.Told, edges: dict[str, Any]) -> Canvas:
    """What was read as a canvas. edges: how its edges are joined, as `create_canvas` takes it; open where empty.

    Its first operation takes all of this up: undone, it is bare. Raises UnreadableFile for one that is too small.
    """
    if min(read.width, read.height) < LEAST_SIDE:
        raise UnreadableFile(
            f"{name} is too small: {read.width} × {read.height} px. A canvas needs {LEAST_SIDE} px a side."
        )
    canvas, name = openraster.to_canvas(read), check_name(name)
    spec = canvas.spec
    told = {"width": spec.width, "height": spec.height, "ppi": spec.ppi, "joined": False, "ground": ""} | edges
    with transaction.atomic():
        row = create_canvas(owner, name, told)
        journal = Journal(row.pk, owner.pk)
        state = journal.keep(canvas, thumbnail(canvas.small()))
        journal.commit(Record(1, "take-up", {"state": state.number}, (Layer(),)))
        blocks = {
            (number, key): canvas.layer_blocks(number).get(key)
            for number in block_numbers(canvas.stack)
            for key in canvas.layer_blocks(number)
        }
        bare = Change(dict.fromkeys(blocks), (Layer(),))
        journal.store(Change(blocks, canvas.stack, spec), 1, {1: bare})
        journal.thumbnail(thumbnail(canvas.small()))
    row.refresh_from_db()
    return row
