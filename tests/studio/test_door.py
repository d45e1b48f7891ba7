"""A plain try is answered at the door, as it would be inside; anything else goes in."""

from __future__ import annotations

import asyncio
import json
from typing import Any

import pytest

from jade_lantern.studio import projects
from jade_lantern.studio.door import Door

TRACE = {"verb": "AddTrace", "heading": "up", "points": [[100, 100], [110, 900]]}


def asked(path: str, body: Any, host: str = "localhost", origin: str = "") -> tuple[str, bytes]:
    """Put a request to the door: "door" and the answer, or "inside" and the body that went in."""
    heard: list[bytes] = []
    sent: list[Any] = []

    async def inside(scope: Any, receive: Any, send: Any) -> None:
        more = True
        while more:
            part = await receive()
            heard.append(part["body"])
            more = part["more_body"]

    raw = body if isinstance(body, bytes) else json.dumps(body).encode()
    parts = [
        {"type": "http.request", "body": raw[:9], "more_body": True},
        {"type": "http.request", "body": raw[9:], "more_body": False},
    ]

    async def receive() -> Any:
        return parts.pop(0)

    async def send(message: Any) -> None:
        sent.append(message)

    headers = [(b"host", host.encode())] + ([(b"origin", origin.encode())] if origin else [])
    scope = {"type": "http", "method": "POST", "path": path, "headers": headers}
    asyncio.run(Door(inside)(scope, receive, send))
    if heard:
        return "inside", b"".join(heard)
    assert sent[0]["status"] == 200
    return "door", sent[1]["body"]


@pytest.fixture
def path(project: Any, api: Any) -> str:
    api.keep(project.pk, 0, verb="SetLock", locked=False)
    return f"/api/projects/{project.pk}/tries"


def test_the_door_answers_as_the_inside_does(api, project, path):
    body = {"base": 1, "change": TRACE}
    where, answer = asked(path, body)
    assert where == "door"
    inside = api.post(path.removeprefix("/api/"), **body).json()
    assert json.loads(answer) == inside
    assert api.get(f"projects/{project.pk}/head").json() == {"revision": 1}


@pytest.mark.parametrize(
    "odd",
    [
        {"host": "elsewhere.example"},
        {"origin": "http://elsewhere.example"},
        {"body": b"{"},
        {"body": {"base": 77, "change": TRACE}},
        {"body": {"base": 1, "change": {**TRACE, "points": [[5, 5], [5, 5]]}}},
        {"body": {"base": 1, "change": {"verb": "Fly"}}},
    ],
)
def test_what_is_not_plain_goes_inside_whole(path, odd):
    body = odd.pop("body", {"base": 1, "change": TRACE})
    where, heard = asked(path, body, **odd)
    assert where == "inside"
    assert heard == (body if isinstance(body, bytes) else json.dumps(body).encode())


def test_other_addresses_and_scenes_not_at_hand_go_inside(path):
    assert asked("/api/ping", {})[0] == "inside"
    projects._at_hand.clear()
    assert asked(path, {"base": 1, "change": TRACE})[0] == "inside"
