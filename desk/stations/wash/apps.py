"""Washing."""

from django.apps import AppConfig


class WashConfig(AppConfig):
    """Registers the app."""

    name = "desk.stations.wash"
    label = "wash"
