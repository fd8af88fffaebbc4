"""What every owned thing shares: an owner, a name, when it was touched, and queries that begin with the owner."""

from __future__ import annotations

from typing import Any, Generic, TypeVar

from django.conf import settings
from django.contrib.auth.models import User
from django.db import models
from django.http import Http404

OwnedT = TypeVar("OwnedT", bound="Owned")


class OwnedQuerySet(models.QuerySet[OwnedT], Generic[OwnedT]):
    """Every query of an owned thing starts here, so that nobody sees what is not theirs."""

    def of(self, owner: User) -> OwnedQuerySet[OwnedT]:
        """Those of one owner that are not in the trash, last touched first."""
        return self.filter(owner=owner, trashed=None).order_by("-touched", "-pk")

    def locked(self, owner: User, pk: int) -> OwnedT:
        """The owner's thing of that number, locked while it is changed; raises Http404. Inside a transaction."""
        found = self.select_for_update().filter(owner=owner, pk=pk).first()
        if found is None:
            raise Http404
        return found

    def in_trash(self, owner: User) -> OwnedQuerySet[OwnedT]:
        """What one owner has put in the trash, the last first."""
        return self.filter(owner=owner, trashed__isnull=False).order_by("-trashed", "-pk")


class Owned(models.Model):
    """Abstract: a named thing that belongs to one painter.

    tags: words with commas between them. set_name: the set it is kept in. trashed: since when it is in the trash; what
    uses it goes on doing so until it is deleted for good.
    """

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    name = models.CharField(max_length=120)
    created = models.DateTimeField(auto_now_add=True)
    touched = models.DateTimeField(auto_now=True, db_index=True)
    tags = models.CharField(max_length=400, blank=True, default="")
    set_name = models.CharField(max_length=60, blank=True, default="")
    favourite = models.BooleanField(default=False)
    trashed = models.DateTimeField(null=True, default=None)

    objects: Any = OwnedQuerySet.as_manager()

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return self.name


class Version(models.Model):
    """Abstract: one kept state of an owned thing. A new one never destroys an old one."""

    number = models.PositiveIntegerField()
    created = models.DateTimeField(auto_now_add=True)
    thumbnail = models.BinaryField(default=b"")

    class Meta:
        abstract = True
        ordering = ("number",)


def next_number(thing: Any) -> int:
    """The number of the next version of a thing."""
    newest: int | None = thing.versions.aggregate(models.Max("number"))["number__max"]
    return 1 if newest is None else newest + 1


class Pen(models.Model):
    """A painter's own pen: the response of its pressure, as `orvix.devices.pen` reads it."""

    owner = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="pen")
    response = models.JSONField()


class Preferences(models.Model):
    """What a painter chose for all pages; see `orvix_web.accounts.preferences`."""

    owner = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="preferences")
    values = models.JSONField(default=dict)
