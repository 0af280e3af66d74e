"""Line definitions, kept as they were approved."""

import hashlib

from django.db import models
from django.utils import timezone

from desk.floor.appending import AppendOnly


class DefinitionVersion(AppendOnly):
    """One approved text of a line definition; a change is a new version."""

    number = models.PositiveIntegerField(unique=True)
    text = models.TextField()
    sha256 = models.CharField(max_length=64, unique=True)
    approved_by = models.CharField(max_length=80)
    approved_at = models.DateTimeField(default=timezone.now)
    note = models.CharField(max_length=200, blank=True)

    def __str__(self) -> str:
        """Number and approver."""
        return f"version {self.number}, approved by {self.approved_by}"

    @staticmethod
    def digest(text: str) -> str:
        """Return the fingerprint of a text."""
        return hashlib.sha256(text.encode()).hexdigest()
