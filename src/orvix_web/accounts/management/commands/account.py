"""Accounts of a studio's server, made by whoever runs it."""

from __future__ import annotations

import getpass
import sys
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandError, CommandParser

from orvix.errors import OrvixError
from orvix_web.accounts.people import add_account, may_sign_in, set_open, set_password


class Command(BaseCommand):
    help = "Add an account, set its password, close it, open it again, or list all."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("what", choices=("add", "password", "close", "open", "list"))
        parser.add_argument("name", nargs="?", default="", help="the name that signs in")

    def handle(self, *args: Any, **options: Any) -> None:
        what, name = options["what"], options["name"]
        if (what == "list") != (not name):
            raise CommandError(f"{what}: takes {'no name' if what == 'list' else 'a name'}")
        try:
            if what == "list":
                self._list()
            elif what in ("add", "password"):
                (add_account if what == "add" else set_password)(name, _password())
                self.stdout.write(f"{name}: may sign in now")
            else:
                set_open(name, what == "open")
                self.stdout.write(f"{name}: {'open' if what == 'open' else 'closed; what is in it is kept'}")
        except OrvixError as error:
            raise CommandError(str(error)) from error

    def _list(self) -> None:
        for one in get_user_model().objects.order_by("username"):
            state = "closed" if not one.is_active else "open" if may_sign_in(one) else "no password yet"
            last = f", last signed in {one.last_login:%Y-%m-%d %H:%M} UTC" if one.last_login else ""
            self.stdout.write(f"{one.username}: {state}{last}")


def _password() -> str:
    """Typed twice, or the first line of standard input where that is no terminal."""
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    first = getpass.getpass("password: ")
    if getpass.getpass("once more: ") != first:
        raise CommandError("the two were not the same; nothing was changed")
    return first
