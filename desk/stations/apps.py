"""The screens."""

from django.apps import AppConfig


class StationsConfig(AppConfig):
    """Registers the app."""

    name = "desk.stations"
