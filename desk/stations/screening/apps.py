"""Screens and cleaners."""

from django.apps import AppConfig


class ScreeningConfig(AppConfig):
    """Registers the app."""

    name = "desk.stations.screening"
    label = "screening"
