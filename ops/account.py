#!/usr/bin/env python3
"""What ./account does: the database is started where it is not running, and stopped again by the same hand."""

from __future__ import annotations

import os
import sys

import postgres
import serve


def main() -> int:
    """Run; returns the exit status."""
    postgres.VAR.mkdir(exist_ok=True)
    try:
        cluster = postgres.ensure()
    except postgres.ClusterError as error:
        print(f"PostgreSQL: {error}", file=sys.stderr)
        return 1
    try:
        serve.set_up(cluster)
        from django.core.management import call_command
        from django.core.management.base import CommandError
        from django.db import connections

        try:
            call_command("migrate", verbosity=0, interactive=False)
            call_command("account", *sys.argv[1:])
        except CommandError as error:
            print(f"./account: {error}", file=sys.stderr)
            return 2
        finally:
            connections.close_all()
    finally:
        if cluster.started:
            postgres.stop(cluster)
    return 0


if __name__ == "__main__":
    os.environ["ORVIX_SIGN_IN"] = "1"
    sys.exit(main())
