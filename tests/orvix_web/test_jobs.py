"""Long work: queued with its row, done by the worker's task, cancelled, retried, failed in words, and nobody else's."""

from __future__ import annotations

import json

import numpy as np
import pytest
from procrastinate.contrib.django.models import ProcrastinateJob

from orvix.errors import BadValue
from orvix.tiles.recipe import Recipe
from orvix_web.errors import NotYours
from orvix_web.jobs import services, tasks
from orvix_web.jobs.models import CANCELLED, DONE, FAILED, RUNNING, WAITING, Job
from orvix_web.tiles.models import Tile
from orvix_web.tiles.rendering import pack_pixels, tile_pixels, unpack_pixels
from orvix_web.tiles.services import create_tile

LARGE = {"size": [3200, 3200], "source": {"name": "noise", "values": {"octaves": 1}}}
SMALL = {"size": [64, 64], "source": {"name": "noise"}}


@pytest.fixture
def tile(painter) -> Tile:
    return create_tile(painter, "Fog", SMALL)


@pytest.fixture
def client(client, painter):
    return client


def queued(painter, tile, recipe=SMALL) -> Job:
    return services.ask_for(painter, "keep-tile", "Fog", {"tile": tile.pk, "recipe": recipe})


def test_what_takes_long_is_judged_by_px_and_steps():
    assert not Recipe.parse(SMALL).takes_long
    assert Recipe.parse(LARGE).takes_long
    mended = {
        "size": [1024, 1024],
        "source": {"name": "noise"},
        "steps": [{"name": "even-light"}, {"name": "mend-border"}],
    }
    assert not Recipe.parse(mended).takes_long
    assert Recipe.parse({**mended, "size": [2048, 2048]}).takes_long
    preview, times = Recipe.parse(LARGE).preview()
    assert ((preview.width, preview.height), times) == ((1024, 1024), 3.125)
    assert Recipe.parse(SMALL).preview() == (Recipe.parse(SMALL), 1.0)


def test_a_large_tile_is_queued_when_it_is_kept_and_made_whole_by_the_worker(client, painter, tile, monkeypatch):
    monkeypatch.setattr("orvix.tiles.recipe.LONG_WORK_PX", 100_000)
    large = {**LARGE, "size": [400, 400]}
    response = client.post(f"/tiles/{tile.pk}/keep/", {"recipe": json.dumps(large)}, headers={"HX-Request": "true"})
    assert b"data-job=" in response.content
    job = Job.objects.get()
    assert (job.state, job.title) == (WAITING, "Publish Fog, 400 × 400 px")
    assert ProcrastinateJob.objects.get().args == {"job": job.pk}
    assert tile.versions.count() == 1
    tasks.run_job.func(job=job.pk)
    job.refresh_from_db()
    assert (job.state, job.share, job.tries) == (DONE, 1.0, 1)
    version = tile.latest
    assert job.result["href"] == f"/tiles/{tile.pk}/?version=2"
    assert version.readings["full"]
    assert version.stored is not None
    assert np.array_equal(tile_pixels(version), Recipe.parse(large).render())
    page = client.get(job.result["href"]).content.decode()
    assert "400 × 400 px" in page
    assert "Open</a>" in client.get("/work/panel/").content.decode()
    told = client.get(f"/work/panel/?active={job.pk},").headers["HX-Trigger"]
    assert "orvix-changed" in told
    tasks.run_job.func(job=job.pk)
    assert tile.versions.count() == 2


def test_pixels_are_packed_without_loss():
    pixels = np.random.default_rng(1).integers(0, 65536, (33, 21, 4)).astype(np.uint16)
    assert np.array_equal(unpack_pixels(pack_pixels(pixels), 33, 21), pixels)


def test_a_job_that_waits_is_cancelled_at_once_and_can_be_asked_for_again(client, painter, tile):
    job = queued(painter, tile)
    client.post(f"/work/{job.pk}/cancel/")
    job.refresh_from_db()
    assert job.state == CANCELLED
    tasks.run_job.func(job=job.pk)
    assert tile.versions.count() == 1
    client.post(f"/work/{job.pk}/retry/")
    job.refresh_from_db()
    assert job.state == WAITING
    assert ProcrastinateJob.objects.count() == 2
    tasks.run_job.func(job=job.pk)
    assert tile.versions.count() == 2


def test_a_job_that_runs_stops_at_its_next_step_and_keeps_nothing(painter, tile, monkeypatch):
    job = queued(painter, tile, {**SMALL, "steps": [{"name": "negative"}]})
    monkeypatch.setattr(tasks, "TELL_SECONDS", 0.0)
    told = tasks.JobWatch.tell

    def cancelled_on_the_way(self, share, words):
        told(self, share, words)
        services.cancel(painter, job.pk)

    monkeypatch.setattr(tasks.JobWatch, "tell", cancelled_on_the_way)
    tasks.run_job.func(job=job.pk)
    job.refresh_from_db()
    assert job.state == CANCELLED
    assert 0 < job.share < 1
    assert tile.versions.count() == 1


def test_a_job_that_tells_often_is_stopped_all_the_same_and_climbs_no_further(client, painter, tile, monkeypatch):
    job = queued(painter, tile)
    clock = iter(range(1, 10_000))
    monkeypatch.setattr(tasks, "monotonic", lambda: 0.1 * next(clock))
    services.cancel(painter, job.pk)
    stopped, shown = [], []

    def work(found, watch):
        Job.objects.filter(pk=found.pk).update(cancel_asked=True, share=0.25)
        for n in range(60):
            watch.tell(0.3 + n / 100, "on the way")
            shown.append(Job.objects.get(pk=found.pk).share)
            watch.stop_if_asked()
        stopped.append("never")

    monkeypatch.setitem(tasks.KINDS, "keep-tile", work)
    Job.objects.filter(pk=job.pk).update(state=WAITING, cancel_asked=False)
    tasks.run_job.func(job=job.pk)
    job.refresh_from_db()
    assert (job.state, stopped) == (CANCELLED, [])
    assert set(shown) == {0.25}
    # It does not vanish: it says that it was cancelled until it is dismissed.
    page = client.get("/work/panel/").content.decode()
    assert "Cancelled" in page
    assert "Retry" in page
    client.post(f"/work/{job.pk}/put-away/")
    assert "data-job=" not in client.get("/work/panel/").content.decode()


def test_a_failure_is_told_in_the_cores_own_words(client, painter, tile):
    steps = [{"name": "levels", "values": {"black": 0.9, "white": 0.2}}]
    job = queued(painter, tile, {**SMALL, "steps": steps})
    tasks.run_job.func(job=job.pk)
    job.refresh_from_db()
    assert job.state == FAILED
    assert job.error.startswith("White cannot be 0.2. It must be above black")
    assert "It must be above black" in client.get("/work/").content.decode()
    client.post(f"/work/{job.pk}/put-away/")
    assert "data-job=" not in client.get("/work/panel/").content.decode()
    assert "It must be above black" in client.get("/work/").content.decode()


def test_a_fault_of_the_program_fails_the_job_and_not_the_worker(painter, tile, monkeypatch, caplog):
    job = queued(painter, tile)

    def broken(job, watch):
        raise ZeroDivisionError

    monkeypatch.setitem(tasks.KINDS, "keep-tile", broken)
    tasks.run_job.func(job=job.pk)
    job.refresh_from_db()
    assert job.state == FAILED
    assert "in the server log" in job.error
    assert "ZeroDivisionError" in caplog.text


def test_what_a_dead_worker_left_is_done_again_but_not_for_ever(painter, tile):
    job = queued(painter, tile)
    Job.objects.filter(pk=job.pk).update(state=RUNNING, tries=1)
    tasks.run_job.func(job=job.pk)
    job.refresh_from_db()
    assert (job.state, job.tries) == (DONE, 2)
    other = queued(painter, tile)
    Job.objects.filter(pk=other.pk).update(state=RUNNING, tries=3)
    tasks.run_job.func(job=other.pk)
    other.refresh_from_db()
    assert (other.state, other.error[:24]) == (FAILED, "This job stopped 3 times")


def test_jobs_are_their_owners_only_and_not_without_end(client, painter, stranger, tile, monkeypatch):
    job = Job.objects.create(owner=stranger, kind="keep-tile", title="Secret", payload={})
    for what in ("cancel", "retry", "put-away"):
        assert client.post(f"/work/{job.pk}/{what}/").status_code == 404
    assert "Secret" not in client.get("/work/").content.decode()
    with pytest.raises(NotYours):
        services.cancel(painter, job.pk)
    theirs = services.ask_for(
        painter, "keep-tile", "Theirs", {"tile": create_tile(stranger, "S", SMALL).pk, "recipe": SMALL}
    )
    tasks.run_job.func(job=theirs.pk)
    theirs.refresh_from_db()
    assert theirs.state == FAILED
    monkeypatch.setattr(services, "MOST_WAITING", 1)
    queued(painter, tile)
    with pytest.raises(BadValue, match="1 jobs are waiting already"):
        queued(painter, tile)
