"""A thousand hostile requests and files: none may break anything, or be remembered."""

from __future__ import annotations

import gc
import json
import re
import socket
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from urllib.parse import quote

import psutil
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jade_lantern.core.picture import read_still
from jade_lantern.core.refusal import Refusal
from tests.broken import broken_pictures, whole_pictures
from tests.serving import JSON, OURS, UPLOAD, Server, form

SCHEMA = json.loads((Path(__file__).parents[2] / "web" / "openapi.json").read_text())
COMPONENTS = SCHEMA["components"]["schemas"]
MOST_KEPT_MB = 200
FILES = 350
REQUESTS = 1000
GENTLE = settings(
    max_examples=REQUESTS, derandomize=True, database=None, deadline=None,
    suppress_health_check=list(HealthCheck),
)  # fmt: skip


SOME_IDS = ["trace-1", "box-2", "card-9", "tape-1", "sighting-1", "x-" + "9" * 30]
EXTREMES = st.sampled_from([0, -1, 1e-12, 1e6, -1e7, 1e7, 1e8, 1e300, 10**400])


def of(schema: Any) -> st.SearchStrategy[Any]:
    """Values of a JSON schema, as the API's has them: within its bounds, at them, or past them."""
    if "$ref" in schema:
        return of(COMPONENTS[schema["$ref"].rsplit("/", 1)[1]])
    if "const" in schema or "enum" in schema:
        return st.sampled_from(schema.get("enum") or [schema["const"]])
    for choice in ("anyOf", "oneOf"):
        if choice in schema:
            return st.one_of([of(s) for s in schema[choice]])
    kind = schema.get("type")
    if kind == "object":
        fields = schema.get("properties", {})
        needed = set(schema.get("required", [])) | {"verb"} & set(fields)
        return st.fixed_dictionaries(
            {k: of(v) for k, v in fields.items() if k in needed},
            optional={k: of(v) for k, v in fields.items() if k not in needed},
        )
    if kind == "array":
        if "prefixItems" in schema:
            return st.tuples(*(of(s) for s in schema["prefixItems"])).map(list)
        least = schema.get("minItems", 0)
        return st.lists(of(schema["items"]), min_size=least, max_size=least + 2)
    if kind in ("number", "integer"):
        low, high = (
            schema.get(a, schema.get(b, default))
            for a, b, default in (("minimum", "exclusiveMinimum", -3000),
                                  ("maximum", "exclusiveMaximum", 3000))
        )  # fmt: skip
        low, high = max(low, -3000), min(high, 3000)
        sound = st.integers(int(low) + 1, int(high)) if kind == "integer" else st.floats(low, high)
        return st.one_of(sound, sound, EXTREMES)
    if kind == "string":
        return st.sampled_from(SOME_IDS) if "pattern" in schema else st.text(max_size=90)
    return st.booleans() if kind == "boolean" else st.none()


VERBS = [of(s) for s in COMPONENTS.values() if "verb" in s.get("properties", {})]
NUMBERS = st.sampled_from([0, 1, 2, 3, -1, 2**31, 2**63, 2**70, 10**400, 1e300, 0.5, None, "1", []])
CHANGES = st.fixed_dictionaries({"base": st.integers(0, 3), "change": st.one_of(VERBS)})
BASES = st.fixed_dictionaries({"base": st.integers(0, 3)})
DELIVERIES = of(COMPONENTS["DeliveryIn"])
ODD = st.recursive(
    st.one_of(NUMBERS, st.text(max_size=30)),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner),
    max_leaves=12,
)
BODIES = st.one_of(
    CHANGES, CHANGES, BASES, DELIVERIES, ODD,
    st.builds(lambda n, c: {**c, "base": n}, NUMBERS, CHANGES),
)  # fmt: skip
RAW = st.sampled_from(
    [b"", b"{", b"[" * 50_000, b"\xff\xfe", b"null", b'{"base":NaN,"change":Infinity}', b"0" * 9999]
)
PARTS = st.sampled_from(
    ["1", "2", "3", "0", "-1", str(2**63), "9" * 400, "x", "..", "%00", "1e3", "thumb", "a" * 64]
)
OPERATIONS = [(m.upper(), p) for p, ms in SCHEMA["paths"].items() for m in ms]
QUERIES = st.sampled_from(
    ["", "", "?longest=1" + "0" * 400, "?longest=-1", "?revision=0", "?revision=99",
     "?revision=" + "9" * 30, "?%ff=%00", "?" + "a" * 5000]
)  # fmt: skip
HEADERS = st.sampled_from(
    [JSON, JSON, JSON, OURS, {}, {**JSON, "Origin": "http://["}, {**JSON, "Host": "elsewhere"},
     {**JSON, "Content-Length": "-1"}, {**JSON, "Transfer-Encoding": "odd"}, UPLOAD,
     {"Content-Type": "application/json; charset=odd"}, {"Content-Type": "text/plain", **OURS}]
)  # fmt: skip


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    served = Server(tmp_path_factory.mktemp("hostile"), JADE_LANTERN_MEMORY_MB="64")
    yield served
    served.kill()
    said = [line for line in served.log.read_text().splitlines() if "Lantern is at" not in line]
    assert said == [], "no traceback, nor any other complaint"


def settled(server: Server) -> float:
    """The server's memory in MB, with three projects there and everything used once."""
    for _ in range(3 - len(server.get("/api/projects")["projects"])):
        server.bring_in(whole_pictures()["a.png"])
    for project in server.get("/api/projects")["projects"]:
        server.get(f"/api/projects/{project['id']}")
    gc.collect()
    return psutil.Process(server.process.pid).memory_info().rss / 1e6


def check(status: int, headers: Any, body: bytes) -> None:
    assert status < 500, (status, body[:300])
    assert headers["x-content-type-options"] == "nosniff" or status == 400
    if status >= 400 and headers.get_content_type() == "application/json":
        assert json.loads(body)["message"]
    assert b"Traceback" not in body


def test_a_thousand_hostile_requests_and_files_break_nothing_and_cost_no_memory(server):
    before = settled(server)

    @GENTLE
    @given(
        st.sampled_from(OPERATIONS), st.lists(PARTS, min_size=5, max_size=5), QUERIES,
        st.one_of(BODIES, BODIES, BODIES, RAW), HEADERS,
    )  # fmt: skip
    def request(operation: Any, parts: Any, query: str, body: Any, headers: Any) -> None:
        method, path = operation
        filled = iter(parts)
        path = re.sub(r"\{\w+\}", lambda _: quote(next(filled), safe="%"), path)
        data = None if method == "GET" else body if isinstance(body, bytes) else dumped(body)
        try:
            answer = server.ask(method, path + query, data, headers)
        except ConnectionError:
            # a request that says two lengths or none that can be is hung up on, and the hanging up
            # may overtake the answer
            assert headers.keys() & {"Transfer-Encoding", "Content-Length"}
        else:
            check(*answer)

    request()
    for name, data in broken_pictures(FILES):
        check(*server.ask("POST", "/api/stills", form(data, name), UPLOAD))
    for project in server.get("/api/projects")["projects"]:
        assert project["trouble"] is None
        server.get(f"/api/projects/{project['id']}")
    assert settled(server) - before < MOST_KEPT_MB
    assert server.bring_in(whole_pictures()["a.png"])[0] == 201


def dumped(body: Any) -> bytes:
    return json.dumps(body).encode("utf-8", "surrogatepass")


def test_uploads_that_stand_still_and_readers_that_do_not_read_stop_nobody(server):
    number = server.bring_in(whole_pictures()["a.png"])[1]["id"]
    digest = server.get(f"/api/projects/{number}")["changed"]["plate"]["digest"]
    head = "Host: localhost\r\nX-Jade-Lantern: 1\r\n"
    upload = f"POST /api/stills HTTP/1.1\r\n{head}Content-Type: multipart/form-data; boundary=x\r\n"
    fetch = f"GET /api/projects/{number}/plate/{digest} HTTP/1.1\r\n{head}\r\n"
    still = []
    for _ in range(40):
        for words in (f"{upload}Content-Length: 500000\r\n\r\nabc", fetch):
            still.append(socket.create_connection(("127.0.0.1", server.port), 5))
            still[-1].sendall(words.encode())
    assert server.post(f"/api/projects/{number}/undo", base=0)[0] == 422  # answered, meanwhile
    assert server.bring_in(whole_pictures()["a.png"])[0] == 201
    for connection in still:
        connection.close()


def test_every_broken_picture_is_a_still_or_refused_in_words():
    taken, refused = 0, 0
    for name, data in broken_pictures(800, seed=1):
        try:
            still = read_still(data)
        except Refusal as error:
            refused += 1
            said = str(error)
        else:
            taken += 1
            said = still.format
            assert still.pixels.shape == (still.height, still.width, 3)
        assert said, name
    assert refused > 400
    assert taken > 20
