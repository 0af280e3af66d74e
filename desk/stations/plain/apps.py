"""A station that has nothing of its own: readings, set panels, log."""

from django.apps import AppConfig


class PlainConfig(AppConfig):
    """Registers the app."""

    name = "desk.stations.plain"
