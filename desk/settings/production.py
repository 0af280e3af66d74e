"""A mill's own server, behind TLS; without it on this machine alone."""

import os

from desk.settings.base import *

FOX_DEMO = False
FOX_GALLERY = False
TLS = os.environ.get("FOX_TLS", "1") == "1"
SECURE_SSL_REDIRECT = TLS
SECURE_REDIRECT_EXEMPT = [r"^health/$"]  # a monitor on this machine asks without
SESSION_COOKIE_SECURE = TLS
CSRF_COOKIE_SECURE = TLS
# A year for this host alone: what else the mill serves under its name is not ours to decide.
SECURE_HSTS_SECONDS = 31_536_000 if TLS else 0
SECURE_HSTS_INCLUDE_SUBDOMAINS = False
SECURE_HSTS_PRELOAD = False
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if TLS else None
SILENCED_SYSTEM_CHECKS = ["security.W005", "security.W021"]  # the two choices above
