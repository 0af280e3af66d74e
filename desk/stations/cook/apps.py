"""Cooking: charges, steps, results, liquor tests, the mill's own relations."""

from django.apps import AppConfig


class CookingConfig(AppConfig):
    """Registers the app."""

    name = "desk.stations.cook"
    label = "cooking"  # what its tables are called
