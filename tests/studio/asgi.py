"""Requests put to an ASGI application without a network."""

from __future__ import annotations

import asyncio
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any


@dataclass
class Answer:
    status: int = 0
    headers: dict[str, str] = field(default_factory=dict)
    body: bytes = b""


def put(
    app: Any,
    method: str,
    path: str,
    parts: Iterable[bytes] = (b"",),
    headers: Iterable[tuple[str, str]] = (("host", "localhost"),),
    stall: bool = False,
    reader_stalls: bool = False,
) -> Answer:
    """Put one request to an application. stall: the body never ends. reader_stalls: nobody takes
    the answer."""
    answer = Answer()
    waiting = list(parts)

    async def receive() -> dict[str, Any]:
        if waiting:
            part = waiting.pop(0)
            more = bool(waiting) or stall
            return {"type": "http.request", "body": part, "more_body": more}
        await asyncio.sleep(3600)
        return {"type": "http.disconnect"}

    async def send(message: dict[str, Any]) -> None:
        if reader_stalls:
            await asyncio.sleep(3600)
        if message["type"] == "http.response.start":
            answer.status = message["status"]
            answer.headers = {k.decode(): v.decode() for k, v in message["headers"]}
        else:
            answer.body += message.get("body", b"")

    where, _, query = path.partition("?")
    scope = {
        "type": "http", "method": method, "path": where, "query_string": query.encode("latin-1"),
        "http_version": "1.1", "scheme": "http",
        "headers": [(k.encode("latin-1"), v.encode("latin-1")) for k, v in headers],
    }  # fmt: skip
    with ThreadPoolExecutor(1) as elsewhere:  # this thread may have a loop of its own already
        elsewhere.submit(lambda: asyncio.run(app(scope, receive, send))).result()
    return answer
