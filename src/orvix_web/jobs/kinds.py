"""The kinds of long work: each one function from a job and a watch to where its result is found."""

from __future__ import annotations

from collections.abc import Callable
from typing import IO, Any

from django.urls import reverse

from orvix.progress import Watch
from orvix_web.canvases import enlarging, proposals, repainting, time_lapse
from orvix_web.canvases.models import Canvas, KeptState
from orvix_web.chain.following import follow
from orvix_web.jobs.models import Job
from orvix_web.jobs.products import keep_product
from orvix_web.proofs import exporting, orders
from orvix_web.shelf import files
from orvix_web.tiles import services as tiles


def _keep_tile(job: Job, watch: Watch) -> dict[str, Any]:
    """Make a tile whole and keep it as its next version; what follows it follows."""
    version = tiles.keep_whole(job.owner, job.payload["tile"], job.payload["recipe"], watch)
    follow(job.owner, version, job.payload.get("follow"))
    return {
        "href": f"{reverse('tile-page', args=[version.tile_id])}?version={version.number}",
        "number": version.number,
    }


def _paint_again(job: Job, watch: Watch) -> dict[str, Any]:
    """Paint a canvas again with other versions of its brushes; its page shows the result beside it."""
    row = repainting.owned(job.owner, job.payload["canvas"])
    return _beside(row, repainting.paint_again(row, dict(job.payload["versions"]), watch))


def _rework(job: Job, watch: Watch) -> dict[str, Any]:
    """Paint a canvas with strokes put right; its page shows the result beside it."""
    row = repainting.owned(job.owner, job.payload["canvas"])
    return _beside(row, proposals.rework(row, job.payload["told"], watch))


def _bring_back(job: Job, watch: Watch) -> dict[str, Any]:
    """Paint what was undone on a canvas once more; its page shows it beside it."""
    row = repainting.owned(job.owner, job.payload["canvas"])
    return _beside(row, proposals.bring_back(row, job.payload["number"], watch))


def _beside(row: Canvas, state: KeptState) -> dict[str, Any]:
    page = reverse("draw-page", args=[row.tile_id]) if row.tile_id else reverse("canvas-page", args=[row.pk])
    return {"href": f"{page}?again={state.number}", "canvas": row.pk, "state": state.number}


def _enlarge(job: Job, watch: Watch) -> dict[str, Any]:
    """Paint a canvas again at another size; it is looked at beside the one it was made from."""
    row = repainting.owned(job.owner, job.payload["canvas"])
    other = enlarging.enlarge(row, job.payload, watch)
    return {"href": f"{reverse('canvas-page', args=[row.pk])}?beside={other.pk}", "canvas": row.pk, "made": other.pk}


def _time_lapse(job: Job, watch: Watch) -> dict[str, Any]:
    """How a canvas came about, as a file to be fetched."""
    row = repainting.owned(job.owner, job.payload["canvas"])
    return _made(job, *time_lapse.time_lapse(row, job.payload, watch))


def _order(job: Job, watch: Watch) -> dict[str, Any]:
    """Send an order to the print desk and see it through; its proof sheet is on the wall."""
    order = orders.carry_out(job, watch)
    return {"href": f"{reverse('proof-page', args=[order.proof_id])}?order={order.pk}", "order": order.pk}


def _export(job: Job, watch: Watch) -> dict[str, Any]:
    """A picture as a file to be fetched."""
    return _made(job, *exporting.by_job(job, watch))


def _shelf_file(job: Job, watch: Watch) -> dict[str, Any]:
    """Several things of the shelf as a file to be fetched."""
    return _made(job, *files.by_job(job, watch))


def _made(job: Job, name: str, content_type: str, source: bytes | IO[bytes]) -> dict[str, Any]:
    """Keep the file that a job made, and say where it is fetched."""
    keep_product(job, name, content_type, source)
    if not isinstance(source, bytes):
        source.close()
    return {"href": reverse("job-product", args=[job.pk]), "file": name}


KINDS: dict[str, Callable[[Job, Watch], dict[str, Any]]] = {
    "keep-tile": _keep_tile,
    enlarging.KIND: _enlarge,
    repainting.KIND: _paint_again,
    proposals.REWORK: _rework,
    proposals.BRING_BACK: _bring_back,
    time_lapse.KIND: _time_lapse,
    orders.KIND: _order,
    exporting.KIND: _export,
    files.KIND: _shelf_file,
}
