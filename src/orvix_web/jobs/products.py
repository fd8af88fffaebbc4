"""The files that jobs make: kept in pieces, and sent piece by piece."""

from __future__ import annotations

import io
from collections.abc import AsyncIterator
from typing import IO

from asgiref.sync import sync_to_async
from django.db import transaction

from orvix_web.jobs.models import Job, Piece, Product

PIECE = 4 * 1024 * 1024


def keep_product(job: Job, name: str, content_type: str, source: bytes | IO[bytes]) -> Product:
    """Keep the file that a job made; done once more, in the place of the one before."""
    file = io.BytesIO(source) if isinstance(source, bytes) else source
    file.seek(0)
    with transaction.atomic():
        told = {"name": name, "content_type": content_type, "size": 0}
        product, _ = Product.objects.update_or_create(job=job, defaults=told)
        product.pieces.all().delete()
        number = 0
        while data := file.read(PIECE):
            Piece.objects.create(product=product, number=number, data=data)
            number, product.size = number + 1, product.size + len(data)
        product.save(update_fields=["size"])
    return product


async def sent(product: Product) -> AsyncIterator[bytes]:
    """The octets of a file, a piece at a time."""
    numbers = await sync_to_async(lambda: list(product.pieces.values_list("pk", flat=True)))()
    for pk in numbers:
        yield bytes(await sync_to_async(lambda pk=pk: Piece.objects.values_list("data", flat=True).get(pk=pk))())
