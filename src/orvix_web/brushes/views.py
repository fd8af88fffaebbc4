"""The brush place: the list and the brush bench."""

from __future__ import annotations

from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from orvix.brushes.tips.registry import MOST_PICTURES
from orvix.devices.stylus import CELLS
from orvix.errors import BadValue
from orvix.lettering.fonts import MOST_OCTETS, SHIPPED
from orvix_web.accounts.requests import PainterRequest
from orvix_web.brushes import services
from orvix_web.brushes.bench import bench_context
from orvix_web.brushes.loading import as_file
from orvix_web.brushes.models import Brush
from orvix_web.brushes.trials import FACTORS, sheet_strokes
from orvix_web.chain.queries import owned_things, picture_href
from orvix_web.drafts.views import opened
from orvix_web.errors import or_404
from orvix_web.forms import asked_version, json_field, number_field, whole_field
from orvix_web.shelf import services as shelf
from orvix_web.tiles.models import Grain


@require_GET
def brushes(request: PainterRequest) -> HttpResponse:
    """All brushes of the painter."""
    found = [(brush, brush.latest) for brush in Brush.objects.of(request.user)]
    grain = Grain.objects.of(request.user).first()
    context = {"place": "brushes", "brushes": found, "grain": grain.latest if grain else None}
    return render(request, "brushes/list.html", context)


@require_POST
def new_brush(request: PainterRequest) -> HttpResponse:
    """A new brush: a tile as its tip where one was asked for, else round, over a grain; the bench opens on it."""
    tip_version = whole_field(request, "tile_version", 0)
    if tip_version:
        return redirect("brush-page", services.create_tip_brush(request.user, tip_version).pk)
    grain_version = whole_field(request, "grain_version", 0) or None
    count = Brush.objects.of(request.user).count() + 1
    brush = services.create_brush(request.user, request.POST.get("name") or f"Brush {count}", grain_version)
    return redirect("brush-page", brush.pk)


@require_GET
def brush_page(request: PainterRequest, pk: int) -> HttpResponse:
    """The brush bench, on the newest version or the one asked for."""
    brush = or_404(Brush.objects.filter(owner=request.user, pk=pk).first())
    canvases = owned_things(request.user, "canvas")
    draft, version = opened(request, "brush", brush), asked_version(request, brush)
    definition = draft.value if draft.shown else version.definition
    context = bench_context(request.user, brush, version, definition, canvases) | {"draft": draft.page()}
    return render(request, "brushes/bench.html", context)


@require_POST
def keep_brush(request: PainterRequest, pk: int) -> HttpResponse:
    """Keep the definition as the brush's next version."""
    version = services.keep_brush(request.user, pk, json_field(request, "definition"))
    return render(request, "brushes/kept.html", {"brush": version.brush, "version": version})


@require_POST
def fit_grain(request: PainterRequest) -> JsonResponse:
    """The next version of a brush, its grain at the scale, and the turn, at which it closes on a canvas."""
    asked = whole_field(request, "version"), whole_field(request, "coat")
    turn = number_field(request, "turn", 0.0) if "turn" in request.POST else None
    version = services.fit_grain(request.user, *asked, request.POST.get("scale", ""), turn)
    shown = {"picture": picture_href("brush", version), "values": version.in_hand}
    return JsonResponse({"version": version.pk, "number": version.number, **shown})


@require_POST
def lay_set_alike(request: PainterRequest, pk: int) -> HttpResponse:
    """A set's brushes with one grain at one scale, turn and origin; the bench opens again."""
    services.lay_set_alike(request.user, pk, json_field(request, "definition"), whole_field(request, "coat"))
    return redirect("brush-page", pk)


@require_POST
def describe_brush(request: PainterRequest, pk: int) -> HttpResponse:
    """Name, describe, credit, tag a brush and put it in a set."""
    brush = services.describe_brush(request.user, pk, request.POST.dict())
    return render(request, "brushes/kept.html", {"brush": brush, "version": brush.latest})


@require_POST
def give_picture(request: PainterRequest, pk: int) -> HttpResponse:
    """Give a brush a picture from a file, or without one let it show its stroke again."""
    file = request.FILES.get("picture")
    brush = services.give_picture(request.user, pk, (file.name or "") if file else "", file.read() if file else b"")
    return render(request, "brushes/kept.html", {"brush": brush, "version": brush.latest})


@require_POST
def duplicate_brush(request: PainterRequest, pk: int) -> HttpResponse:
    """A copy, as the bench shows it; its own bench opens."""
    definition = json_field(request, "definition") if request.POST.get("definition") else None
    return redirect("brush-page", services.duplicate_brush(request.user, pk, definition).pk)


@require_POST
def take_apart(request: PainterRequest, pk: int) -> HttpResponse:
    """Each coat a brush of its own; the list of brushes opens."""
    services.take_apart(request.user, pk, json_field(request, "definition"))
    return redirect("brushes")


@require_POST
def delete_brush(request: PainterRequest, pk: int) -> HttpResponse:
    """Move a brush to the trash; what was painted with it goes on using it."""
    shelf.do(request.user, "trash", [f"brush-{pk}"])
    return redirect("brushes")


@require_GET
def brush_coats(request: PainterRequest, pk: int) -> HttpResponse:
    """The coats of a brush's newest version, to be taken into another."""
    brush = or_404(Brush.objects.filter(owner=request.user, pk=pk).first())
    return JsonResponse({"coats": brush.latest.definition["coats"]})


@require_GET
def font_sample(request: PainterRequest, name: str) -> HttpResponse:
    """A shipped font's sample as a small picture."""
    font = or_404(next((one for one in SHIPPED if one.name == name), None))
    response = HttpResponse(services.sample_png(font), content_type="image/png")
    response["Cache-Control"] = "max-age=86400"
    return response


@require_POST
def upload_tips(request: PainterRequest) -> HttpResponse:
    """Take pictures from files, several at once: each becomes a tile that a tip can be made of."""
    files = request.FILES.getlist("pictures")
    if not 1 <= len(files) <= MOST_PICTURES:
        raise BadValue("pictures", len(files), f"must be 1 to {MOST_PICTURES} files")
    versions = services.take_tips(request.user, [(str(one.name), one.read()) for one in files])
    told = [
        {
            "tile_version": one.pk,
            "name": f"{one.tile.name} v{one.number}",
            "picture": picture_href("tile", one),
            "paints": paints,
        }
        for one, paints in versions
    ]
    return JsonResponse({"tips": told})


@require_POST
def upload_font(request: PainterRequest) -> HttpResponse:
    """Take a font of the painter's own, checked; the page is loaded anew with it."""
    file = request.FILES.get("font")
    if file is None:
        raise BadValue("font", None, "must be a TTF or OTF file")
    services.take_font(request.user, str(file.name), file.read(MOST_OCTETS + 1))
    response = HttpResponse(status=204)
    response["HX-Refresh"] = "true"
    return response


@require_GET
def brush_file(request: PainterRequest, pk: int, number: int) -> HttpResponse:
    """One version as BRUSH.json, which `orvix paint` takes."""
    brush = or_404(Brush.objects.filter(owner=request.user, pk=pk).first())
    version = or_404(brush.versions.filter(number=number).first())
    response = JsonResponse(as_file(brush.owner_id, version.definition), json_dumps_params={"indent": 1})
    response["Content-Disposition"] = f'attachment; filename="brush-{pk}-v{number}.json"'
    return response


@require_GET
def sheet_file(request: PainterRequest, factor: int, cell: str) -> HttpResponse:
    """The strokes of the trial sheet as STROKES.json."""
    or_404((factor in FACTORS and cell in CELLS) or None)
    response = JsonResponse(sheet_strokes(factor, cell))
    response["Content-Disposition"] = f'attachment; filename="trial-strokes-{factor}-{cell}.json"'
    return response
