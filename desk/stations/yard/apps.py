"""The yard: lots, piles, what is drawn from them, traps and knives."""

from django.apps import AppConfig


class YardConfig(AppConfig):
    """Registers the app."""

    name = "desk.stations.yard"
