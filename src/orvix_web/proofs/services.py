"""What a painter does to proofs."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from django.http import Http404

from orvix.errors import BadValue
from orvix.proofs.sheets import sheet
from orvix.tiles.repeats import Repeat
from orvix_web.canvases.models import Canvas
from orvix_web.live.notices import changed
from orvix_web.proofs.models import Proof, ProofVersion
from orvix_web.tiles.services import check_name
from orvix_web.tiles.thumbnails import thumbnail

FEWEST, MOST = 2, 8


def create_proof(owner: AbstractBaseUser, canvas_id: int, columns: Any = 3, rows: Any = 3) -> Proof:
    """Make a proof of a canvas; raises Http404 for one that is not the owner's."""
    canvas = Canvas.objects.filter(owner=owner, pk=canvas_id).first()
    if canvas is None:
        raise Http404
    with transaction.atomic():
        proof = Proof.objects.create(owner=owner, canvas=canvas, name=check_name(canvas.name))
        _add_version(proof, columns, rows)
    return proof


def keep_proof(owner: AbstractBaseUser, proof_id: int, columns: Any, rows: Any) -> ProofVersion:
    """Keep another look as the proof's next version; raises BadValue or Http404."""
    with transaction.atomic():
        proof = Proof.objects.select_for_update().filter(owner=owner, pk=proof_id).first()
        if proof is None:
            raise Http404
        return _add_version(proof, columns, rows)


def check_count(name: str, given: Any) -> int:
    """How many copies, 2 to 8; raises BadValue."""
    text = str(given)
    if not (text.isascii() and text.isdigit() and len(text) < 4 and FEWEST <= int(text) <= MOST):
        raise BadValue(name, given, f"must be a whole number from {FEWEST} to {MOST}")
    return int(text)


def _add_version(proof: Proof, columns: Any, rows: Any) -> ProofVersion:
    counts = check_count("columns", columns), check_count("rows", rows)
    latest = proof.latest
    version = ProofVersion.objects.create(
        proof=proof,
        number=latest.number + 1 if latest else 1,
        columns=counts[0],
        rows=counts[1],
        canvas_revision=proof.canvas.revision,
        thumbnail=_thumbnail(proof.canvas, *counts),
    )
    proof.save(update_fields=["touched"])
    changed(proof.owner_id)
    return version


def _thumbnail(canvas: Canvas, columns: int, rows: int) -> bytes:
    """The canvas's own thumbnail, repeated."""
    import cv2

    small = cv2.imdecode(np.frombuffer(bytes(canvas.thumbnail), np.uint8), cv2.IMREAD_COLOR)
    repeat = Repeat.parse(canvas.repeat, canvas.stagger) if canvas.joined else Repeat("straight")
    return thumbnail(sheet(small[..., ::-1], repeat, columns, rows))
