"""The API, and one page for every address of the interface."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.urls import path, re_path

from .api import api
from .trouble import UNKNOWN


def page(request: HttpRequest) -> HttpResponse:
    index = settings.BUILT / "index.html"
    if not index.exists():
        return HttpResponse("The front end is not built yet: run `make demo`.", status=503)
    return HttpResponse(index.read_bytes(), headers={"Cache-Control": "no-cache"})


def _in_json(status: int, words: str) -> Callable[..., HttpResponse]:
    """A page for what Django itself refuses: in JSON with a message, as all else is."""

    def answer(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
        return JsonResponse({"message": words}, status=status)

    return answer


handler400 = _in_json(400, "This request cannot be read. Nothing was changed.")
handler403 = _in_json(403, "This is not allowed.")
handler404 = _in_json(404, "This is not here (any more).")
handler500 = _in_json(500, UNKNOWN)

urlpatterns = [
    path("api/", api.urls),
    re_path(r"^(?:project/\d+(?:/[a-z]+)?)?$", page),
]
