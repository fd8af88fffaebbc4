"""Painting a canvas again, as its pages ask for it: the job, what came of it, and throwing that away."""

from __future__ import annotations

import json

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from orvix.errors import BadValue
from orvix_web.accounts.requests import PainterRequest
from orvix_web.canvases import branches, enlarging, proposals, repainting, time_lapse
from orvix_web.canvases.models import Canvas
from orvix_web.forms import number_field, whole_field
from orvix_web.jobs.services import shown_jobs


@require_POST
def paint_again(request: PainterRequest, pk: int) -> HttpResponse:
    """Queue painting a canvas again with the newest of the brushes that are named; answers with the panel of jobs."""
    repainting.ask_to_paint_again(request.user, pk, request.POST.getlist("before"))
    return render(request, "jobs/panel.html", {"jobs": shown_jobs(request.user), "active": True})


@require_POST
def enlarge(request: PainterRequest, pk: int) -> HttpResponse:
    """Queue painting a canvas again at another size, or with other edges; answers with the panel of jobs."""
    enlarging.ask_to_enlarge(request.user, pk, request.POST.dict())
    return render(request, "jobs/panel.html", {"jobs": shown_jobs(request.user), "active": True})


@require_GET
def painted_again(request: PainterRequest, pk: int) -> HttpResponse:
    """What could be painted again here, what has been and waits to be looked at; `beside`, a canvas made of this."""
    row = repainting.owned(request.user, pk)
    waits = repainting.waiting(row)
    told = {"newer": repainting.newer_brushes(row), "waits": repainting.proposed(row, waits) if waits else None}
    asked = request.GET.get("beside", "")
    number = int(asked) if asked.isascii() and asked.isdigit() and len(asked) < 12 else 0
    other = Canvas.objects.filter(owner=request.user, pk=number).first()
    if other is not None:
        href = reverse("canvas-page", args=[other.pk])
        told["beside"] = {"canvas": other.pk, "name": other.name, "size": [other.width, other.height], "href": href}
    return JsonResponse(told)


@require_POST
def throw_away(request: PainterRequest, pk: int, number: int) -> HttpResponse:
    """Leave the canvas as it is."""
    repainting.throw_away(request.user, pk, number)
    return HttpResponse(status=204)


@require_GET
def undone(request: PainterRequest, pk: int) -> HttpResponse:
    """What was painted before an undo and can be brought back."""
    return JsonResponse({"branches": branches.branches(repainting.owned(request.user, pk))})


@require_POST
def rework(request: PainterRequest, pk: int) -> HttpResponse:
    """Queue putting strokes right, told as JSON in `told`; answers with the panel of jobs."""
    try:
        told = json.loads(request.POST.get("told", ""))
    except ValueError:
        told = None
    if not isinstance(told, dict):
        raise BadValue("told", request.POST.get("told", "")[:60], "must be what is to be done with strokes, as JSON")
    proposals.ask_to_rework(request.user, pk, told)
    return render(request, "jobs/panel.html", {"jobs": shown_jobs(request.user), "active": True})


@require_POST
def bring_back_by_job(request: PainterRequest, pk: int, number: int) -> HttpResponse:
    """Queue painting what was undone once more; answers with the panel of jobs."""
    proposals.ask_to_bring_back(request.user, pk, number)
    return render(request, "jobs/panel.html", {"jobs": shown_jobs(request.user), "active": True})


@require_POST
def bring_back(request: PainterRequest, pk: int, number: int) -> HttpResponse:
    """Paint it once more beside the canvas; the answer names the state to be taken up."""
    return JsonResponse({"state": branches.bring_back(request.user, pk, number)})


@require_POST
def throw_undone_away(request: PainterRequest, pk: int, number: int) -> HttpResponse:
    """Throw it away for good."""
    branches.throw_away(request.user, pk, number)
    return HttpResponse(status=204)


@require_POST
def ask_for_time_lapse(request: PainterRequest, pk: int) -> HttpResponse:
    """Queue a time-lapse; answers with the panel of jobs."""
    told = {"format": request.POST.get("format", "webp"), "side": whole_field(request, "side", 960)}
    told |= {"seconds": number_field(request, "seconds", 10.0)}
    time_lapse.ask_for_time_lapse(request.user, pk, told)
    return render(request, "jobs/panel.html", {"jobs": shown_jobs(request.user), "active": True})
