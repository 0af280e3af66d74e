"""Who sits at the desk."""

from django.contrib.auth.hashers import check_password, make_password
from django.contrib.auth.models import AbstractUser
from django.db import models
from django.utils import timezone

from desk.people.roles import ROLES


class Person(AbstractUser):
    """A person with a role, preferences and a secret of their own for signing."""

    class Theme(models.TextChoices):
        """Which ground the screens are drawn on."""

        SYSTEM = "system", "Follow the system"
        LIGHT = "light", "Light"
        NIGHT = "night", "Night"

    class Units(models.TextChoices):
        """Which units the screens show."""

        METRIC = "metric", "Metric"
        US = "us", "US"

    role = models.CharField(
        max_length=20, choices=[(key, role.title) for key, role in ROLES.items()], default="trainee"
    )
    theme = models.CharField(max_length=10, choices=Theme, default=Theme.SYSTEM)
    units = models.CharField(max_length=10, choices=Units, default=Units.METRIC)
    single_keys = models.BooleanField(default=True, help_text="Single-key shortcuts")
    signing_secret = models.CharField(max_length=200, blank=True)
    must_change = models.BooleanField(default=False, help_text="has a password somebody else knows")

    @property
    def short_name(self) -> str:
        """Initial and surname, as on a log sheet."""
        return f"{self.first_name[:1]}. {self.last_name}" if self.last_name else self.username

    @property
    def role_title(self) -> str:
        """The role in words."""
        return ROLES[self.role].title

    def may(self, action: str) -> bool:
        """Return whether the role carries an action of `people.roles`."""
        return self.is_active and action in ROLES[self.role].actions

    def set_signing_secret(self, secret: str) -> None:
        """Keep a secret as a hash."""
        self.signing_secret = make_password(secret)

    def check_signing_secret(self, secret: str) -> bool:
        """Return whether this is the person's own secret."""
        return bool(self.signing_secret) and check_password(secret, self.signing_secret)


class FailedTry(models.Model):
    """A wrong password or signing secret (see `desk.people.limits`)."""

    name = models.CharField(max_length=180, db_index=True)
    address = models.CharField(max_length=60, blank=True, db_index=True)
    at = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        """Name whose try it was."""
        return f"{self.name} at {self.at:%H:%M}"
