"""The proof place: the list and the proof wall."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from orvix_web.canvases.models import Canvas
from orvix_web.errors import or_404
from orvix_web.forms import whole_field
from orvix_web.proofs import services
from orvix_web.proofs.models import Proof


@require_GET
def proofs(request: HttpRequest) -> HttpResponse:
    """All proofs of the painter, and the canvases that could be proofed."""
    context = {
        "place": "proofs",
        "proofs": [(proof, proof.latest) for proof in Proof.objects.of(request.user).select_related("canvas")],
        "canvases": Canvas.objects.of(request.user),
    }
    return render(request, "proofs/list.html", context)


@require_POST
def new_proof(request: HttpRequest) -> HttpResponse:
    """A proof of a canvas; the wall opens on it."""
    proof = services.create_proof(request.user, whole_field(request, "canvas"))
    return redirect("proof-page", proof.pk)


@require_GET
def proof_page(request: HttpRequest, pk: int) -> HttpResponse:
    """The proof wall."""
    proof = or_404(Proof.objects.select_related("canvas").filter(owner=request.user, pk=pk).first())
    canvas = proof.canvas
    context = {
        "place": "proofs",
        "proof": proof,
        "version": proof.latest,
        "canvas": canvas,
        "counts": range(services.FEWEST, services.MOST + 1),
        "mm": (canvas.width / canvas.ppi * 25.4, canvas.height / canvas.ppi * 25.4),
    }
    return render(request, "proofs/wall.html", context)


@require_POST
def keep_proof(request: HttpRequest, pk: int) -> HttpResponse:
    """Keep this look as the proof's next version."""
    columns, rows = whole_field(request, "columns"), whole_field(request, "rows")
    version = services.keep_proof(request.user, pk, columns, rows)
    return render(request, "proofs/kept.html", {"proof": version.proof, "version": version, "place": "proofs"})
