"""The demonstration on one machine."""

from desk.settings.base import *

FOX_DEMO = True
FOX_GALLERY = True
