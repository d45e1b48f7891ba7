"""Another site's page must not be able to change projects here through a person's browser."""

from __future__ import annotations

from collections.abc import Callable
from urllib.parse import urlsplit

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase

SAFE = {"GET", "HEAD", "OPTIONS"}


def same_origin(
    answer: Callable[[HttpRequest], HttpResponseBase],
) -> Callable[[HttpRequest], HttpResponseBase | HttpResponse]:
    def guarded(request: HttpRequest) -> HttpResponseBase | HttpResponse:
        origin = request.headers.get("Origin")
        if request.method not in SAFE and origin and urlsplit(origin).netloc != request.get_host():
            return JsonResponse({"message": "This change came from another site."}, status=403)
        return answer(request)

    return guarded
