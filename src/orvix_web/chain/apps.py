from django.apps import AppConfig


class ChainConfig(AppConfig):
    name = "orvix_web.chain"
