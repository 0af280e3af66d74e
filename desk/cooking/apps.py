"""Cooking: charges, steps, results, liquor tests, the mill's own relations."""

from django.apps import AppConfig


class CookingConfig(AppConfig):
    """Registers the app, and what it adds to the floor."""

    name = "desk.cooking"

    def ready(self) -> None:
        """Let the floor ask the cook house, and the devices' folder know its files."""
        from desk.cooking.contribution import COOKING
        from desk.cooking.devices import TAKERS as OURS
        from desk.floor.contributions import contribute
        from desk.yard.pick_up import TAKERS

        contribute(COOKING)
        TAKERS.update(OURS)
