"""A painter's own surfaces: pictures that a repeat is laid on, with their corners, grids, masks and shade."""

from __future__ import annotations

from functools import partial
from typing import Any

import cv2
import numpy as np
from django.contrib.auth.models import User
from django.db import transaction
from numpy.typing import NDArray

from orvix.errors import BadValue
from orvix.pictures import read_picture
from orvix.pictures.packing import flat_rgba8
from orvix.proofs.looks import OWN, OwnOf
from orvix.proofs.own import Laying, check_layer
from orvix.proofs.own import OwnSurface as CoreSurface
from orvix_web.drafts import services as drafts
from orvix_web.errors import NotYours
from orvix_web.notices import changed
from orvix_web.proofs.models import OwnSurface, Proof, ProofVersion
from orvix_web.tiles.rendering import Recent
from orvix_web.tiles.services import check_name
from orvix_web.tiles.thumbnails import thumbnail

MOST_SURFACES = 100
FILES = ("picture", "mask", "shade_picture")
"""What a surface holds as it came, tens of MB."""
LONGEST_PX = 2400
"""A larger picture is looked at at so many px: more are not drawn on a wall either."""
_READ = Recent(4, 128 * 1024 * 1024, lambda one: one.picture.nbytes)
_WHITE = (1.0, 1.0, 1.0)


def create_surface(owner: User, file: str, data: bytes) -> OwnSurface:
    """A surface from a picture, its cloth in the middle of it; raises UnreadablePicture and BadValue.

    Where the picture has alpha, that is its mask: the tile shows where it is clear.
    """
    if OwnSurface.objects.filter(owner=owner).count() >= MOST_SURFACES:
        raise BadValue("surfaces", file, f"You have {MOST_SURFACES} surfaces already. Delete one first.")
    pixels = read_picture(data, file)
    height, width = pixels.shape[:2]
    name = check_name(file.rsplit(".", 1)[0][:120] or "Surface")
    # As high beside its width as the cloth lies on the picture.
    laying = Laying.parse({"width_mm": 300.0, "height_mm": round(300.0 * height / width, 1) or 1.0})
    at = {"owner": owner, "name": name, "picture": data, "width": width, "height": height}
    made = OwnSurface.objects.create(**at, laying=laying.as_dict())
    changed(made.owner_id)
    return made


def owned_surface(owner_id: int, pk: int) -> OwnSurface:
    """A surface of the owner's; raises NotYours. Its files are asked for only where they are read."""
    found = OwnSurface.objects.defer(*FILES).filter(owner_id=owner_id, pk=pk).first()
    if found is None:
        raise NotYours("This surface no longer exists.")
    return found


def keep_laying(owner: User, pk: int, told: Any, name: str = "") -> OwnSurface:
    """Keep how the cloth lies; raises BadValue and NotYours."""
    laying = Laying.parse(told)
    with transaction.atomic():
        row = _locked(owner, pk)
        row.laying, row.name = laying.as_dict(), check_name(name or row.name)
        kept = _changed(row)
        drafts.saved(row.owner_id, "surface", kept)
        return kept


def keep_layer(owner: User, pk: int, what: str, file: str, data: bytes) -> OwnSurface:
    """Keep a mask or a shade, a picture in the proportions of the surface's own; no data: none any more.

    Raises BadValue, UnreadablePicture and NotYours.
    """
    fields = {"mask": "mask", "shade": "shade_picture"}
    if what not in fields:
        raise BadValue("layer", what[:20], "must be mask or shade")
    with transaction.atomic():
        row = _locked(owner, pk)
        if data:
            check_layer(what, read_picture(data, file).shape[:2], (row.height, row.width))
        setattr(row, fields[what], data)
        return _changed(row)


def _locked(owner: User, pk: int) -> OwnSurface:
    # What is not asked for is not written again either.
    row = OwnSurface.objects.select_for_update().defer(*FILES).filter(owner=owner, pk=pk).first()
    if row is None:
        raise NotYours("This surface no longer exists.")
    return row


def _changed(row: OwnSurface) -> OwnSurface:
    row.state += 1
    row.save()
    changed(row.owner_id)
    return row


def core_surface(row: OwnSurface, laying: Laying | None = None) -> CoreSurface:
    """A surface as the core draws it; laying: another one than is kept."""
    read = _READ.get((row.pk, row.state), lambda: _read(row))
    if laying is None:
        return read
    key = f"{read.key}:{hash(str(laying.as_dict()))}"
    return CoreSurface(key, read.picture, laying, read.mask, read.shade)


def _read(row: OwnSurface) -> CoreSurface:
    pixels = read_picture(bytes(row.picture), row.name)
    picture = _within(flat_rgba8(pixels, _WHITE)[..., :3])
    mask = _grey(bytes(row.mask), "mask") if row.mask else None
    if mask is None and (pixels[..., 3] < 65535).any():
        mask = _within((255 - (pixels[..., 3] >> 8)).astype(np.uint8))
    shade = _grey(bytes(row.shade_picture), "shade") if row.shade_picture else None
    return CoreSurface(f"{OWN}{row.pk}:{row.state}", picture, Laying.parse(row.laying), mask, shade)


def _grey(data: bytes, name: str) -> NDArray[np.uint8]:
    flat = flat_rgba8(read_picture(data, name), (0.0, 0.0, 0.0) if name == "mask" else _WHITE)
    return np.asarray(cv2.cvtColor(_within(flat[..., :3]), cv2.COLOR_RGB2GRAY), np.uint8)


def _within(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    longest = max(picture.shape[:2])
    if longest <= LONGEST_PX:
        return np.ascontiguousarray(picture)
    rows, columns = (max(round(side * LONGEST_PX / longest), 1) for side in picture.shape[:2])
    return np.asarray(cv2.resize(picture, (columns, rows), interpolation=cv2.INTER_AREA), np.uint8)


def small(row: OwnSurface) -> bytes:
    """A surface as it came, as a thumbnail."""
    return thumbnail(core_surface(row).picture)


def own_of(owner_id: int) -> OwnOf:
    """An owner's surfaces by their number, as looks ask for them."""
    return partial(_own, owner_id)


def _own(owner_id: int, pk: int) -> CoreSurface:
    return core_surface(owned_surface(owner_id, pk))


def proofs_on(row: OwnSurface) -> list[Proof]:
    """The proofs that have a look on a surface in any of their kept walls."""
    looks = [{"surface": f"{OWN}{row.pk}"}]
    walls = ProofVersion.objects.filter(proof__owner=row.owner, wall__panels__contains=looks)
    return list(Proof.objects.filter(pk__in=walls.values("proof_id")))
