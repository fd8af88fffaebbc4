"""The panel of jobs on every page, and the list of all of them."""

from __future__ import annotations

from django.http import HttpResponse, StreamingHttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from orvix_web.accounts.requests import PainterRequest
from orvix_web.errors import or_404
from orvix_web.jobs import services
from orvix_web.jobs.models import Job, Product
from orvix_web.jobs.products import sent


@require_GET
def panel(request: PainterRequest) -> HttpResponse:
    """The jobs that matter now; asked again by the page while one runs. One that has just ended is told to the page."""
    jobs = services.shown_jobs(request.user)
    response = render(request, "jobs/panel.html", {"jobs": jobs, "active": any(job.active for job in jobs)})
    ended = {str(job.pk) for job in jobs if not job.active}
    if ended & set(request.GET.get("active", "").split(",")):
        response["HX-Trigger"] = "orvix-changed, orvix-job-ended"
    return response


@require_GET
def jobs(request: PainterRequest) -> HttpResponse:
    """All long work, the newest first."""
    return render(request, "jobs/list.html", {"jobs": Job.objects.filter(owner=request.user)[:200]})


@require_GET
def product(request: PainterRequest, pk: int) -> StreamingHttpResponse:
    """The file that a job made."""
    made = or_404(Product.objects.filter(job__owner=request.user, job_id=pk).first())
    headers = {"Content-Disposition": f'attachment; filename="{made.name}"', "Content-Length": str(made.size)}
    return StreamingHttpResponse(sent(made), content_type=made.content_type, headers=headers)


@require_POST
def cancel(request: PainterRequest, pk: int) -> HttpResponse:
    """Stop a job."""
    services.cancel(request.user, pk)
    return _panel_after(request)


@require_POST
def retry(request: PainterRequest, pk: int) -> HttpResponse:
    """Queue a job again."""
    services.retry(request.user, pk)
    return _panel_after(request)


@require_POST
def put_away(request: PainterRequest, pk: int) -> HttpResponse:
    """Take a finished job off the pages."""
    services.put_away(request.user, pk)
    return _panel_after(request)


def _panel_after(request: PainterRequest) -> HttpResponse:
    found = services.shown_jobs(request.user)
    return render(request, "jobs/panel.html", {"jobs": found, "active": any(job.active for job in found)})
