"""Tries answered at the door.

While a hand drags, each try asks what would follow from a change to a scene that has been read
already. Such a one needs neither the database nor a session, so it is answered here, ahead of
Django; whatever is not that plain (a scene not at hand, a change that is refused or cannot be
read) goes on inside and gets its answer there, from the same functions.
"""

from __future__ import annotations

import asyncio
import re
from collections.abc import Awaitable, Callable, MutableMapping
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from pydantic import ValidationError

from ..core.refusal import Refusal
from . import projects
from .api.project import ChangeIn, tried

Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
App = Callable[[Scope, Receive, Send], Awaitable[None]]

TRY = re.compile(r"/api/projects/(\d{1,9})/tries")
LONGEST = 256 * 1024


class Door:
    """The application, with plain tries answered before they enter it."""

    def __init__(self, inside: App, workers: int = 2) -> None:
        self._inside = inside
        self._pool = ThreadPoolExecutor(workers, "try")

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
        answer = None
        if not more:
            loop = asyncio.get_running_loop()
            answer = await loop.run_in_executor(self._pool, _tried, int(asked[1]), body)
        if answer is None:
            await self._inside(scope, _again(body, more, receive), send)
            return
        length = str(len(answer)).encode()
        headers = [(b"content-type", b"application/json"), (b"content-length", length)]
        await send({"type": "http.response.start", "status": 200, "headers": headers})
        await send({"type": "http.response.body", "body": answer})


def _tried(project: int, body: bytes) -> bytes | None:
    """The answer to a try whose scene is at hand, or None where it has to go inside."""
    try:
        asked = ChangeIn.model_validate_json(body)
        before = projects.scene_at_hand(project, asked.base)
        if before is None:
            return None
        return tried(project, before, asked).model_dump_json().encode()
    except (ValidationError, Refusal):
        return None


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
