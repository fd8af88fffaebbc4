"""Asking for long work, and asking for it to stop."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from procrastinate.contrib.django import app

from orvix.errors import BadValue
from orvix_web.errors import NotYours
from orvix_web.jobs.models import CANCELLED, FAILED, RUNNING, WAITING, Job

TASK = "orvix_web.run_job"
QUEUE = "long-work"
MOST_WAITING = 40


def ask_for(owner: User, kind: str, title: str, payload: dict[str, Any]) -> Job:
    """Queue a job; the row and its place in the queue are written together."""
    with transaction.atomic():
        if Job.objects.filter(owner=owner, state__in=(WAITING, RUNNING)).count() >= MOST_WAITING:
            raise BadValue(
                "job", title, f"{MOST_WAITING} jobs are waiting already. Cancel some or wait for one to finish."
            )
        job = Job.objects.create(owner=owner, kind=kind, title=title[:200], payload=payload)
        _queue(job)
    return job


def _queue(job: Job) -> None:
    app.configure_task(TASK, queue=QUEUE).defer(job=job.pk)


def _locked(owner: User, pk: int) -> Job:
    job = Job.objects.select_for_update().filter(owner=owner, pk=pk).first()
    if job is None:
        raise NotYours("This job no longer exists.")
    return job


def cancel(owner: User, pk: int) -> Job:
    """Stop a job: at once where it waits, at its next step where it runs. What is over stays as it is."""
    with transaction.atomic():
        job = _locked(owner, pk)
        if job.state == WAITING:
            job.state = CANCELLED
        job.cancel_asked = job.active or job.state == CANCELLED
        job.save()
    return job


def retry(owner: User, pk: int) -> Job:
    """Queue a job again that failed or was cancelled."""
    with transaction.atomic():
        job = _locked(owner, pk)
        if job.state in (FAILED, CANCELLED):
            job.state, job.share, job.words, job.error = WAITING, 0.0, "", ""
            job.cancel_asked, job.seen, job.tries = False, False, 0
            job.save()
            _queue(job)
    return job


def shown_jobs(owner: User, most: int = 4) -> list[Job]:
    """The newest jobs that wait, run, or have ended without being put away."""
    return list(Job.objects.filter(owner=owner, seen=False)[:most])


def put_away(owner: User, pk: int) -> None:
    """Take a finished job off the pages; the list of all keeps it."""
    with transaction.atomic():
        job = _locked(owner, pk)
        if not job.active:
            job.seen = True
            job.save()
