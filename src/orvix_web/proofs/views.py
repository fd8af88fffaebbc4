"""The proof place: the list and the proof wall."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from orvix.proofs.looks import COUNTS, DISTANCES, METRES, PPI, Wall
from orvix.proofs.surfaces import SURFACES
from orvix.proofs.surfaces.scene import LOOK_VALUES
from orvix.proofs.vision import VISIONS
from orvix_web.canvases.models import Canvas
from orvix_web.errors import or_404
from orvix_web.forms import json_field, whole_field
from orvix_web.proofs import services
from orvix_web.proofs.models import Proof
from orvix_web.proofs.sources import Of
from orvix_web.tiles.models import Tile


@require_GET
def proofs(request: HttpRequest) -> HttpResponse:
    """All proofs of the painter, and what could be proofed."""
    found = Proof.objects.of(request.user).select_related("canvas", "tile")
    context = {
        "place": "proofs",
        "proofs": [(proof, proof.latest) for proof in found],
        "canvases": Canvas.objects.of(request.user).filter(tile=None),
        "tiles": Tile.objects.of(request.user),
    }
    return render(request, "proofs/list.html", context)


@require_POST
def new_proof(request: HttpRequest) -> HttpResponse:
    """A proof of a canvas or a tile; the wall opens on it."""
    kind, _, pk = request.POST.get("of", "").partition("-")
    if kind not in ("canvas", "tile") or not pk.isdecimal():
        kind = "tile" if request.POST.get("tile") else "canvas"
        pk = str(whole_field(request, kind))
    return redirect("proof-page", services.create_proof(request.user, kind, int(pk)).pk)


@require_GET
def proof_page(request: HttpRequest, pk: int) -> HttpResponse:
    """The proof wall."""
    found = Proof.objects.select_related("canvas", "tile").filter(owner=request.user, pk=pk)
    proof = or_404(found.first())
    version, of = proof.latest, Of.proof(proof)
    wall = Wall.parse(version.wall)
    context = {
        "place": "proofs",
        "proof": proof,
        "version": version,
        "of": of,
        "wall": wall.as_dict(),
        "ppi": of.ppi or wall.ppi,
        "mm": of.size_mm(wall.ppi),
        "surfaces": list(SURFACES),
        "visions": VISIONS,
        "distances": DISTANCES,
        "values": {value.name: value for value in (*COUNTS, METRES, PPI, *LOOK_VALUES)},
    }
    return render(request, "proofs/wall.html", context)


@require_POST
def keep_proof(request: HttpRequest, pk: int) -> HttpResponse:
    """Keep this wall as the proof's next version."""
    version = services.keep_proof(request.user, pk, json_field(request, "wall"))
    return render(request, "proofs/kept.html", {"proof": version.proof, "version": version, "place": "proofs"})
