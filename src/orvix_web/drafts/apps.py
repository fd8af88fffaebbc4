from django.apps import AppConfig


class DraftsConfig(AppConfig):
    name = "orvix_web.drafts"
