"""Motif layouts: new ones, and motifs that come from files. Editing is asked of the core, and kept as a draft."""

from __future__ import annotations

import hashlib
from typing import Any

from django.contrib.auth.models import User

from orvix.pictures.reading import read_with_notes
from orvix.tiles.motifs.layout import Layout, Motif
from orvix.tiles.motifs.starters import TITLES
from orvix.tiles.motifs.svg import is_svg, read_svg
from orvix_web.errors import or_404
from orvix_web.notices import changed
from orvix_web.tiles.models import Tile, Upload
from orvix_web.tiles.services import create_tile


def create_layout(owner: User, name: str, told: dict[str, Any], first: dict[str, Any] | None = None) -> Tile:
    """A tile to lay motifs out on, with the starter set at hand. told: size, repeat, stagger. first: one more motif."""
    motifs = tuple(Motif(key, "starter", key, title, {}, "#1b3f4b") for key, title in TITLES.items())
    layout = Layout(motifs).as_dict()
    if first is not None:
        layout["motifs"] = [first, *layout["motifs"]]
    source = {"name": "motifs", "values": {"layout": layout}}
    return create_tile(owner, name, {**told, "source": source})


def take_motif(owner: User, name: str, data: bytes) -> tuple[dict[str, Any], list[str]]:
    """Take an SVG or a picture as a motif, and what was converted of it, in words.

    Raises UnreadableSvg or UnreadablePicture, and then nothing is changed.
    """
    upload = keep_file(owner, name, data)
    return as_motif(upload, is_svg(data, upload.name)), upload.notes


def keep_file(owner: User, name: str, data: bytes) -> Upload:
    """Keep an SVG or a picture from outside; raises UnreadableSvg or UnreadablePicture."""
    title = (name or "motif")[:120]
    notes: list[str] = []
    if is_svg(data, title):
        svg = read_svg(data, title)
        width, height = max(round(svg.width), 1), max(round(svg.height), 1)
    else:
        read = read_with_notes(data, title)
        (height, width), notes = read.pixels.shape[:2], list(read.notes)
    upload = Upload.objects.create(
        owner=owner, name=title, data=data, sha256=hashlib.sha256(data).hexdigest(), width=width, height=height,
        convert=True, notes=notes,
    )  # fmt: skip
    changed(upload.owner_id)
    return upload


def as_motif(upload: Upload, drawn: bool) -> dict[str, Any]:
    """A file from outside as a layout holds it; drawn: whether it is SVG."""
    stem = upload.name.rsplit(".", 1)[0] or "motif"
    return {"id": f"m{upload.pk}", "kind": "svg" if drawn else "picture", "what": f"upload:{upload.pk}", "name": stem}


def kept_motif(owner: User, pk: int) -> dict[str, Any]:
    """A file from outside that is on the shelf, as a motif; raises Http404."""
    upload = or_404(Upload.objects.of(owner).filter(pk=pk).first())
    return as_motif(upload, is_svg(bytes(upload.data), upload.name))
