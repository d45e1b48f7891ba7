"""Django's settings. What differs from place to place comes from the environment:

JADE_LANTERN_DATA             where projects are kept (default: data, where it is started)
JADE_LANTERN_HOSTS            names it may be reached by, apart from this machine's own, with commas
JADE_LANTERN_MOST_MEGAPIXELS  the largest still that is taken (default: 200)
JADE_LANTERN_MOST_UPLOAD_MB   the largest file that is taken (default: 1024)
JADE_LANTERN_MEMORY_MB        how much may be held between requests, decoded pictures and all else
                              (default: a quarter of the machine's memory, 2048 at the most)
JADE_LANTERN_KEY              what every request must carry; `serve` makes one where it is needed
"""

from __future__ import annotations

import math
import os
import secrets
from pathlib import Path

from django.core.exceptions import ImproperlyConfigured

from .machine import memory_bytes

DATA = Path(os.environ.get("JADE_LANTERN_DATA", "data")).resolve()
BUILT = Path(__file__).parent / "built"


def _number(name: str, otherwise: float) -> float:
    """A number from the environment. Raises ImproperlyConfigured."""
    said = os.environ.get(f"JADE_LANTERN_{name}", "")
    try:
        value = float(said) if said.strip() else otherwise
    except ValueError:
        value = math.nan
    if not 0 < value < 1e9:
        raise ImproperlyConfigured(f"JADE_LANTERN_{name} is {said!r}, which is no number over 0.")
    return value


MOST_PIXELS = int(_number("MOST_MEGAPIXELS", 200) * 1e6)
MOST_UPLOAD_BYTES = int(_number("MOST_UPLOAD_MB", 1024) * (1 << 20))
MOST_DECODED_BYTES = 16 * MOST_PIXELS  # four floats a pixel
HELD_BYTES = int(_number("MEMORY_MB", min(memory_bytes() // 4 >> 20, 2048)) * (1 << 20))
OLDER_DATABASE = "jade.sqlite3"  # of the form before parts, which is not read any more

SECRET_KEY = secrets.token_urlsafe(32)  # nothing is signed that should outlive the process
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]"] + [
    h for h in os.environ.get("JADE_LANTERN_HOSTS", "").split(",") if h
]
KEY = os.environ.get(
    "JADE_LANTERN_KEY", ""
)  # what every request must carry, where one is asked for
INSTALLED_APPS = ["jade_lantern.studio"]
MIDDLEWARE: list[str] = []  # hosts, origins and headers are seen to in gate.py, for every request
ROOT_URLCONF = "jade_lantern.studio.urls"
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "projects.sqlite3",
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
DATA_UPLOAD_MAX_MEMORY_SIZE = 16 << 20
FILE_UPLOAD_TEMP_DIR = DATA / "uploads"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "loggers": {
        "django": {"handlers": ["console"], "level": "CRITICAL"},
        "jade_lantern": {"handlers": ["console"], "level": "INFO"},
    },
}
