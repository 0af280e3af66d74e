"""Bleaching and water."""

from django.apps import AppConfig


class BleachConfig(AppConfig):
    """Registers the app."""

    name = "desk.stations.bleach"
    label = "bleaching"
