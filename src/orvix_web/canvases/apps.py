from django.apps import AppConfig


class CanvasesConfig(AppConfig):
    name = "orvix_web.canvases"
