"""The lots in a cook: the one thing the cook house asks of the yard."""

from desk.stations.yard.trace import lots_of_cook

__all__ = ["lots_of_cook"]
