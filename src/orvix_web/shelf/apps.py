from django.apps import AppConfig


class ShelfConfig(AppConfig):
    name = "orvix_web.shelf"
