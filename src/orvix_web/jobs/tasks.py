"""What the worker runs: one task, which finds its job, does it, and says how it went."""

from __future__ import annotations

import logging
from time import monotonic

from django.db import transaction
from procrastinate.contrib.django import app

from orvix.errors import OrvixError
from orvix.progress import Stopped, Watch
from orvix_web.jobs.kinds import KINDS
from orvix_web.jobs.models import CANCELLED, DONE, FAILED, RUNNING, WAITING, Job
from orvix_web.jobs.services import QUEUE, TASK

log = logging.getLogger("orvix_web.jobs")
TELL_SECONDS = 0.25
MOST_TRIES = 3


class JobWatch:
    """Writes how far a job is, at most four times a second, and reads whether it is to stop."""

    def __init__(self, pk: int) -> None:
        self._pk = pk
        self._told = 0.0
        self._looked = 0.0
        self._stop = False

    def tell(self, share: float, words: str) -> None:
        """Keep progress; never going back, and no further once the painter has cancelled."""
        now = monotonic()
        if now - self._told < TELL_SECONDS:
            return
        self._told = now
        rows = Job.objects.filter(pk=self._pk, share__lte=share, cancel_asked=False)
        rows.update(share=min(share, 0.999), words=words[:120])

    def asked_to_stop(self) -> bool:
        """Whether the painter has cancelled it; asked of the database at most four times a second."""
        now = monotonic()
        if not self._stop and now - self._looked >= TELL_SECONDS:
            self._looked = now
            self._stop = not Job.objects.filter(pk=self._pk, cancel_asked=False).exists()
        return self._stop


@app.task(name=TASK, queue=QUEUE)
def run_job(job: int) -> None:
    """Do one job. A core error is its failure, in its own words; anything else is told as a fault of the program."""
    found = _begin(job)
    if found is None:
        return
    watching = JobWatch(found.pk)
    try:
        result = KINDS[found.kind](found, Watch(watching.tell, watching.asked_to_stop))
    except Stopped:
        _end(found.pk, state=CANCELLED, words="")
    except OrvixError as error:
        _end(found.pk, state=FAILED, error=error.sentence, words="")
    except Exception:
        log.exception("job %s (%s) failed", found.pk, found.kind)
        _end(
            found.pk,
            state=FAILED,
            error="Something went wrong in Orvix. The details are in the server log. Try again.",
            words="",
        )
    else:
        _end(found.pk, state=DONE, share=1.0, result=result, words="")


def _begin(pk: int) -> Job | None:
    """The job, marked as running; None where it was cancelled, is done, or has been begun too often."""
    with transaction.atomic():
        job = (
            Job.objects.select_for_update().select_related("owner").filter(pk=pk, state__in=(WAITING, RUNNING)).first()
        )
        if job is None:
            return None
        if job.tries >= MOST_TRIES:
            job.state, job.error = (
                FAILED,
                f"This job stopped {MOST_TRIES} times. Try a smaller size.",
            )
            job.save()
            return None
        job.state, job.tries, job.share = RUNNING, job.tries + 1, 0.0
        job.save()
        return job


def _end(pk: int, **fields: object) -> None:
    Job.objects.filter(pk=pk).update(**fields)
