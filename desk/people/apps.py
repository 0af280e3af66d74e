"""People: roles, preferences, signing."""

from django.apps import AppConfig


class PeopleConfig(AppConfig):
    """Registers the app."""

    name = "desk.people"
