"""The tile place: the list, the tile bench and the grain page."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_POST

from orvix.devices.photo_tray import PREVIEW, develop
from orvix.grains.tone import TONE_VALUES
from orvix.pictures.writing import png_bytes, straight_8bit
from orvix.tiles.joining import Unrolling, unroll
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import REPEATS
from orvix.tiles.sources import SOURCES
from orvix_web.accounts.requests import PainterRequest
from orvix_web.chain.following import followers, publish, showing
from orvix_web.chain.queries import grain_users
from orvix_web.drafts.views import opened
from orvix_web.errors import or_404
from orvix_web.forms import asked_version, json_field, uploaded, whole_field
from orvix_web.jobs.models import Job
from orvix_web.jobs.services import shown_jobs
from orvix_web.shelf import services as shelf
from orvix_web.tiles import beginning, services
from orvix_web.tiles.cards import cards_context
from orvix_web.tiles.models import Grain, Tile, Upload
from orvix_web.tiles.rendering import tile_state

FILTERS = {
    "mine": "All",
    "drawn": "Drawn",
    "layouts": "Layouts",
    "photos": "Photos",
    "generated": "Generated",
    "brushes": "Made for brushes",
}


@require_GET
def tiles(request: PainterRequest) -> HttpResponse:
    """Tiles and grains of the painter, newest first, of one kind where it is asked for; and the ways to make one."""
    drawn = set(Tile.objects.of(request.user).filter(drawing__isnull=False).values_list("pk", flat=True))
    kinds: dict[str, list[tuple[Tile, Any]]] = {name: [] for name in FILTERS}
    for tile in Tile.objects.of(request.user):
        version = tile.latest
        kind = "brushes" if tile.of_brush else "drawn" if tile.pk in drawn else _kind(version.recipe["source"]["name"])
        kinds[kind].append((tile, version))
        if kind != "brushes":
            kinds["mine"].append((tile, version))
    show = request.GET.get("show", "mine")
    context = {
        "place": "tiles",
        "show": show if show in FILTERS else "mine",
        "filters": [(name, title, len(kinds[name])) for name, title in FILTERS.items()],
        "tiles": kinds.get(show, kinds["mine"]),
        "grain_sets": grain_sets(request.user, of_brush=show == "brushes"),
        "layouts": {tile.pk for tile, _ in kinds["layouts"]},
        "drawn": drawn,
        "begin": "new" in request.GET,
        **beginning.sheet(request.user),
    }
    return render(request, "tiles/list.html", context)


def _kind(source: str) -> str:
    return {"motifs": "layouts", "photo": "photos", "picture": "photos", "drawn": "drawn"}.get(source, "generated")


@require_GET
def source_picture(request: PainterRequest, name: str) -> HttpResponse:
    """A small picture of what a source makes."""
    response = HttpResponse(beginning.source_picture(name), content_type="image/png")
    response["Cache-Control"] = "private, max-age=86400"
    return response


@require_POST
def new_tile(request: PainterRequest) -> HttpResponse:
    """A new tile from a generated source, noise when none is named; the bench opens on it."""
    source = SOURCES.get(request.POST.get("source") or "noise")
    count = Tile.objects.of(request.user).count() + 1
    name = request.POST.get("name") or f"{source.title} {count}"
    tile = services.create_tile(request.user, name, {**services.NEW_TILE, "source": {"name": source.name}})
    return redirect("tile-page", tile.pk)


@require_POST
def take_photo(request: PainterRequest) -> HttpResponse:
    """A new tile from a photo of the tray."""
    tile = services.take_photo(request.user, request.POST.get("photo", ""))
    return redirect("tile-page", tile.pk)


@require_GET
def photo_preview(request: PainterRequest, name: str) -> HttpResponse:
    """A small picture of a photo of the tray."""
    response = HttpResponse(png_bytes(develop(name, *PREVIEW), level=3), content_type="image/png")
    response["Cache-Control"] = "private, max-age=86400"
    return response


@require_POST
def upload(request: PainterRequest) -> HttpResponse:
    """A new tile from a picture."""
    tile = services.take_upload(request.user, *uploaded(request))
    return redirect("tile-page", tile.pk)


@require_GET
def outside_file(request: PainterRequest, pk: int) -> HttpResponse:
    """A file from outside as it came; always to be kept, never to be shown by the browser itself."""
    found = or_404(Upload.objects.filter(owner=request.user, pk=pk).first())
    stem, _, ending = found.name.rpartition(".")
    name = f"{slugify(stem or ending) or 'picture'}.{slugify(ending) or 'bin'}"
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return HttpResponse(bytes(found.data), content_type="application/octet-stream", headers=headers)


@require_GET
def tile_page(request: PainterRequest, pk: int) -> HttpResponse:
    """The tile bench, on the newest version or the one asked for."""
    tile = or_404(Tile.objects.filter(owner=request.user, pk=pk).first())
    version = asked_version(request, tile)
    draft = opened(request, "tile", tile)
    recipe = Recipe.parse(draft.value if draft.shown else version.recipe)
    context = {
        "place": "tiles",
        "tile": tile,
        "version": version,
        "followers": followers(tile),
        "showing": showing(tile),
        "drawn": hasattr(tile, "drawing"),
        "draft": draft.page(),
        "unrolling": unrolling_of(Recipe.parse(version.recipe)),
        "repeats": REPEATS,
        "picture_id": recipe.values.get("file", ""),
        **cards_context(request.user.pk, recipe),
    }
    return render(request, "tiles/bench.html", context)


def unrolling_of(recipe: Recipe) -> Unrolling:
    """How the tile of a recipe unrolls to a straight one."""
    width, height, repeat = recipe.shape
    return Unrolling.of(repeat, width, height)


@require_POST
def recipe_cards(request: PainterRequest) -> HttpResponse:
    """The cards of a recipe that is not kept: for the page after a step was added, moved, or taken out."""
    recipe = Recipe.parse(json_field(request, "recipe"))
    return render(request, "tiles/cards.html", {"repeats": REPEATS, **cards_context(request.user.pk, recipe)})


@require_POST
def keep_tile(request: PainterRequest, pk: int, bench: str = "") -> HttpResponse:
    """Publish the recipe as the next version, with what follows it; answers with the head and the versions again.

    The layout bench has no versions of its own: it gets the head alone.
    """
    kept = publish(request.user, pk, json_field(request, "recipe"), request.POST.getlist("follow"))
    tile = Tile.objects.get(owner=request.user, pk=pk)
    context: dict[str, Any] = {
        "tile": tile,
        "version": tile.latest,
        "followers": followers(tile),
        "showing": showing(tile),
        "bench": bench,
    }
    context["unrolling"] = unrolling_of(Recipe.parse(tile.latest.recipe))
    if isinstance(kept, Job):
        return render(request, "tiles/queued.html", context | {"jobs": shown_jobs(request.user), "active": True})
    return render(request, "tiles/head.html" if bench == "layout" else "tiles/kept.html", context)


@require_POST
def split_off(request: PainterRequest, pk: int) -> HttpResponse:
    """A tile of its own from a changed recipe; says where it is."""
    tile = services.split_off(request.user, pk, request.POST.get("name", ""), json_field(request, "recipe"))
    return JsonResponse({"href": reverse("tile-page", args=[tile.pk])})


@require_GET
def unrolled(request: PainterRequest, pk: int) -> HttpResponse:
    """A version unrolled to the straight tile that shows the same cloth, as a PNG."""
    tile = or_404(Tile.objects.filter(owner=request.user, pk=pk).first())
    version = asked_version(request, tile)
    state = tile_state(version)
    png = png_bytes(straight_8bit(unroll(state.pixels, state.repeat)), level=4)
    response = HttpResponse(png, content_type="image/png")
    response["Content-Disposition"] = f'attachment; filename="{slugify(tile.name) or "tile"}-v{version.number}.png"'
    return response


@require_POST
def new_grain(request: PainterRequest) -> HttpResponse:
    """A grain from a version of a tile; its page opens."""
    grain = services.create_grain(request.user, whole_field(request, "tile_version"))
    return redirect("grain-page", grain.pk)


@require_GET
def grain_page(request: PainterRequest, pk: int) -> HttpResponse:
    """The grain page."""
    grain = or_404(Grain.objects.filter(owner=request.user, pk=pk).first())
    version = grain.latest
    newest = version.tile_version.tile.latest
    draft = opened(request, "grain", grain)
    context = {
        "place": "tiles",
        "grain": grain,
        "version": version,
        "draft": draft.page(),
        "scale": draft.value["scale"],
        "tile_version": draft.value["tile_version"],
        "values": [(value, draft.value["tone"][value.name]) for value in TONE_VALUES],
        "sets": Grain.objects.of(request.user).exclude(set_name="").values_list("set_name", flat=True).distinct(),
        "uses": grain_users(grain),
        "newer": newest if newest.pk != draft.value["tile_version"] else None,
    }
    return render(request, "tiles/grain.html", context)


@require_POST
def keep_grain(request: PainterRequest, pk: int) -> HttpResponse:
    """Keep the tone as the grain's next version."""
    tile_version = whole_field(request, "tile_version")
    scale = request.POST.get("scale") or "1/2"
    version = services.keep_grain(request.user, pk, tile_version, json_field(request, "tone"), scale)
    return render(request, "tiles/grain_kept.html", {"grain": version.grain, "version": version})


def grain_sets(owner: Any, of_brush: bool | None = None) -> list[tuple[str, list[tuple[Grain, Any]]]]:
    """Grains by set, those in none first, sets by name. of_brush: only those that came with a brush, or only others."""
    sets: dict[str, list[tuple[Grain, Any]]] = {}
    found = Grain.objects.of(owner)
    for grain in found if of_brush is None else found.filter(of_brush=of_brush):
        sets.setdefault(grain.set_name, []).append((grain, grain.latest))
    return sorted(sets.items())


@require_POST
def name_grain(request: PainterRequest, pk: int) -> HttpResponse:
    """Another name, another set."""
    grain = services.name_grain(request.user, pk, request.POST.get("name", ""), request.POST.get("set", ""))
    return redirect("grain-page", grain.pk)


@require_POST
def duplicate_grain(request: PainterRequest, pk: int) -> HttpResponse:
    """A copy of a grain; its page opens."""
    return redirect("grain-page", services.duplicate_grain(request.user, pk).pk)


@require_POST
def delete_grain(request: PainterRequest, pk: int) -> HttpResponse:
    """Move a grain to the trash; what uses it goes on using it."""
    shelf.do(request.user, "trash", [f"grain-{pk}"])
    return redirect("tiles")


@require_POST
def upload_grain(request: PainterRequest) -> HttpResponse:
    """A grain from a file: the tile it is read from is made on the way."""
    tile = services.take_upload(request.user, *uploaded(request))
    return redirect("grain-page", services.create_grain(request.user, tile.latest.pk, tile.name).pk)
