"""The floor: readings, records, orders, cooks."""

from django.apps import AppConfig


class FloorConfig(AppConfig):
    """Registers the app."""

    name = "desk.floor"
