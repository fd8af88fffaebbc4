from django.apps import AppConfig


class TilesConfig(AppConfig):
    name = "orvix_web.tiles"
