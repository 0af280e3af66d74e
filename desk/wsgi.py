"""The application, as a server starts it."""

import os

from django.core.wsgi import get_wsgi_application
from django.urls import get_resolver

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "desk.settings.production")
application = get_wsgi_application()
_ = get_resolver().url_patterns  # load the screens now, not in the face of the first visitor
