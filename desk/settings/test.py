"""Tests: a file database, so that live-server threads do not share one connection."""

import os

from desk.settings.base import *
from desk.settings.base import DATABASES, VAR

FOX_DEMO = True
FOX_GALLERY = True
SECRET_KEY = "only for tests"  # noqa: S105
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
VAR.mkdir(parents=True, exist_ok=True)
DATABASES["default"]["TEST"] = {"NAME": VAR / f"test-{os.getpid()}.sqlite3"}
TEST_RUNNER = "tests.runner.Runner"
TIME_ZONE = "UTC"
