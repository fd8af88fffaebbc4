from django.apps import AppConfig


class BrushesConfig(AppConfig):
    name = "orvix_web.brushes"

    def ready(self) -> None:
        from orvix_web.brushes.drafted import register_all

        register_all()
