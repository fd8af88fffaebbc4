"""What a painter does to proofs."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.http import Http404

from orvix.colour.colourways import Colourway
from orvix.proofs.looks import Panel, Wall, drawn, swaps_of
from orvix.proofs.printing import laid_on
from orvix_web.accounts.models import next_number
from orvix_web.canvases.fits import proven_to_close
from orvix_web.drafts import services as drafts
from orvix_web.notices import changed
from orvix_web.proofs.models import Proof, ProofVersion
from orvix_web.proofs.own_surfaces import own_of
from orvix_web.proofs.sources import Of, find
from orvix_web.tiles.models import Tile
from orvix_web.tiles.rendering import snapshot_source, tile_state
from orvix_web.tiles.services import check_name, create_tile
from orvix_web.tiles.thumbnails import thumbnail

FIRST_WALL = Wall(
    (
        Panel("repeat", 4, 4),
        Panel("distance", 4, 4, 12.0),
        Panel("surface", surface="tote"),
        Panel("surface", surface="cushion"),
    )
)
_THUMB_PX = 240
_WALL = "#d2d2d2"
"""What lies behind the looks of a wall."""


def create_proof(owner: User, kind: str, pk: int, wall: Wall = FIRST_WALL) -> Proof:
    """Make a proof of a canvas or a tile; raises Http404 for one that is not the owner's."""
    of = find(owner, kind, pk)
    if of is None:
        raise Http404
    with transaction.atomic():
        proof = Proof.objects.create(owner=owner, name=check_name(of.thing.name), **{kind: of.thing})
        _add_version(proof, replace(wall, ppi=of.ppi or wall.ppi))
    return proof


def proof_of(owner: User, kind: str, pk: int) -> Proof:
    """The newest proof of a canvas or a tile, else a first one; raises Http404 for a thing that is not the owner's."""
    of = find(owner, kind, pk)
    if of is None:
        raise Http404
    found = Proof.objects.of(owner).filter(**{kind: of.thing}).order_by("-pk").first()
    return found or create_proof(owner, kind, pk)


def keep_proof(owner: User, proof_id: int, wall: Any) -> ProofVersion:
    """Keep another wall as the proof's next version; raises BadValue, UnknownName or Http404."""
    with transaction.atomic():
        proof = Proof.objects.locked(owner, proof_id)
        return _add_version(proof, Wall.parse(wall, own_of(owner.pk)))


def tile_in_colours(owner: User, proof_id: int, told: Any) -> Tile:
    """A new tile of what a proof is of, its colours swapped; raises BadValue or Http404."""
    proof = Proof.objects.filter(owner=owner, pk=proof_id).first()
    if proof is None:
        raise Http404
    colourway, of = Colourway.parse(told), Of.proof(proof)
    pixels, repeat, _ = of.laid_out(swaps=colourway.swaps)
    closes = proven_to_close(of.thing) if of.kind == "canvas" else tile_state(of.thing.latest).proven
    told_repeat = (repeat.kind, str(repeat.stagger))
    source = snapshot_source(owner.pk, pixels, *told_repeat, closes)
    recipe = {"size": [pixels.shape[1], pixels.shape[0]], "repeat": repeat.kind, "stagger": told_repeat[1]}
    return create_tile(owner, f"{of.thing.name}, {colourway.name}"[:120], recipe | {"source": source})


def _add_version(proof: Proof, wall: Wall) -> ProofVersion:
    of = Of.proof(proof)
    version = ProofVersion.objects.create(
        proof=proof,
        number=next_number(proof),
        wall=wall.as_dict(),
        of_number=of.number,
        thumbnail=_thumbnail(of, wall),
    )
    proof.save(update_fields=["touched"])
    drafts.saved(proof.owner_id, "proof", proof)
    changed(proof.owner_id)
    return version


def _thumbnail(of: Of, wall: Wall) -> bytes:
    """The first look that shows the most: a surface, else the first."""
    panel = next((one for one in wall.panels if one.kind == "surface"), wall.panels[0])
    cloth = of.cloth(wall.ppi, panel.shown, swaps_of(wall.colourways, panel.shown))
    seen = drawn(panel, cloth, _THUMB_PX / max(panel.size_mm(cloth)), wall.vision, wall.cloth)
    return thumbnail(laid_on(seen, _WALL))
