"""Addresses of the pages."""

from django.urls import path

from orvix_web.accounts import views as accounts
from orvix_web.brushes import views as brushes
from orvix_web.canvases import drawing_views as drawings
from orvix_web.canvases import repainting_views as repainting
from orvix_web.canvases import taking_views as taking
from orvix_web.canvases import views as canvases
from orvix_web.chain import views as chain
from orvix_web.jobs import views as jobs
from orvix_web.proofs import views as proofs
from orvix_web.tiles import layout_views as layouts
from orvix_web.tiles import views as tiles

urlpatterns = [
    path("", chain.home, name="home"),
    path("pen/", accounts.pen_page, name="pen"),
    path("pen/keep/", accounts.keep_pen_view, name="keep-pen"),
    path("work/", jobs.jobs, name="jobs"),
    path("work/panel/", jobs.panel, name="jobs-panel"),
    path("work/<int:pk>/cancel/", jobs.cancel, name="cancel-job"),
    path("work/<int:pk>/retry/", jobs.retry, name="retry-job"),
    path("work/<int:pk>/put-away/", jobs.put_away, name="put-away-job"),
    path("chain/", chain.strip, name="chain"),
    path("thumbnails/<slug:kind>/<int:pk>/<slug:mark>.png", chain.thumbnail, name="thumbnail"),
    path("tiles/", tiles.tiles, name="tiles"),
    path("tiles/new/", tiles.new_tile, name="new-tile"),
    path("tiles/upload/", tiles.upload, name="upload"),
    path("tiles/photo/", tiles.take_photo, name="take-photo"),
    path("tiles/photos/<slug:name>.png", tiles.photo_preview, name="photo-preview"),
    path("tiles/cards/", tiles.recipe_cards, name="recipe-cards"),
    path("tiles/<int:pk>/", tiles.tile_page, name="tile-page"),
    path("tiles/<int:pk>/keep/", tiles.keep_tile, name="keep-tile"),
    path("tiles/<int:pk>/draft/", tiles.draft, name="draft"),
    path("tiles/<int:pk>/split/", tiles.split_off, name="split-off"),
    path("tiles/<int:pk>/unrolled.png", tiles.unrolled, name="unrolled"),
    path("tiles/<int:pk>/drop/", tiles.drop_draft, name="drop-draft"),
    path("tiles/layout/", layouts.new_layout, name="new-layout"),
    path("tiles/motif/", layouts.take_motif, name="take-motif"),
    path("tiles/<int:pk>/layout/publish/", tiles.keep_tile, {"bench": "layout"}, name="keep-layout"),
    path("tiles/<int:pk>/layout/", layouts.layout_page, name="layout-page"),
    path("tiles/draw/", drawings.new_drawing, name="new-drawing"),
    path("tiles/<int:pk>/draw/", drawings.draw_page, name="draw-page"),
    path("tiles/<int:pk>/draw/states/", drawings.states, name="drawing-states"),
    path("tiles/<int:pk>/draw/settings/", drawings.settings, name="drawing-settings"),
    path("tiles/<int:pk>/draw/publish/", drawings.publish_drawing, name="publish-drawing"),
    path("tiles/<int:pk>/draw/split/", drawings.split_drawing, name="split-drawing"),
    path("grains/new/", tiles.new_grain, name="new-grain"),
    path("grains/<int:pk>/", tiles.grain_page, name="grain-page"),
    path("grains/upload/", tiles.upload_grain, name="upload-grain"),
    path("grains/<int:pk>/name/", tiles.name_grain, name="name-grain"),
    path("grains/<int:pk>/duplicate/", tiles.duplicate_grain, name="duplicate-grain"),
    path("grains/<int:pk>/delete/", tiles.delete_grain, name="delete-grain"),
    path("grains/<int:pk>/keep/", tiles.keep_grain, name="keep-grain"),
    path("brushes/", brushes.brushes, name="brushes"),
    path("brushes/new/", brushes.new_brush, name="new-brush"),
    path("brushes/fit/", brushes.fit_grain, name="fit-grain"),
    path("brushes/tips/upload/", brushes.upload_tips, name="upload-tips"),
    path("brushes/fonts/upload/", brushes.upload_font, name="upload-font"),
    path("brushes/fonts/<slug:name>.png", brushes.font_sample, name="font-sample"),
    path("brushes/<int:pk>/", brushes.brush_page, name="brush-page"),
    path("brushes/<int:pk>/describe/", brushes.describe_brush, name="describe-brush"),
    path("brushes/<int:pk>/picture/", brushes.give_picture, name="brush-picture"),
    path("brushes/<int:pk>/duplicate/", brushes.duplicate_brush, name="duplicate-brush"),
    path("brushes/<int:pk>/apart/", brushes.take_apart, name="take-apart"),
    path("brushes/<int:pk>/delete/", brushes.delete_brush, name="delete-brush"),
    path("brushes/<int:pk>/coats.json", brushes.brush_coats, name="brush-coats"),
    path("brushes/<int:pk>/keep/", brushes.keep_brush, name="keep-brush"),
    path("brushes/<int:pk>/v<int:number>.json", brushes.brush_file, name="brush-file"),
    path("brushes/trial-strokes-<int:factor>-<slug:cell>.json", brushes.sheet_file, name="sheet-file"),
    path("canvases/", canvases.canvases, name="canvases"),
    path("canvases/new/", canvases.new_canvas, name="new-canvas"),
    path("canvases/recordings/<str:name>.json", canvases.recording, name="recording"),
    path("canvases/<int:pk>/", canvases.canvas_page, name="canvas-page"),
    path("canvases/<int:pk>/again.json", repainting.painted_again, name="painted-again"),
    path("canvases/<int:pk>/enlarge/", repainting.enlarge, name="enlarge"),
    path("canvases/<int:pk>/again/", repainting.paint_again, name="paint-again"),
    path("canvases/<int:pk>/again/<int:number>/throw-away/", repainting.throw_away, name="throw-away-again"),
    path("canvases/<int:pk>/copy/", taking.copy, name="copy"),
    path("canvases/<int:pk>/taken/", taking.take_as, name="take-as"),
    path("canvases/clips/", taking.take_clip, name="take-clip"),
    path("canvases/clips/<int:pk>.png", taking.clip_png, name="clip"),
    path("canvases/<int:pk>/palette/", canvases.palette, name="palette"),
    path("canvases/<int:pk>/export.png", canvases.export, name="export"),
    path("proofs/", proofs.proofs, name="proofs"),
    path("proofs/new/", proofs.new_proof, name="new-proof"),
    path("proofs/<int:pk>/", proofs.proof_page, name="proof-page"),
    path("proofs/<int:pk>/keep/", proofs.keep_proof, name="keep-proof"),
]
