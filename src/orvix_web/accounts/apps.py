from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "orvix_web.accounts"
