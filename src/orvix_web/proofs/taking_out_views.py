"""Taking pictures out as files."""

from __future__ import annotations

from django.http import HttpResponse, JsonResponse
from django.views.decorators.http import require_http_methods

from orvix_web.accounts.requests import PainterRequest
from orvix_web.errors import or_404
from orvix_web.proofs import exporting
from orvix_web.proofs.sources import find


@require_http_methods(["GET", "POST"])
def take_out(request: PainterRequest, kind: str, pk: int) -> HttpResponse:
    """POST: check what is asked, and say where it can be fetched, or that a job makes it. GET: the file itself."""
    told = (request.POST if request.method == "POST" else request.GET).dict()
    if request.method == "POST":
        job = exporting.ask_to_take_out(request.user, kind, pk, told)
        query = request.POST.copy()
        query.pop("csrfmiddlewaretoken", None)
        where = {"job": job.pk} if job else {"href": f"{request.path}?{query.urlencode()}"}
        return JsonResponse(where | {"flattened": exporting.flattened(request.user, kind, pk, told)})
    of = or_404(find(request.user, kind, pk))
    name, content_type, data = exporting.taken_out(of, exporting.asked_of(of, told))
    return HttpResponse(
        data, content_type=content_type, headers={"Content-Disposition": f'attachment; filename="{name}"'}
    )
