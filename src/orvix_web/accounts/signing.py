"""Signing in and out, in a studio."""

from __future__ import annotations

import math
from typing import Any

from django.contrib.auth import views
from django.contrib.auth.forms import AuthenticationForm
from django.core.exceptions import ValidationError

from orvix_web.accounts.attempts import MOST, attempts


class SignInForm(AuthenticationForm):
    """Name and password; too many wrong ones have to wait."""

    error_messages = {
        "invalid_login": "Name or password is wrong. Check capitals and spaces, then try again.",
        "inactive": "This account is closed. Ask the person who runs this server to reopen it.",
    }

    def clean(self) -> dict[str, Any]:
        """Check both."""
        name = self.cleaned_data.get("username") or ""
        if wait := attempts.wait_s(name):
            minutes = math.ceil(wait / 60)
            raise ValidationError(f"Too many wrong passwords ({MOST}). Try again in {minutes} min.", code="wait")
        try:
            cleaned = super().clean()
        except ValidationError:
            attempts.wrong(name)
            raise
        attempts.right(name)
        return cleaned


class SignIn(views.LoginView):
    """The page where somebody signs in."""

    authentication_form = SignInForm
    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True


class SignOut(views.LogoutView):
    """Signs out, by a press; the page to sign in follows."""

    next_page = "sign-in"
