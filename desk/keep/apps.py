"""Keeping the desk: copies, restoring them, first set-up, health."""

from django.apps import AppConfig


class KeepConfig(AppConfig):
    """Registers the commands."""

    name = "desk.keep"
