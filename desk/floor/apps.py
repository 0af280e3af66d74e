"""The floor: readings, records, orders, cooks."""

from django.apps import AppConfig
from django.db.models.signals import post_migrate


class FloorConfig(AppConfig):
    """Registers the app, and guards what is written once after each migration."""

    name = "desk.floor"

    def ready(self) -> None:
        """Listen for the end of a migration; register the checks."""
        from desk.floor import checks  # noqa: F401  registered by being imported
        from desk.floor.guard import guard

        post_migrate.connect(guard, sender=self)
