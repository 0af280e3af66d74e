"""Cooking: charges, steps, results, liquor tests, the mill's own relations."""

from django.apps import AppConfig


class CookingConfig(AppConfig):
    """Registers the app, and what it adds to the floor."""

    name = "desk.stations.cook"
    label = "cooking"  # what its tables are called

    def ready(self) -> None:
        """Let the floor ask the cook house, and the devices' folder know its files."""
        from desk.exchange.pick_up import TAKERS
        from desk.floor.contributions import contribute
        from desk.stations.cook.contribution import COOKING
        from desk.stations.cook.devices import TAKERS as OURS

        contribute(COOKING)
        TAKERS.update(OURS)
