"""The API: one router a station, typed, so that its OpenAPI schema is the contract."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import ValidationError as BadRequest

from ...core.refusal import Refusal
from ..projects import Moved
from . import deliver, project, sight, still

api = NinjaAPI(title="Jade Lantern", version="1", docs_url=None, openapi_url="/openapi.json")
api.add_router("", project.router)
api.add_router("", still.router)
api.add_router("", sight.router)
api.add_router("", deliver.router)


@api.exception_handler(Refusal)
def refused(request: HttpRequest, error: Refusal) -> HttpResponse:
    return api.create_response(request, {"message": str(error)}, status=422)


@api.exception_handler(Moved)
def moved(request: HttpRequest, error: Moved) -> HttpResponse:
    message = "This project was changed in another window; your last change was not made."
    return api.create_response(request, {"message": message, "since": error.since}, status=409)


@api.exception_handler(Http404)
def missing(request: HttpRequest, error: Http404) -> HttpResponse:
    return api.create_response(request, {"message": "This is not here (any more)."}, status=404)


@api.exception_handler(BadRequest)
def unreadable(request: HttpRequest, error: BadRequest) -> HttpResponse:
    first = error.errors[0]
    place = [str(p) for p in first["loc"] if isinstance(p, str)][-1:]
    words = str(first["msg"]).replace("Input should be", "this must be")
    message = f"{' '.join(place).replace('_', ' ').capitalize()}: {words}. Nothing was changed."
    return api.create_response(request, {"message": message}, status=422)
