"""Addresses of the sockets."""

from django.urls import path

from orvix_web.sockets.consumers import BenchConsumer, CanvasConsumer, NoticeConsumer, StripConsumer

SOCKETS = [
    path("live/canvas/<int:canvas>/<slug:token>/", CanvasConsumer.as_asgi()),
    path("live/strip/<slug:token>/", StripConsumer.as_asgi()),
    path("live/bench/", BenchConsumer.as_asgi()),
    path("live/notices/", NoticeConsumer.as_asgi()),
]
