"""The application as it is served: the gate, then tries at the door, then Django's own handler,
with WhiteNoise for the built front end, each request on a thread of its own."""

from __future__ import annotations

import gc
import os
import re

from a2wsgi import WSGIMiddleware
from django.conf import settings
from django.core.wsgi import get_wsgi_application
from whitenoise import WhiteNoise

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jade_lantern.studio.settings")

THREADS = 8


def _immutable(path: str, url: str) -> bool:
    return url.startswith("/assets/")


gc.collect()
gc.freeze()  # what is loaded by now stays; the collector need not walk it on every drag

wsgi = WhiteNoise(get_wsgi_application(), root=str(settings.BUILT), immutable_file_test=_immutable)
from .door import Door  # noqa: E402 -- it needs Django to be set up, which the line above does
from .gate import Gate, Receive, Scope, Send  # noqa: E402

# What only reads or keeps a step has threads of its own, so that it never waits for fills and maps,
# however many of them are asked for.
QUICK = re.compile(
    r"/api/(ping|projects(/\d+(/(head|edits|tries|undo|redo|plate/.*))?)?|arrays/.*)|/(?!api/).*"
)
_quick = WSGIMiddleware(wsgi, workers=THREADS)
_slow = WSGIMiddleware(wsgi, workers=THREADS)


async def _inside(scope: Scope, receive: Receive, send: Send) -> None:
    quick = QUICK.fullmatch(scope["path"]) is not None
    await (_quick if quick else _slow)(scope, receive, send)


app = Gate(Door(_inside))
