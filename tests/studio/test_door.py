"""A plain try is answered at the door, as it would be inside; anything else goes in."""

from __future__ import annotations

import json
from typing import Any

import pytest

from jade_lantern.studio import projects
from jade_lantern.studio.door import Door
from tests.studio.asgi import put

TRACE = {"verb": "AddTrace", "heading": "up", "points": [[100, 100], [110, 900]]}


def asked(path: str, body: Any) -> tuple[str, bytes]:
    """Put a request to the door: "door" and the answer, or "inside" and the body that went in."""
    heard: list[bytes] = []

    async def inside(scope: Any, receive: Any, send: Any) -> None:
        more = True
        while more:
            part = await receive()
            heard.append(part["body"])
            more = part["more_body"]

    raw = body if isinstance(body, bytes) else json.dumps(body).encode()
    answer = put(Door(inside), "POST", path, parts=[raw[:9], raw[9:]])
    if heard:
        return "inside", b"".join(heard)
    assert answer.status == 200
    return "door", answer.body


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
        b"{",
        {"base": 77, "change": TRACE},
        {"base": 1, "change": {**TRACE, "points": [[5, 5], [5, 5]]}},
        {"base": 1, "change": {"verb": "Fly"}},
    ],
)
def test_what_is_not_plain_goes_inside_whole(path, odd):
    where, heard = asked(path, odd)
    assert where == "inside"
    assert heard == (odd if isinstance(odd, bytes) else json.dumps(odd).encode())


def test_a_deleted_projects_tries_go_inside_and_are_not_there(api, project, path):
    assert asked(path, {"base": 1, "change": TRACE})[0] == "door"
    assert api.client.delete(f"/api/projects/{project.pk}").status_code == 204
    assert asked(path, {"base": 1, "change": TRACE})[0] == "inside"
    assert api.post(path.removeprefix("/api/"), base=1, change=TRACE).status_code == 404


def test_other_addresses_and_scenes_not_at_hand_go_inside(path):
    assert asked("/api/ping", {})[0] == "inside"
    projects._at_hand.clear()
    assert asked(path, {"base": 1, "change": TRACE})[0] == "inside"
