"""The proof place: the list and the proof wall."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_POST

from orvix.devices.print_desk import GOODS
from orvix.proofs.looks import COUNTS, DISTANCES, METRES, MOST_PANELS, PPI, Wall
from orvix.proofs.surfaces import SURFACES
from orvix.proofs.surfaces.scene import LOOK_VALUES
from orvix.proofs.vision import VISIONS
from orvix_web.accounts.requests import PainterRequest
from orvix_web.canvases.models import Canvas
from orvix_web.drafts.views import opened
from orvix_web.errors import or_404
from orvix_web.forms import json_field, number_field, whole_field
from orvix_web.jobs.services import shown_jobs
from orvix_web.proofs import orders, services
from orvix_web.proofs.models import Order, OwnSurface, Proof
from orvix_web.proofs.own_surfaces import FILES, own_of
from orvix_web.proofs.sources import Of
from orvix_web.tiles.models import Tile


@require_GET
def proofs(request: PainterRequest) -> HttpResponse:
    """All proofs of the painter, and what could be proofed."""
    found = Proof.objects.of(request.user).select_related("canvas", "tile")
    context = {
        "place": "proofs",
        "proofs": [(proof, proof.latest) for proof in found],
        "own_surfaces": _own_surfaces(request),
        "canvases": Canvas.objects.of(request.user).filter(tile=None),
        "tiles": Tile.objects.of(request.user),
    }
    return render(request, "proofs/list.html", context)


def _own_surfaces(request: PainterRequest) -> Any:
    return OwnSurface.objects.of(request.user).defer(*FILES)


@require_POST
def new_proof(request: PainterRequest) -> HttpResponse:
    """A proof of a canvas or a tile; the wall opens on it."""
    kind, _, pk = request.POST.get("of", "").partition("-")
    if kind not in ("canvas", "tile") or not pk.isdecimal():
        kind = "tile" if request.POST.get("tile") else "canvas"
        pk = str(whole_field(request, kind))
    return redirect("proof-page", services.create_proof(request.user, kind, int(pk)).pk)


@require_POST
def proof_of(request: PainterRequest, kind: str, pk: int) -> HttpResponse:
    """The newest proof that a canvas or a tile already has, or else its first; the wall opens on it."""
    return redirect("proof-page", services.proof_of(request.user, kind, pk).pk)


@require_GET
def proof_page(request: PainterRequest, pk: int) -> HttpResponse:
    """The proof wall."""
    found = Proof.objects.select_related("canvas", "tile").filter(owner=request.user, pk=pk)
    proof = or_404(found.first())
    version, of = proof.latest, Of.proof(proof)
    draft = opened(request, "proof", proof)
    wall = Wall.parse(draft.value, own_of(request.user.pk))
    context = {
        "place": "proofs",
        "version": version,
        "of": of,
        "wall": wall.as_dict(),
        "draft": draft.page(),
        "ppi": of.ppi or wall.ppi,
        "most_looks": MOST_PANELS,
        "mm": of.size_mm(wall.ppi),
        "surfaces": list(SURFACES),
        "own_surfaces": _own_surfaces(request),
        "visions": VISIONS,
        "distances": DISTANCES,
        "values": {value.name: value for value in (*COUNTS, METRES, PPI, orders.COPIES, *LOOK_VALUES)},
        "goods": list(GOODS),
        "fitting": of.kind == "canvas",
        **_orders(proof),
    }
    return render(request, "proofs/wall.html", context)


@require_POST
def keep_proof(request: PainterRequest, pk: int) -> HttpResponse:
    """Keep this wall as the proof's next version."""
    version = services.keep_proof(request.user, pk, json_field(request, "wall"))
    return render(request, "proofs/kept.html", {"proof": version.proof, "version": version, "place": "proofs"})


@require_POST
def colourway_tile(request: PainterRequest, pk: int) -> HttpResponse:
    """What a proof is of as a tile of its own, in other colours; its bench opens."""
    made = services.tile_in_colours(request.user, pk, json_field(request, "colourway"))
    return redirect("tile-page", made.pk)


def _orders(proof: Proof) -> dict[str, Any]:
    found = orders.orders_of(proof)
    return {"proof": proof, "orders": found, "active": any(not one.over for one in found)}


@require_GET
def proof_orders(request: PainterRequest, pk: int) -> HttpResponse:
    """How the orders of a proof stand."""
    proof = or_404(Proof.objects.filter(owner=request.user, pk=pk).first())
    return render(request, "proofs/orders.html", _orders(proof))


@require_POST
def order_proof(request: PainterRequest, pk: int) -> HttpResponse:
    """Send an order to the print desk; answers with the orders of the proof."""
    told: dict[str, Any] = {"goods": request.POST.get("goods"), "ground": request.POST.get("ground", "")}
    told |= {"ppi": number_field(request, "ppi", 0.0) or None, "copies": whole_field(request, "copies", 1)}
    order = orders.create_order(request.user, pk, told | {"accepted": request.POST.getlist("accepted")})
    return _sent(request, order)


def _sent(request: PainterRequest, order: Order) -> HttpResponse:
    """The orders of a proof, and the job that sees to this one."""
    return render(request, "proofs/sent.html", _orders(order.proof) | {"jobs": shown_jobs(request.user), "oob": True})


@require_POST
def order_again(request: PainterRequest, pk: int) -> HttpResponse:
    """Send an order once more that the desk did not answer."""
    return _sent(request, orders.send_again(request.user, pk))


@require_GET
def order_file(request: PainterRequest, pk: int, what: str) -> HttpResponse:
    """The proof sheet of an order as PDF or PNG, or the file that was sent."""
    order = or_404(Order.objects.filter(owner=request.user, pk=pk).first())
    data = bytes({"pdf": order.pdf, "sheet": order.sheet, "file": order.file}.get(what, b""))
    if not data:
        raise Http404
    kind, ending = ("application/pdf", "pdf") if what == "pdf" else ("image/png", "png")
    name = f"{slugify(order.name) or 'order'}-{order.number}.{ending}"
    return HttpResponse(data, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})
