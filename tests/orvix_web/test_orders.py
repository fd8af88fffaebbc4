"""Orders: checked before they are taken, seen through by a job, once only whatever fails, and each painter's own."""

from __future__ import annotations

import pytest
from django.http import Http404

from orvix.devices.print_desk import GOODS
from orvix.errors import OrvixError
from orvix_web.jobs.models import FAILED, Job
from orvix_web.jobs.services import cancel, retry
from orvix_web.jobs.tasks import run_job
from orvix_web.proofs import orders
from orvix_web.proofs.models import DeskTicket, Order
from orvix_web.proofs.orders import checked, create_order
from orvix_web.proofs.services import create_proof
from orvix_web.proofs.sources import Of
from orvix_web.tiles.services import create_tile

pytestmark = pytest.mark.django_db
TIN = {"goods": "tin", "ppi": 300, "copies": 60, "accepted": ["lines"]}


@pytest.fixture
def proof(painter, monkeypatch):
    for name in ("FIRST_WAIT_SECONDS", "ASK_SECONDS"):
        monkeypatch.setattr(orders, name, 0.0)
    tile = create_tile(painter, "Checks", {"size": [128, 128], "source": {"name": "check", "values": {}}})
    return create_proof(painter, "tile", tile.pk)


def work() -> Job:
    """Do the newest job, as the worker does."""
    job = Job.objects.first()
    run_job(job.pk)
    job.refresh_from_db()
    return job


@pytest.mark.slow
def test_an_order_is_seen_through_to_its_proof_sheet(proof, client):
    order = create_order(proof.owner, proof.pk, TIN)
    assert (order.state, order.of_number, order.copies) == ("waiting", 1, 60)
    assert work().result["order"] == order.pk
    order.refresh_from_db()
    assert (order.state, order.tries, order.reasons) == ("ready", 0, [])
    assert order.number == DeskTicket.objects.get().pk
    for what, begins in (("pdf", b"%PDF"), ("sheet", b"\x89PNG"), ("file", b"\x89PNG")):
        answer = client.get(f"/proofs/orders/{order.pk}/{what}/")
        assert answer.content.startswith(begins)
        assert "attachment" in answer["Content-Disposition"]
    assert client.get(f"/proofs/orders/{order.pk}/nothing/").status_code == 404
    assert "Proof sheet (PDF)" in client.get(f"/proofs/{proof.pk}/orders/").content.decode()
    run_job(Job.objects.first().pk)
    assert DeskTicket.objects.count() == 1, "done once more it is no second order"


def test_what_does_not_pass_is_refused_with_its_reason_and_nothing_is_kept(proof):
    with pytest.raises(OrvixError, match="at least 300"):
        create_order(proof.owner, proof.pk, TIN | {"ppi": 100})
    with pytest.raises(OrvixError, match="break up in print"):
        create_order(proof.owner, proof.pk, TIN | {"accepted": []})
    for change in ({"goods": "sail"}, {"copies": 0}, {"ppi": 5}, {"ground": "blue"}):
        with pytest.raises(OrvixError):
            create_order(proof.owner, proof.pk, TIN | change)
    assert not Order.objects.exists()
    assert not Job.objects.exists()


@pytest.mark.slow
def test_a_desk_that_fails_is_asked_again_and_one_that_is_slow_waited_for(proof, settings):
    settings.PRINT_DESK_MANNER = "failing"
    order = create_order(proof.owner, proof.pk, TIN)
    work()
    order.refresh_from_db()
    assert (order.state, order.tries) == ("ready", 2)
    settings.PRINT_DESK_MANNER = "slow"
    slow = create_order(proof.owner, proof.pk, TIN)
    work()
    slow.refresh_from_db()
    assert slow.state == "ready"
    assert DeskTicket.objects.exclude(state="").count() == 2


@pytest.mark.slow
def test_a_desk_that_stays_away_leaves_the_order_to_be_sent_again_as_the_same(proof, settings, monkeypatch):
    settings.PRINT_DESK_MANNER = "failing"
    monkeypatch.setattr(orders, "MOST_TRIES", 1)
    order = create_order(proof.owner, proof.pk, TIN)
    job = work()
    assert job.state == FAILED
    assert "The order is saved" in job.error
    order.refresh_from_db()
    assert order.state == "failed"
    token, sent = order.token, bytes(order.file)
    assert sent, "what was to be sent is kept"
    settings.PRINT_DESK_MANNER = "as it should"
    retry(proof.owner, job.pk)
    work()
    order.refresh_from_db()
    assert (order.state, order.token, bytes(order.file)) == ("ready", token, sent)
    assert DeskTicket.objects.count() == 1


@pytest.mark.slow
def test_a_worker_killed_after_the_desk_took_it_makes_no_second_order(proof, monkeypatch):
    order = create_order(proof.owner, proof.pk, TIN)
    take = orders._take

    def killed(*_) -> None:
        raise KeyboardInterrupt

    monkeypatch.setattr(orders, "_take", killed)
    with pytest.raises(KeyboardInterrupt):
        run_job(Job.objects.first().pk)
    assert DeskTicket.objects.get().state == "received"
    monkeypatch.setattr(orders, "_take", take)
    work()
    order.refresh_from_db()
    assert order.state == "ready"
    assert DeskTicket.objects.count() == 1


def test_a_desk_that_rejects_says_why_on_the_wall(proof, settings, client):
    settings.PRINT_DESK_MANNER = "rejecting"
    create_order(proof.owner, proof.pk, TIN)
    work()
    told = client.get(f"/proofs/{proof.pk}/orders/").content.decode()
    assert "refused" in told
    assert "set to refuse every order" in told


def test_a_canvas_is_checked_by_its_own_resolution_seam_and_fit(kit):
    proof = create_proof(kit.owner, "canvas", kit.canvas.pk)
    found = {one.name: one for one in checked(Of.proof(proof), {"goods": "tote"})}
    assert found["resolution"].measured == f"{kit.canvas.ppi:g} ppi"
    assert [one.ok for one in found.values()] == [True] * 7
    low = {one.name: one for one in checked(Of.proof(proof), {"goods": "tote", "ppi": 100})}
    assert low["resolution"].mend == "enlarge"


def test_orders_are_each_painters_own(proof, stranger, client):
    order = create_order(proof.owner, proof.pk, TIN)
    Order.objects.filter(pk=order.pk).update(owner=stranger)
    for what in ("pdf", "file"):
        assert client.get(f"/proofs/orders/{order.pk}/{what}/").status_code == 404
    assert client.post(f"/proofs/orders/{order.pk}/again/").status_code == 404
    with pytest.raises(Http404):
        create_order(stranger, proof.pk, TIN)
    with pytest.raises(Http404):
        create_proof(stranger, "tile", proof.tile_id)
    assert {one.name for one in GOODS} >= {"tote", "tin"}


@pytest.mark.slow
def test_an_order_whose_job_is_stopped_says_so_and_is_sent_again(proof, client):
    order = create_order(proof.owner, proof.pk, TIN)
    assert "waiting" in client.get(f"/proofs/{proof.pk}/orders/").content.decode()
    cancel(proof.owner, Job.objects.get().pk)
    page = client.get(f"/proofs/{proof.pk}/orders/").content.decode()
    assert "Cancelled before the print desk finished" in page
    assert "hx-trigger" not in page, "nothing more happens by itself"
    client.post(f"/proofs/orders/{order.pk}/again/")
    work()
    order.refresh_from_db()
    assert order.state == "ready"
    assert DeskTicket.objects.count() == 1
