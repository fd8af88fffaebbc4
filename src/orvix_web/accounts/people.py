"""Who is painting: on the painter's own machine one person, made when first needed; in a studio, whoever signed in."""

from __future__ import annotations

from collections.abc import Mapping
from http.cookies import CookieError, SimpleCookie
from importlib import import_module
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user, get_user_model, password_validation
from django.contrib.auth.models import User
from django.core.exceptions import ValidationError
from django.http import HttpRequest

from orvix.errors import BadValue
from orvix_web.errors import NotYours

MOST_NAME = 40


def local_painter() -> User:
    """The person whose shelf opens on this machine."""
    return get_user_model().objects.get_or_create(username=settings.LOCAL_PAINTER)[0]


def painter_of(scope: Mapping[str, Any]) -> User | None:
    """Who opened a socket, by the cookies of its handshake; None where nobody is signed in who must be."""
    if not settings.SIGN_IN:
        return local_painter()
    given = b"; ".join(value for name, value in scope["headers"] if name == b"cookie").decode("latin-1")
    request = HttpRequest()
    try:
        cookie = SimpleCookie(given).get(settings.SESSION_COOKIE_NAME)
    except CookieError:
        return None
    store = import_module(settings.SESSION_ENGINE).SessionStore
    request.session = store(cookie.value if cookie else None)
    found = get_user(request)
    return found if found.is_authenticated else None  # type: ignore[return-value]


def others(painter: User) -> list[User]:
    """The other accounts on this server that are open, by name."""
    found = get_user_model().objects.filter(is_active=True).exclude(pk=painter.pk).order_by("username")
    return [one for one in found if may_sign_in(one)]


def may_sign_in(painter: User) -> bool:
    """Whether an account is open and has a password; the local painter has none until it is given one."""
    return painter.is_active and bool(painter.password) and painter.has_usable_password()


def add_account(name: str, password: str) -> User:
    """A new account; raises BadValue naming the rule."""
    name = name.strip()
    if not name.replace("-", "").replace("_", "").isalnum() or len(name) > MOST_NAME:
        raise BadValue("name", name[:60], f"must be 1 to {MOST_NAME} letters, digits, - and _")
    if get_user_model().objects.filter(username__iexact=name).exists():
        raise BadValue("name", name, "already exists. Use `password` to change its password.")
    made = get_user_model()(username=name)
    _set_password(made, password)
    return made


def set_password(name: str, password: str) -> User:
    """Another password for an account; who is signed in there is signed out. Raises NotYours, BadValue."""
    found = account(name)
    _set_password(found, password)
    return found


def set_open(name: str, is_open: bool) -> User:
    """Close an account, with all that is in it kept, or open it again. Raises NotYours."""
    found = account(name)
    found.is_active = is_open
    found.save(update_fields=["is_active"])
    return found


def account(name: str) -> User:
    """The account of that name; raises NotYours."""
    if name == settings.LOCAL_PAINTER:
        return local_painter()
    found = get_user_model().objects.filter(username=name).first()
    if found is None:
        raise NotYours(f"There is no account named {name[:60]}.")
    return found


def _set_password(painter: User, password: str) -> None:
    try:
        password_validation.validate_password(password, painter)
    except ValidationError as error:
        raise BadValue("password", "*" * min(len(password), 8), " ".join(error.messages)) from error
    painter.set_password(password)
    painter.save()
