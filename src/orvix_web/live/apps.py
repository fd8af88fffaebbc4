from django.apps import AppConfig


class LiveConfig(AppConfig):
    name = "orvix_web.live"
