"""Who is painting. On the painter's own machine there is one person, made when first needed; sign-in comes later."""

from __future__ import annotations

from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.models import AbstractUser


def local_painter() -> AbstractUser:
    """The person whose shelf opens on this machine."""
    return get_user_model().objects.get_or_create(username=settings.LOCAL_PAINTER)[0]
