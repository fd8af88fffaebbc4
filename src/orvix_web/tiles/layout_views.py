"""The layout bench: motifs laid out on the cloth."""

from __future__ import annotations

from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from orvix.tiles.motifs.filling import VALUES as FILL
from orvix.tiles.motifs.shapes import SHAPES
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import REPEATS
from orvix_web.accounts.requests import PainterRequest
from orvix_web.chain.following import followers, showing
from orvix_web.drafts.views import opened
from orvix_web.errors import or_404
from orvix_web.forms import asked_version, number_field, side_field, uploaded, whole_field
from orvix_web.tiles import layouts
from orvix_web.tiles.cards import rows_of
from orvix_web.tiles.models import Tile, Upload


@require_POST
def new_layout(request: PainterRequest) -> HttpResponse:
    """A new tile to lay motifs out on; the layout bench opens on it."""
    ppi, unit = number_field(request, "ppi", 300.0), request.POST.get("unit") or "px"
    repeat = request.POST.get("repeat") or "straight"
    told = {
        "size": [side_field(request, name, unit, ppi, 1024) for name in ("width", "height")],
        "repeat": "half-drop" if repeat == "honeycomb" else repeat,
        "stagger": request.POST.get("stagger") or "1/2",
    }
    count = Tile.objects.of(request.user).count() + 1
    tile = layouts.create_layout(request.user, request.POST.get("name") or f"Layout {count}", told)
    return redirect("layout-page", tile.pk)


@require_GET
def layout_page(request: PainterRequest, pk: int) -> HttpResponse:
    """The layout bench, on the draft, the newest version, or the one asked for."""
    tile = or_404(Tile.objects.filter(owner=request.user, pk=pk).first())
    version = asked_version(request, tile)
    draft = opened(request, "tile", tile)
    recipe = Recipe.parse(draft.value if draft.shown else version.recipe)
    if recipe.source.name != "motifs":
        raise Http404
    fill = {value.name: value.default for value in FILL}
    context = {
        "place": "tiles",
        "tile": tile,
        "version": version,
        "followers": followers(tile),
        "showing": showing(tile),
        "bench": "layout",
        "recipe_json": recipe.as_dict(),
        "draft": draft.page(),
        "repeats": REPEATS,
        "numbers": (
            ("x", "X", "px"),
            ("y", "Y", "px"),
            ("turn", "Rotation", "degrees"),
            ("scale", "Scale", "times"),
        ),
        "shapes": list(SHAPES),
        "outside": Upload.objects.of(request.user).defer("data")[:60],
        "fill_rows": rows_of(FILL, fill, "fill"),
        "tiles": [(one, one.latest) for one in Tile.objects.of(request.user).exclude(pk=pk)[:60]],
    }
    return render(request, "tiles/layout.html", context)


@require_POST
def take_motif(request: PainterRequest) -> HttpResponse:
    """An SVG or a picture as a motif, as a layout holds it; or one that is on the shelf."""
    if request.POST.get("kept"):
        return JsonResponse({"motif": layouts.kept_motif(request.user, whole_field(request, "kept"))})
    motif, notes = layouts.take_motif(request.user, *uploaded(request))
    return JsonResponse({"motif": motif, "notes": notes})
