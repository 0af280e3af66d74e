"""Looking ahead."""

from django.apps import AppConfig


class AheadConfig(AppConfig):
    """Registers the app."""

    name = "desk.stations.ahead"
    label = "ahead"
