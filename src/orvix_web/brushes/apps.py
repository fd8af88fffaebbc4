from django.apps import AppConfig


class BrushesConfig(AppConfig):
    name = "orvix_web.brushes"
