"""The screens."""

from django.apps import AppConfig


class ScreensConfig(AppConfig):
    """Registers the app."""

    name = "desk.screens"
