"""`python -m orvix_demo`: load the scenario for the local painter, if the shelf is empty."""

import os

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "orvix_web.settings.local")
django.setup()

from orvix_demo.scenario import load_scenario  # noqa: E402
from orvix_web.accounts.people import local_painter  # noqa: E402

print("demo data loaded" if load_scenario(local_painter()) else "demo data was there already")
