from django.apps import AppConfig


class JobsConfig(AppConfig):
    name = "orvix_web.jobs"
    label = "jobs"
