"""The print desk that orders go to: the stand-in, its book in the database. Another service takes its place here."""

from __future__ import annotations

from dataclasses import replace

from django.conf import settings
from django.db import transaction

from orvix.devices.print_desk import PrintDesk, StandInDesk, Ticket
from orvix_web.proofs.models import DeskTicket


class KeptBook:
    """The stand-in's book, in rows that outlive the process."""

    def find(self, token: str) -> Ticket | None:
        """As in `orvix.devices.print_desk.Book`, like the others."""
        row = DeskTicket.objects.filter(token=token).exclude(state="").first()
        return Ticket(row.pk, row.token, row.state, tuple(row.reasons), row.asked) if row else None

    def put(self, ticket: Ticket) -> Ticket:
        """Write down a ticket, in its row."""
        told = {"state": ticket.state, "reasons": list(ticket.reasons), "asked": ticket.asked}
        row, _ = DeskTicket.objects.update_or_create(token=ticket.token, defaults=told)
        return replace(ticket, number=row.pk)

    def failures(self, token: str) -> int:
        """Count one more time without an answer; how many there were before."""
        with transaction.atomic():
            row, _ = DeskTicket.objects.select_for_update().get_or_create(token=token)
            before = row.failures
            row.failures = before + 1
            row.save(update_fields=["failures"])
        return int(before)


def the_desk() -> PrintDesk:
    """The desk that is asked now."""
    return StandInDesk(KeptBook(), settings.PRINT_DESK_MANNER)
