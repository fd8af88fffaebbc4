from django.apps import AppConfig


class ProofsConfig(AppConfig):
    name = "orvix_web.proofs"

    def ready(self) -> None:
        from orvix_web.proofs.drafted import register_all

        register_all()
