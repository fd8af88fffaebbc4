"""Orders: what the desk would say is checked first; then a job makes the file, sends it, and asks until it is ready.

An order has a token of its own, made when it is asked for: whatever is sent again, by a retry or after the worker was
killed, is the same order to the desk.
"""

from __future__ import annotations

import io
import time
from collections.abc import Callable, Mapping
from typing import Any, TypeVar
from uuid import uuid4

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction
from numpy.typing import NDArray
from PIL import Image

from orvix.canvases.compositing import colour_to_rgb
from orvix.devices.print_desk import GOODS, STATES, DeskDown, Goods, Parcel, Ticket
from orvix.errors import BadValue, OrvixError
from orvix.pictures.reading import read_ppi
from orvix.pictures.writing import straight_8bit
from orvix.progress import Watch
from orvix.proofs.lines import smallest_line_px
from orvix.proofs.looks import PPI
from orvix.proofs.printing import ACCEPT, Check, Facts, checks, print_file, proof_sheet
from orvix.readings.report import read_state
from orvix.registry import Value, check_colour
from orvix.tiles.repeats import Repeat
from orvix_web.canvases.drawings import joining_of
from orvix_web.canvases.pictures import picture
from orvix_web.canvases.readings import read_canvas
from orvix_web.errors import or_404
from orvix_web.jobs.models import ACTIVE, Job
from orvix_web.jobs.services import ask_for
from orvix_web.proofs.desk import the_desk
from orvix_web.proofs.models import Order, Proof
from orvix_web.proofs.sources import Of
from orvix_web.tiles.rendering import Recent, tile_state

KIND = "order"
COPIES = Value("copies", "Copies", "whole", 1, "Number of copies.", low=1, high=10_000)
MOST_TRIES = 8
FIRST_WAIT_SECONDS, MOST_WAIT_SECONDS, ASK_SECONDS = 0.5, 8.0, 0.6
_READ = Recent(8)
Answered = TypeVar("Answered")


class NotAnswered(OrvixError):
    """The desk did not answer as often as it is asked; the order stays as it is."""

    code = "desk-down"


def asked_of(told: Mapping[str, Any], of: Of) -> tuple[Goods, float, str]:
    """The goods, the ppi and the ground that an order is told; raises BadValue and UnknownName."""
    ground = told.get("ground") or ""
    if ground:
        check_colour("ground", ground)
    return GOODS.get(told.get("goods")), PPI.check(told.get("ppi") or of.ppi or PPI.default), ground


def checked(of: Of, told: Mapping[str, Any]) -> list[Check]:
    """What the desk would say. told: goods, ppi, ground, and accepted, the names of checks that are passed over."""
    goods, ppi, ground = asked_of(told, of)
    return checks(goods, _facts(of, ppi, ground))


def _facts(of: Of, ppi: float, ground: str) -> Facts:
    seam, fits, sizes = _READ.get((of.kind, of.thing.pk, of.number), lambda: _read(of))
    cloth = of.cloth(ppi)
    width, height = cloth.size
    premultiplied = cloth.pyramid.px[: width * height].reshape(height, width, 4)
    step = max(int(np.sqrt(width * height / 65536)), 1)
    some = premultiplied[::step, ::step].astype(np.uint16) * np.uint16(257)
    sample = straight_8bit(some)
    if sample.shape[-1] == 3:
        sample = np.dstack([sample, np.full(sample.shape[:2], 255, np.uint8)])
    canvas = of.kind == "canvas"
    joined = bool(of.thing.joined) if canvas else True
    line = _READ.get(
        ("line", of.kind, of.thing.pk, of.number, ground), lambda: _line(premultiplied, ground or "#ffffff")
    )
    if line is not None:
        line *= of.size_px()[0] / width  # a large canvas is looked at at half its size, or less
    return Facts(of.size_px(), ppi, seam, fits, sample, ground or None, sizes, canvas, joined, line)


def _line(premultiplied: NDArray[np.uint8], ground: str) -> float | None:
    under = np.array(colour_to_rgb(ground), np.uint32)
    clear = 255 - premultiplied[..., 3:].astype(np.uint32)
    return smallest_line_px((premultiplied[..., :3] + (under * clear + 127) // 255).astype(np.uint8))


def _read(of: Of) -> tuple[tuple[str, float], bool | None, tuple[tuple[int, int], ...]]:
    if of.kind == "tile":
        seam = read_state(tile_state(of.thing.latest))["seam"]
        return ("seamless" if seam["by_construction"] else seam["verdict"], seam["value"]), None, ()
    told = read_canvas(of.thing, picture(of.thing))
    fits, seam = told["fits"], told["seam"]
    loose = next((one for one in fits if not one["closes"]), None)
    sizes = tuple(tuple(size) for size in loose["canvases"]) if loose else ()
    verdict = "seamless" if seam["by_construction"] else seam["verdict"]
    return (verdict, seam["value"]), (loose is None if fits else None), sizes


def create_order(owner: User, proof_id: int, told: Mapping[str, Any]) -> Order:
    """Take an order and queue it. told: as in `checked`, and copies. Raises BadValue where a check is not met."""
    proof = or_404(Proof.objects.select_related("canvas", "tile").filter(owner=owner, pk=proof_id).first())
    of = Of.proof(proof)
    goods, ppi, ground = asked_of(told, of)
    copies = COPIES.check(told.get("copies", 1))
    found = checked(of, told)
    accepted = set(told.get("accepted") or ())
    unmet = [one for one in found if not one.ok and not (one.mend == ACCEPT and one.name in accepted)]
    if unmet:
        raise BadValue(unmet[0].name, unmet[0].measured, f"{unmet[0].asked}; {unmet[0].reason}")
    with transaction.atomic():
        order = Order.objects.create(
            owner=owner, name=f"{goods.title}: {proof.name}"[:120], proof=proof, of_number=of.number, goods=goods.name,
            copies=copies, ppi=ppi, ground=ground, token=uuid4().hex, checks=[one.as_dict() for one in found],
        )  # fmt: skip
        ask_for(owner, KIND, f"{copies} × {goods.title}", {"order": order.pk})
    return order


def carry_out(job: Job, watch: Watch) -> Order:
    """Do what is left of an order; raises NotAnswered where the desk does not answer, and Stopped."""
    found = Order.objects.select_related("proof__canvas", "proof__tile")
    order = or_404(found.filter(owner=job.owner, pk=job.payload["order"]).first())
    goods = GOODS.get(order.goods)
    if order.over and order.state != Order.State.FAILED:
        return order
    if not order.file:
        watch.tell(0.05, "preparing the file")
        order.file = _file(Of.proof(order.proof), goods, order)
        order.save(update_fields=["file", "touched"])
    parcel = _parcel(order, goods)
    ticket = _answer(order, watch, lambda: the_desk().send(parcel))
    _take(order, ticket)
    while not ticket.over:
        watch.stop_if_asked()
        watch.tell(0.4 + 0.15 * STATES.index(ticket.state), f"print desk: {ticket.state}")
        time.sleep(ASK_SECONDS)
        known = _answer(order, watch, lambda: the_desk().ask(order.token))
        # A desk that has lost it is sent it again; it is the same order by its token.
        ticket = known or _answer(order, watch, lambda: the_desk().send(parcel))
        _take(order, ticket)
    return order


def _answer(order: Order, watch: Watch, ask: Callable[[], Answered]) -> Answered:
    """What the desk answers, asked again after ever longer waits while it does not."""
    wait = FIRST_WAIT_SECONDS
    for attempt in range(1, MOST_TRIES + 1):
        watch.stop_if_asked()
        try:
            return ask()
        except DeskDown:
            order.tries += 1
            order.state = Order.State.SENDING
            order.save(update_fields=["tries", "state", "touched"])
            watch.tell(0.2, f"the print desk does not answer, attempt {attempt}")
            time.sleep(wait)
            wait = min(2 * wait, MOST_WAIT_SECONDS)
    order.state = Order.State.FAILED
    order.reasons = [f"The print desk did not answer {MOST_TRIES} times."]
    order.save(update_fields=["state", "reasons", "touched"])
    raise NotAnswered(
        f"{order.name}: the print desk did not answer {MOST_TRIES} times. The order is saved. Retry later."
    )


def _take(order: Order, ticket: Ticket) -> None:
    """Keep what the desk says; with the proof sheet once it is ready."""
    told = ["number", "state", "reasons", "touched"]
    order.number, order.state, order.reasons = ticket.number, ticket.state, list(ticket.reasons)
    if order.state == Order.State.READY and not order.pdf:
        goods = GOODS.get(order.goods)
        lines = [f"Order {ticket.number}, {order.copies} copies at {order.ppi:g} ppi, of version {order.of_number}"]
        lines += [f"{one['title']}: {one['measured']} ({one['asked']})" for one in order.checks]
        told += ["pdf", "sheet"]
        order.pdf, order.sheet = proof_sheet(order.name, lines, bytes(order.file), goods)
    # Its file, which is large, stays as it is.
    order.save(update_fields=told)


def _parcel(order: Order, goods: Goods) -> Parcel:
    data = bytes(order.file)
    with Image.open(io.BytesIO(data)) as image:
        size, has_alpha = image.size, image.mode == "RGBA"
    ppi = read_ppi(data) or order.ppi
    return Parcel(order.token, goods.name, order.copies, *size, ppi, len(data), has_alpha)


def _file(of: Of, goods: Goods, order: Order) -> bytes:
    pixels, repeat = _print_pixels(of)
    return print_file(goods, pixels, repeat, order.ppi, order.ground or None)


def _print_pixels(of: Of) -> tuple[NDArray[np.uint8], Repeat]:
    """One repeat at its own px, straight RGBA."""
    if of.kind == "tile":
        state = tile_state(of.thing.latest)
        out, repeat = straight_8bit(state.pixels), state.repeat
    else:
        canvas, joined = picture(of.thing), joining_of(of.thing)
        seen = canvas.view(canvas.spec.box) if canvas.spec.ground else straight_8bit(canvas.pixels())
        out, repeat = joined.unfold(seen), joined.repeat
    if out.shape[-1] == 3:
        out = np.dstack([out, np.full(out.shape[:2], 255, np.uint8)])
    return out, repeat


def orders_of(proof: Proof) -> list[Order]:
    """The newest orders of a proof, without their files. One whose job was stopped waits to be sent again."""
    found = list(Order.objects.filter(proof=proof).defer("file", "pdf", "sheet").order_by("-pk")[:6])
    waiting = [one.pk for one in found if not one.over]
    jobs = Job.objects.filter(owner=proof.owner_id, kind=KIND, state__in=ACTIVE) if waiting else Job.objects.none()
    seen_to = {job.payload["order"] for job in jobs}
    for order in found:
        if order.pk in waiting and order.pk not in seen_to:
            # Its job may have ended well since the order was read.
            order.refresh_from_db(fields=["state", "reasons"])
            if not order.over:
                order.state, order.reasons = Order.State.FAILED, ["Cancelled before the print desk finished."]
                order.save(update_fields=["state", "reasons", "touched"])
    return found


def send_again(owner: User, pk: int) -> Order:
    """Queue an order again that the desk did not answer; the same order to the desk."""
    with transaction.atomic():
        order = or_404(Order.objects.select_for_update().filter(owner=owner, pk=pk).first())
        if order.state == Order.State.FAILED:
            order.state, order.reasons = Order.State.WAITING, []
            order.save(update_fields=["state", "reasons", "touched"])
            ask_for(owner, KIND, order.name, {"order": order.pk})
    return order
