"""The application as it is served: the gate, then tries at the door, then Django's own handler,
with WhiteNoise for the built front end, each request on a thread of its own."""

from __future__ import annotations

import gc
import os

from a2wsgi import WSGIMiddleware
from django.conf import settings
from django.core.wsgi import get_wsgi_application
from whitenoise import WhiteNoise

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jade_lantern.studio.settings")

THREADS = 16


def _immutable(path: str, url: str) -> bool:
    return url.startswith("/assets/")


gc.collect()
gc.freeze()  # what is loaded by now stays; the collector need not walk it on every drag

wsgi = WhiteNoise(get_wsgi_application(), root=str(settings.BUILT), immutable_file_test=_immutable)
from .door import Door  # noqa: E402 -- it needs Django to be set up, which the line above does
from .gate import Gate  # noqa: E402

app = Gate(Door(WSGIMiddleware(wsgi, workers=THREADS)))
