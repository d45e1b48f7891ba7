"""The API: one router a station, typed, so that its OpenAPI schema is the contract."""

from __future__ import annotations

import logging

from django.core.exceptions import ObjectDoesNotExist, SuspiciousOperation
from django.http import Http404, HttpRequest, HttpResponse
from django.http.multipartparser import MultiPartParserError
from ninja import NinjaAPI
from ninja.errors import HttpError
from ninja.errors import ValidationError as BadRequest

from ...core.refusal import Refusal
from ..projects import Moved
from ..trouble import in_words
from . import begin, block, cast, deliver, dress, move, project, sight, still

log = logging.getLogger("jade_lantern")

api = NinjaAPI(title="Jade Lantern", version="1", docs_url=None, openapi_url="/openapi.json")
api.add_router("", project.router)
api.add_router("", still.router)
api.add_router("", begin.router)
api.add_router("", sight.router)
api.add_router("", block.router)
api.add_router("", cast.router)
api.add_router("", move.router)
api.add_router("", dress.router)
api.add_router("", deliver.router)


def _said(request: HttpRequest, status: int, message: str, **more: object) -> HttpResponse:
    return api.create_response(request, {"message": message, **more}, status=status)


@api.exception_handler(Refusal)
def refused(request: HttpRequest, error: Refusal) -> HttpResponse:
    return _said(request, 422, str(error))


@api.exception_handler(project.Damaged)
def damaged(request: HttpRequest, error: project.Damaged) -> HttpResponse:
    return _said(request, 422, str(error), head=error.head, readable=error.readable)


@api.exception_handler(Moved)
def moved(request: HttpRequest, error: Moved) -> HttpResponse:
    message = "This project was changed in another window; your last change was not made."
    return _said(request, 409, message, since=error.since, count=error.count)


@api.exception_handler(Http404)
@api.exception_handler(ObjectDoesNotExist)
def missing(request: HttpRequest, error: Exception) -> HttpResponse:
    return _said(request, 404, "This is not here (any more).")


@api.exception_handler(BadRequest)
def unreadable(request: HttpRequest, error: BadRequest) -> HttpResponse:
    first = error.errors[0]
    place = [str(p) for p in first["loc"] if isinstance(p, str)][-1:]
    words = str(first["msg"]).replace("Input should be", "this must be")
    message = f"{' '.join(place).replace('_', ' ').capitalize()}: {words}. Nothing was changed."
    return _said(request, 422, message)


@api.exception_handler(HttpError)
@api.exception_handler(SuspiciousOperation)
@api.exception_handler(MultiPartParserError)
def refused_by_the_framework(request: HttpRequest, error: Exception) -> HttpResponse:
    status = error.status_code if isinstance(error, HttpError) else 400
    return _said(request, status, "This request cannot be read. Nothing was changed.")


@api.exception_handler(Exception)
def unforeseen(request: HttpRequest, error: Exception) -> HttpResponse:
    status, words = in_words(error)
    if status == 500:
        log.exception("an unforeseen error at %s", request.path, exc_info=error)
    return _said(request, status, words)
