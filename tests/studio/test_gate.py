"""Only this application's own pages and this machine's programs come through the gate."""

from __future__ import annotations

import json
import time
from typing import Any

import pytest

from jade_lantern.studio.gate import Gate
from tests.studio.asgi import Answer, put

HOME = ("host", "localhost:8000")
JSON = ("content-type", "application/json")
OURS = ("x-jade-lantern", "1")


class Inside:
    """What is behind the gate: notes every body that comes through, and says yes."""

    def __init__(self) -> None:
        self.bodies: list[bytes] = []
        self.finished = 0

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        body, more = b"", scope["method"] == "POST"
        while more:
            part = await receive()
            body, more = body + part["body"], part["more_body"]
        self.bodies.append(body)
        await send({"type": "http.response.start", "status": 200, "headers": []})
        for _ in range(3):
            await send({"type": "http.response.body", "body": b"yes", "more_body": True})
        await send({"type": "http.response.body", "body": b""})
        self.finished += 1


@pytest.fixture
def inside() -> Inside:
    return Inside()


def asked(inside: Inside, method: str, path: str, *headers: tuple[str, str], **more: Any) -> Answer:
    return put(Gate(inside, idle_s=0.5, whole_s=30), method, path, headers=headers, **more)


@pytest.mark.parametrize("path", ["/", "/assets/index.js", "/api/projects", "/project/1/sight"])
@pytest.mark.parametrize(
    "hosts",
    [["elsewhere.example"], ["localhost.elsewhere.example"], [], ["localhost", "localhost"], ["["]],
)
def test_nothing_is_answered_under_another_name(inside, path, hosts):
    answer = asked(inside, "GET", path, *(("host", h) for h in hosts))
    assert answer.status == 400
    assert json.loads(answer.body)["message"]
    assert not inside.bodies


@pytest.mark.parametrize("name", ["localhost", "127.0.0.1:8000", "[::1]:8000"])
def test_it_is_answered_under_its_own(inside, name):
    assert asked(inside, "GET", "/api/projects", ("host", name)).status == 200


@pytest.mark.parametrize(
    "said",
    [
        [],  # a form's post says nothing of itself
        [("content-type", "text/plain")],
        [("content-type", "multipart/form-data; boundary=x")],
        [JSON, ("origin", "http://elsewhere.example")],
        [JSON, ("origin", "null")],
        [JSON, ("origin", "http://[")],
        [OURS, ("sec-fetch-site", "cross-site")],
        [OURS, ("sec-fetch-site", "same-site")],
    ],
)
@pytest.mark.parametrize("method", ["POST", "DELETE", "PUT"])
def test_a_change_from_elsewhere_is_refused(inside, method, said):
    answer = asked(inside, method, "/api/projects/1/undo", HOME, *said)
    assert answer.status == 403
    assert json.loads(answer.body)["message"]
    assert not inside.bodies


@pytest.mark.parametrize(
    "said",
    [
        [JSON],
        [OURS],
        [JSON, ("origin", "http://localhost:8000"), ("sec-fetch-site", "same-origin")],
    ],
)
def test_a_change_from_here_comes_through(inside, said):
    answer = asked(inside, "POST", "/api/projects/1/undo", HOME, *said, parts=[b"ab", b"c"])
    assert answer.status == 200
    assert inside.bodies == [b"abc"]


def test_another_sites_page_reads_nothing_either(inside):
    elsewhere = ("sec-fetch-site", "cross-site")
    assert asked(inside, "GET", "/api/projects", HOME, elsewhere).status == 403
    assert asked(inside, "GET", "/", HOME, elsewhere).status == 200  # a link to the page is fine


def test_every_answer_is_kept_from_being_framed_and_guessed_at(inside):
    for path, host in (("/", "localhost"), ("/api/x", "localhost"), ("/", "elsewhere.example")):
        headers = asked(inside, "GET", path, ("host", host)).headers
        assert "frame-ancestors 'none'" in headers["content-security-policy"]
        assert "default-src 'self'" in headers["content-security-policy"]
        assert "script-src" not in headers["content-security-policy"]  # nothing but our own files
        assert headers["x-content-type-options"] == "nosniff"


def test_too_much_is_refused_before_it_is_read(inside, settings):
    settings.MOST_UPLOAD_BYTES = 5 << 20
    upload = ("content-type", "multipart/form-data; boundary=x")
    said = asked(inside, "POST", "/api/stills", HOME, OURS, upload, ("content-length", "9999999"))
    told = asked(inside, "POST", "/api/stills", HOME, OURS, upload, parts=[b"0" * (1 << 20)] * 7)
    odd = asked(inside, "POST", "/api/stills", HOME, OURS, upload, ("content-length", "-4"))
    assert (said.status, told.status, odd.status) == (413, 413, 413)
    assert "5 MB" in json.loads(said.body)["message"]
    assert not inside.bodies


def test_a_large_body_comes_through_whole(inside):
    piece = bytes(range(256)) * 4096
    upload = ("content-type", "multipart/form-data; boundary=x")
    assert asked(inside, "POST", "/api/stills", HOME, OURS, upload, parts=[piece] * 9).status == 200
    assert inside.bodies == [piece * 9]


def test_a_body_that_stands_still_is_given_up(inside, settings):
    start = time.monotonic()
    answer = asked(inside, "POST", "/api/stills", HOME, OURS, parts=[b"a"], stall=True)
    assert answer.status == 408
    assert time.monotonic() - start < 5
    assert not inside.bodies
    assert list(settings.FILE_UPLOAD_TEMP_DIR.iterdir()) == []


def test_who_does_not_fetch_an_answer_holds_nothing(inside):
    with pytest.raises(ConnectionError):
        asked(inside, "GET", "/", HOME, reader_stalls=True)
    assert inside.finished == 1  # what was making the answer came to its end


def test_a_disk_that_is_full_is_said(inside, monkeypatch):
    def full(*_: Any, **__: Any) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("jade_lantern.studio.gate.SpooledTemporaryFile", full)
    answer = asked(inside, "POST", "/api/stills", HOME, OURS, parts=[b"a"])
    assert answer.status == 507
    assert "disk is full" in json.loads(answer.body)["message"]


def test_an_address_that_is_no_text_is_refused(inside):
    assert asked(inside, "GET", "/api/projects?a=\xff", HOME).status == 400
