"""The yard: lots, piles, what is drawn from them, traps and knives."""

from django.apps import AppConfig


class YardConfig(AppConfig):
    """Registers the app, and what it adds to the floor."""

    name = "desk.stations.yard"

    def ready(self) -> None:
        """Let the floor ask the yard."""
        from desk.floor.contributions import contribute
        from desk.stations.yard.contribution import YARD

        contribute(YARD)
