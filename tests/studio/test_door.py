"""A plain try is answered at the door, as it would be inside; anything else goes in."""

from __future__ import annotations

import asyncio
import json
import time
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
    return "door" if answer.status == 200 else str(answer.status), answer.body


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
        {"base": 1, "change": {"verb": "Fly"}},
    ],
)
def test_what_is_not_plain_goes_inside_whole(path, odd):
    where, heard = asked(path, odd)
    assert where == "inside"
    assert heard == (odd if isinstance(odd, bytes) else json.dumps(odd).encode())


def test_a_try_that_is_refused_or_fails_is_answered_as_inside(api, path, monkeypatch, caplog):
    body = {"base": 1, "change": {**TRACE, "points": [[5, 5], [5, 5]]}}
    where, answer = asked(path, body)
    assert where == "422"
    inside = api.post(path.removeprefix("/api/"), **body)
    assert (inside.status_code, inside.json()) == (422, json.loads(answer))
    monkeypatch.setattr("jade_lantern.studio.door.tried", lambda *_: 1 / 0)
    where, answer = asked(path, {"base": 1, "change": TRACE})
    assert where == "500"
    assert json.loads(answer)["message"]
    assert "ZeroDivisionError" in caplog.text


def test_a_try_that_takes_too_long_gives_up_in_words(path, monkeypatch):
    monkeypatch.setattr("jade_lantern.studio.door.LONGEST_TRY_S", -1.0)
    grow = {"verb": "GrowOutline", "feet": [[400, 1100], [600, 1100]], "inside": [[500, 900]]}
    where, answer = asked(path, {"base": 1, "change": grow})
    assert where == "422"
    assert "too long" in json.loads(answer)["message"]


def test_a_hand_has_one_try_under_way_and_waits_for_no_other(monkeypatch):
    """Two pages with three slow tries each: those of one page follow each other, and the pages go
    beside each other."""
    under_way: dict[int, int] = {1: 0, 2: 0}
    most = {"own": 0, "all": 0}

    def slow(project: int, body: bytes) -> tuple[int, bytes]:
        under_way[project] += 1
        most["own"] = max(most["own"], under_way[project])
        most["all"] = max(most["all"], sum(under_way.values()))
        time.sleep(0.1)
        under_way[project] -= 1
        return 200, b"{}"

    monkeypatch.setattr("jade_lantern.studio.door._tried", slow)
    door = Door(lambda *_: None)  # type: ignore[arg-type]

    async def one(page: int) -> None:
        sent = [{"type": "http.request", "body": b"{}", "more_body": False}]
        scope = {"type": "http", "method": "POST", "path": f"/api/projects/{page}/tries",
                 "headers": [(b"x-jade-lantern", b"page-number-%d" % page)]}  # fmt: skip

        async def receive() -> Any:
            return sent.pop()

        async def send(message: Any) -> None:
            pass

        await door(scope, receive, send)

    async def all_of_them() -> None:
        await asyncio.gather(*(one(page) for page in (1, 1, 1, 2, 2, 2)))

    asyncio.run(all_of_them())
    assert most == {"own": 1, "all": 2}
    assert door._hands == {}


def test_a_deleted_projects_tries_go_inside_and_are_not_there(api, project, path):
    assert asked(path, {"base": 1, "change": TRACE})[0] == "door"
    assert api.client.delete(f"/api/projects/{project.pk}").status_code == 204
    assert asked(path, {"base": 1, "change": TRACE})[0] == "inside"
    assert api.post(path.removeprefix("/api/"), base=1, change=TRACE).status_code == 404


def test_other_addresses_and_scenes_not_at_hand_go_inside(path):
    assert asked("/api/ping", {})[0] == "inside"
    projects._at_hand.clear()
    assert asked(path, {"base": 1, "change": TRACE})[0] == "inside"
