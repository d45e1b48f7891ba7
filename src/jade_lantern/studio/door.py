"""Tries answered at the door.

While a hand drags, each try asks what would follow from a change to a scene that has been read
already. Such a one needs neither the database nor a session, so it is answered here, ahead of
Django; whatever is not that plain (a scene not at hand, a change that cannot be read) goes on
inside and gets its answer there, from the same functions.

A hand has one try under way at a time, and a try gives up when it has taken too long: so no hand
waits for another's.
"""

from __future__ import annotations

import asyncio
import json
import logging
import re
from collections.abc import AsyncIterator, Awaitable, Callable, MutableMapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import asynccontextmanager
from typing import Any

from pydantic import ValidationError

from ..core.deadline import within
from ..core.refusal import Refusal
from . import projects
from .api.project import LONGEST_TRY_S, TryIn, tried
from .gate import OUR_HEADER
from .trouble import in_words

Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
App = Callable[[Scope, Receive, Send], Awaitable[None]]

log = logging.getLogger("jade_lantern")

TRY = re.compile(r"/api/projects/(\d{1,9})/tries")
LONGEST = 256 * 1024
WORKERS = 8


class Door:
    """The application, with plain tries answered before they enter it."""

    def __init__(self, inside: App, workers: int = WORKERS) -> None:
        self._inside = inside
        self._pool = ThreadPoolExecutor(workers, "try")
        self._hands: dict[str, tuple[asyncio.Lock, int]] = {}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        asked = TRY.fullmatch(scope["path"]) if scope["type"] == "http" else None
        if asked is None or scope["method"] != "POST":
            await self._inside(scope, receive, send)
            return
        body, more = b"", True
        while more and len(body) <= LONGEST:
            part = await receive()
            if part["type"] != "http.request":
                return
            body += part.get("body", b"")
            more = part.get("more_body", False)
        async with self._turn(_hand(scope)):
            answer = None
            if not more:
                loop = asyncio.get_running_loop()
                answer = await loop.run_in_executor(self._pool, _tried, int(asked[1]), body)
            if answer is None:
                await self._inside(scope, _again(body, more, receive), send)
                return
        status, said = answer
        length = str(len(said)).encode()
        headers = [(b"content-type", b"application/json"), (b"content-length", length)]
        await send({"type": "http.response.start", "status": status, "headers": headers})
        await send({"type": "http.response.body", "body": said})

    @asynccontextmanager
    async def _turn(self, hand: str) -> AsyncIterator[None]:
        """Wait until no other try of this hand is under way."""
        lock, waiting = self._hands.get(hand, (asyncio.Lock(), 0))
        self._hands[hand] = lock, waiting + 1
        try:
            async with lock:
                yield
        finally:
            lock, waiting = self._hands[hand]
            if waiting > 1:
                self._hands[hand] = lock, waiting - 1
            else:
                del self._hands[hand]


def _hand(scope: Scope) -> str:
    """Whose try it is: a page says which page it is, another program is told by its connection."""
    for name, value in scope["headers"]:
        if name == OUR_HEADER and len(value) > 8:
            return str(value, "latin-1")
    return str(scope.get("client"))


def _tried(project: int, body: bytes) -> tuple[int, bytes] | None:
    """The answer to a try whose scene is at hand, or None where it has to go inside."""
    try:
        asked = TryIn.model_validate_json(body)
    except ValidationError:
        return None
    before = projects.scene_at_hand(project, asked.base)
    if before is None:
        return None
    try:
        with within(LONGEST_TRY_S):
            return 200, tried(project, before, asked).model_dump_json().encode()
    except Refusal as error:
        return 422, json.dumps({"message": str(error)}).encode()
    except Exception as error:
        status, words = in_words(error)
        if status == 500:
            log.exception("an unforeseen error in a try")
        return status, json.dumps({"message": words}).encode()


def _again(body: bytes, more: bool, receive: Receive) -> Receive:
    """Let a body that has been read be read once more."""
    given = False

    async def again() -> MutableMapping[str, Any]:
        nonlocal given
        if given:
            return await receive()
        given = True
        return {"type": "http.request", "body": body, "more_body": more}

    return again
