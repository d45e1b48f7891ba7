"""Django's settings. What differs from place to place comes from the environment:

JADE_LANTERN_DATA   where projects are kept (default: data, in the folder it is started in)
JADE_LANTERN_HOSTS  names it may be reached by, apart from this machine's own, with commas
"""

from __future__ import annotations

import os
import secrets
from pathlib import Path

DATA = Path(os.environ.get("JADE_LANTERN_DATA", "data")).resolve()
BUILT = Path(__file__).parent / "built"

SECRET_KEY = secrets.token_urlsafe(32)  # nothing is signed that should outlive the process
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", "testserver"] + [
    h for h in os.environ.get("JADE_LANTERN_HOSTS", "").split(",") if h
]
INSTALLED_APPS = ["jade_lantern.studio"]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "jade_lantern.studio.guard.same_origin",
]
ROOT_URLCONF = "jade_lantern.studio.urls"
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "jade.sqlite3",
        "CONN_MAX_AGE": None,
        "OPTIONS": {
            "timeout": 20,
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL;",
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
USE_TZ = True
TIME_ZONE = "UTC"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
DATA_UPLOAD_MAX_MEMORY_SIZE = 16 * 1024 * 1024
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "loggers": {
        "django": {"handlers": ["console"], "level": "ERROR"},
        "jade_lantern": {"handlers": ["console"], "level": "INFO"},
    },
}
