"""Settings that hold everywhere. What differs is read from the environment, here and nowhere else."""

import os
import secrets
from pathlib import Path
from typing import Any

from csp.constants import NONE, SELF

ROOT = Path(__file__).resolve().parents[2]
VAR = Path(os.environ.get("FOX_VAR", ROOT / "var"))


def _secret_key() -> str:
    """Return the installation's own key, made on first use and kept out of the repository."""
    if key := os.environ.get("FOX_SECRET_KEY"):
        return key
    kept = VAR / "secret_key"
    if not kept.exists():
        VAR.mkdir(parents=True, exist_ok=True)
        kept.write_text(secrets.token_urlsafe(50), encoding="utf-8")
        kept.chmod(0o600)
    return kept.read_text(encoding="utf-8")


SECRET_KEY = _secret_key()
FOX_PARTS = Path(os.environ.get("FOX_PARTS", VAR / "parts"))  # how the running parts stand, a small file each
DEBUG = False
ALLOWED_HOSTS = os.environ.get("FOX_HOSTS", "localhost,127.0.0.1,[::1]").split(",")

# The demonstration signs anybody in with one press; a mill leaves it off.
FOX_DEMO = os.environ.get("FOX_DEMO") == "1"
# A shared desk locks itself after so many minutes untouched; 0 leaves it open, as in the demonstration.
FOX_IDLE_MIN = int(os.environ.get("FOX_IDLE_MIN", "0"))
# Whether a proxy of the mill's own stands before the desk and says where requests come from.
FOX_BEHIND_PROXY = os.environ.get("FOX_BEHIND_PROXY") == "1"
# The components page is for those who build screens.
FOX_GALLERY = os.environ.get("FOX_GALLERY") == "1"

# The stations there are, in the order they are asked; adding one touches its folder and this list.
FOX_STATIONS = ("yard", "cook", "wash", "screening", "bleach", "moves", "ahead", "plain")
INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "csp",
    "django_htmx",
    "desk.people",
    "desk.mill",
    "desk.floor",
    "desk.frame",
    "desk.exchange",
    *(f"desk.stations.{name}" for name in FOX_STATIONS),
    "desk.screens",
    "desk.keep",
]
MIDDLEWARE = [
    "desk.floor.middleware.kept_to_itself",
    "django.middleware.security.SecurityMiddleware",
    "django.middleware.gzip.GZipMiddleware",  # pads at random, so that lengths tell nothing of a token
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.auth.middleware.LoginRequiredMiddleware",
    "desk.people.views.first_things_first",
    "desk.people.lock.idle_lock",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "desk.floor.middleware.busy_database",
    "desk.frame.units.units_at_the_door",
]
ROOT_URLCONF = "desk.urls"
WSGI_APPLICATION = "desk.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ],
            "builtins": ["desk.frame.templatetags.desk"],
        },
    }
]

# One writer at a time: WAL lets everybody read meanwhile, IMMEDIATE takes the write
# lock at the start so that a transaction never fails half-way for want of it.
DATABASES: dict[str, Any] = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": VAR / "fox.sqlite3",
        "CONN_MAX_AGE": None,
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 5,
            "init_command": "PRAGMA journal_mode=WAL;PRAGMA synchronous=FULL;PRAGMA foreign_keys=ON;"
            "PRAGMA cache_size=-20000;PRAGMA temp_store=MEMORY;",
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_USER_MODEL = "people.Person"
LOGIN_URL = "people:sign_in"
LOGIN_REDIRECT_URL = "line"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.NumericPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
]
# A shared desk: a shift is twelve hours, and nobody stays signed in past it.
SESSION_COOKIE_AGE = 12 * 3600
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
X_FRAME_OPTIONS = "DENY"
SECURE_REFERRER_POLICY = "same-origin"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "img-src": [SELF, "data:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "form-action": [SELF],
        "base-uri": [NONE],
        "frame-ancestors": [NONE],
    }
}
DATA_UPLOAD_MAX_MEMORY_SIZE = 2_500_000
DATA_UPLOAD_MAX_NUMBER_FIELDS = 400

LANGUAGE_CODE = "en-gb"
USE_I18N = False
USE_TZ = True
TIME_ZONE = os.environ.get("FOX_TIME_ZONE", "UTC")

STATIC_URL = "static/"
STATICFILES_DIRS = [ROOT / "desk" / "static"]
STATIC_ROOT = VAR / "static"
STATIC_ROOT.mkdir(parents=True, exist_ok=True)  # nothing is collected, but the static server looks here first
WHITENOISE_USE_FINDERS = True  # the files are few and committed; no collecting step to forget
WHITENOISE_MAX_AGE = 31_536_000  # an address changes with what is in the file; a font that changes gets another name
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "desk.frame.static.VersionedStorage"},
}

CSRF_FAILURE_VIEW = "desk.floor.faults.csrf_failure"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
