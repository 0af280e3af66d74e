"""The mill: line definitions and their versions."""

from django.apps import AppConfig


class MillConfig(AppConfig):
    """Registers the app."""

    name = "desk.mill"
