"""What every page stands in: the page itself, forms, panels, how a number is written."""

from django.apps import AppConfig


class FrameConfig(AppConfig):
    """Registers the app."""

    name = "desk.frame"
