"""The application, as a server starts it."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "desk.settings.production")
application = get_wsgi_application()
