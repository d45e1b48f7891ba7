"""The API, and one page for every address of the interface."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.urls import path, re_path

from .api import api


def page(request: HttpRequest) -> HttpResponse:
    index = settings.BUILT / "index.html"
    if not index.exists():
        return HttpResponse("The front end is not built yet: run `make demo`.", status=503)
    return HttpResponse(index.read_bytes(), headers={"Cache-Control": "no-cache"})


urlpatterns = [
    path("api/", api.urls),
    re_path(r"^(?:project/\d+(?:/[a-z]+)?)?$", page),
]
