"""For pytest: connections end with their request, and the key is a fixed one."""

from orvix_web.settings.base import *  # noqa: F403
from orvix_web.settings.base import DATABASES

SECRET_KEY = "only-for-tests"
DATABASES["default"]["CONN_MAX_AGE"] = 0
DATABASES["default"]["OPTIONS"]["connect_timeout"] = 60  # a busy machine is no failure
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
WHITENOISE_MAX_AGE = 3600  # what a browser of the tests has it does not ask for again
