"""Moves: kept, sent to a simulated plant, followed up."""

from django.apps import AppConfig


class MovesConfig(AppConfig):
    """Registers the app."""

    name = "desk.stations.moves"
    label = "moves"
