from django.apps import AppConfig


class ProofsConfig(AppConfig):
    name = "orvix_web.proofs"
