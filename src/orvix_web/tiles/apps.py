from django.apps import AppConfig


class TilesConfig(AppConfig):
    name = "orvix_web.tiles"

    def ready(self) -> None:
        from orvix_web.tiles.drafted import register_all

        register_all()
