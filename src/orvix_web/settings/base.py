"""What every way of running shares. Where a value comes from the environment, its name starts with ORVIX_."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[3]
SOURCE = ROOT / "src" / "orvix_web"

SECRET_KEY = os.environ.get("ORVIX_SECRET_KEY", "")
DEBUG = False
SIGN_IN = os.environ.get("ORVIX_SIGN_IN") == "1"
"""Whether people sign in, as in a studio; otherwise everybody is the local painter, on loopback."""
LOOPBACK = ["127.0.0.1", "localhost", "[::1]"]
ALLOWED_HOSTS = LOOPBACK + [name for name in os.environ.get("ORVIX_HOSTS", "").split(",") if name]
INTERNAL_IPS: list[str] = []

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "channels",
    "django_htmx",
    "procrastinate.contrib.django",
    "orvix_web.accounts",
    "orvix_web.drafts",
    "orvix_web.tiles",
    "orvix_web.brushes",
    "orvix_web.canvases",
    "orvix_web.proofs",
    "orvix_web.jobs",
    "orvix_web.shelf",
    "orvix_web.chain",
    "orvix_web.live",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "orvix_web.accounts.middleware.ContentPolicy",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "orvix_web.accounts.middleware.LocalPainter",
    "orvix_web.accounts.middleware.SignedIn",
    "orvix_web.errors.CoreErrors",
    "django_htmx.middleware.HtmxMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]

ROOT_URLCONF = "orvix_web.urls"
ASGI_APPLICATION = "orvix_web.asgi.application"

TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [SOURCE / "templates"],
        "APP_DIRS": True,
        "OPTIONS": {
            "builtins": ["orvix_web.chain.templatetags.labels"],
            "context_processors": [
                "django.template.context_processors.request",
                "orvix_web.accounts.context.signed_in",
            ],
        },
    }
]

DATABASES: dict[str, dict[str, Any]] = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": "orvix",
        "USER": "orvix",
        "HOST": "127.0.0.1",
        "PORT": os.environ.get("ORVIX_PG_PORT", "54320"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {"connect_timeout": 5, "server_side_binding": True},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

LANGUAGE_CODE = "en-gb"
TIME_ZONE = "UTC"
USE_I18N = False
USE_TZ = True

STATIC_URL = "/static/"
STATICFILES_DIRS = [SOURCE / "static"]
WHITENOISE_USE_FINDERS = True

DATA_UPLOAD_MAX_MEMORY_SIZE = 4 * 1024 * 1024
FILE_UPLOAD_MAX_MEMORY_SIZE = 68 * 1024 * 1024
FILE_UPLOAD_HANDLERS = ["django.core.files.uploadhandler.MemoryFileUploadHandler"]
X_FRAME_OPTIONS = "DENY"
CSRF_COOKIE_SAMESITE = "Strict"
SECURE_REFERRER_POLICY = "same-origin"
LOCAL_PAINTER = "painter"
LOGIN_URL, LOGIN_REDIRECT_URL = "sign-in", "home"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = os.environ.get("ORVIX_TLS") == "1"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}"}
    for name in ("MinimumLengthValidator", "UserAttributeSimilarityValidator", "CommonPasswordValidator")
]

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "loggers": {
        "orvix_web": {"handlers": ["console"], "level": "INFO"},
        "django.request": {"handlers": ["console"], "level": "ERROR", "propagate": False},
    },
}

# How the stand-in print desk behaves: "as it should", "slow", "failing" or "rejecting".
PRINT_DESK_MANNER = os.environ.get("ORVIX_PRINT_DESK", "as it should")
