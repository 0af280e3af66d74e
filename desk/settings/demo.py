"""The demonstration on one machine."""

from desk.settings.base import *  # noqa: F403

FOX_DEMO = True
FOX_GALLERY = True
