"""Exchange: records in and out as CSV, XLSX and JSON."""

from django.apps import AppConfig


class ExchangeConfig(AppConfig):
    """Registers the app."""

    name = "desk.exchange"
