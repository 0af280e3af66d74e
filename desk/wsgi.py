"""The application, as a server starts it."""

import gc
import os

from django.core.wsgi import get_wsgi_application
from django.urls import get_resolver

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "desk.settings.production")
application = get_wsgi_application()
_ = get_resolver().url_patterns  # load the screens now, not in the face of the first visitor

from desk.frame.made_ahead import MAKER  # noqa: E402  once the application stands

MAKER.begin()

# What was loaded stays: the collector need not walk it again with every page. A beat of the line makes some hundred
# thousand objects that go by themselves; asked less often, the collector stops the desk less often.
gc.collect()
gc.freeze()
gc.set_threshold(50_000, 20, 50)
