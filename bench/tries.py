"""A try while dragging, at the client, against an API call that does nothing."""

from __future__ import annotations

import http.client
import json
import os
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np

from jade_lantern.core.picture import png
from jade_lantern.demo.made import HEIGHT, WIDTH, made_camera, made_traces, shaken

from .row import Row, side_by_side
from .scenes import bring_in

TRACES = 24
PROXIES, FRAMES = 200, 10_000
TIMES = 300


def rows() -> Iterator[Row]:
    with tempfile.TemporaryDirectory() as folder:
        bring_in(folder, PROXIES)
        with served(folder) as port:
            client = Client(port)

            def against_nothing(try_one: Callable[[], object]) -> float:
                return side_by_side(try_one, lambda: client.send("POST", "/api/ping", {}), TIMES)

            _, drag = dragged_project(client)
            yield Row(f"a try, {TRACES} traces, at the client", "an empty API call",
                      against_nothing(lambda: drag(client)), 2)  # fmt: skip
            for what, hand in _hands(client):
                yield Row(f"a try, {what}", "an empty API call", against_nothing(hand), 2)


def _hands(client: Client) -> Iterator[tuple[str, Callable[[], None]]]:
    """What is tried in Block, Cast and Move, in a project of many proxies and frames."""
    path, count = "/api/projects/1", iter(range(10**6))

    def revision(change: dict[str, Any] | None = None) -> int:
        if change is not None:
            client.send("POST", f"{path}/edits", {"base": revision(), "change": change})
        return int(client.send("GET", f"{path}/head")["revision"])

    def trying(base: int, change: Callable[[float], dict[str, Any]]) -> Callable[[], None]:
        def once() -> None:
            body = {"base": base, "change": change(0.001 * next(count))}
            client.send("POST", f"{path}/tries", body)

        return once

    yield (
        f"one proxy of {PROXIES} slid",
        trying(revision(), lambda x: {"verb": "AlterProxy", "proxy": "box-1", "to": {"x": x}}),
    )
    weak = {"verb": "AlterLantern", "lantern": "lantern-0"}
    yield (
        f"a lantern's strength, {PROXIES} proxies",
        trying(revision(), lambda x: {**weak, "to": {"strength": x % 1}}),
    )
    revision({"verb": "SetShot", "frames": FRAMES, "fps": 24})
    base = revision({"verb": "Push", "distance_m": 1.5})
    key = client.send("GET", path)["follows"]["keys"][-1]
    yield (
        f"one key of {FRAMES:,} frames",
        trying(base, lambda x: {"verb": "SetKey", "key": {**key, "focal_mm": 30 + x}}),
    )


@contextmanager
def served(folder: str) -> Iterator[int]:
    """The application on a data folder: its port."""
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    server = subprocess.Popen(
        [sys.executable, "-m", "jade_lantern.cli", "serve", "--port", str(port)],
        env={**os.environ, "JADE_LANTERN_DATA": folder}, stdout=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        yield port
    finally:
        server.terminate()
        server.wait()


def dragged_project(client: Client) -> tuple[str, Callable[[Client], None]]:
    """The address of a project with many traces, and what a hand that drags one of them asks."""
    rng = np.random.default_rng(3)
    project = client.bring_in(png(np.zeros((HEIGHT, WIDTH, 3), np.uint8)))
    path = f"/api/projects/{project}"
    camera = made_camera(rng)
    for i, (heading, ends) in enumerate(shaken(rng, made_traces(rng, camera, TRACES), 1.0)):
        points = [[min(max(p[0], 0), WIDTH), min(max(p[1], 0), HEIGHT)] for p in ends]
        change = {"verb": "AddTrace", "heading": heading, "points": points}
        client.send("POST", f"{path}/edits", {"base": i, "change": change})
    end = points[1]

    def drag(client: Client) -> None:
        """A hand moves the end a little further each time: no answer can be an old one."""
        end[0] += 0.01 if end[0] < WIDTH - 10 else -0.01
        moved = {"verb": "MoveTraceEnd", "trace": f"trace-{TRACES}", "end": 1, "to": end}
        answer = client.send("POST", f"{path}/tries", {"base": TRACES, "change": moved})
        assert answer["follows"]["reading"]["focal_px"], answer

    return path, drag


class Client:
    """One connection, kept open, as a browser's is."""

    def __init__(self, port: int) -> None:
        for _ in range(300):
            self.http = http.client.HTTPConnection("127.0.0.1", port)
            try:
                self.http.connect()
                break
            except OSError:
                time.sleep(0.1)

    def send(self, method: str, path: str, body: object = None) -> dict[str, Any]:
        data = None if body is None else json.dumps(body)
        self.http.request(method, path, data, {"Content-Type": "application/json"})
        answer = self.http.getresponse()
        text = answer.read()
        assert answer.status < 300, text
        return dict(json.loads(text))

    def send_raw(self, method: str, path: str, body: object = None) -> bytes:
        """The same for what is answered with another value, or may be refused."""
        data = None if body is None else json.dumps(body)
        self.http.request(method, path, data, {"Content-Type": "application/json"})
        answer = self.http.getresponse()
        text = answer.read()
        assert answer.status < 500, text
        return text

    def bring_in(self, still: bytes) -> int:
        return int(self.try_to_bring_in(still)["id"])

    def try_to_bring_in(self, still: bytes) -> dict[str, Any]:
        mark = "jade"
        head = f'--{mark}\r\nContent-Disposition: form-data; name="still"; filename="a.png"\r\n\r\n'
        body = head.encode() + still + f"\r\n--{mark}--\r\n".encode()
        kind = {
            "Content-Type": f"multipart/form-data; boundary={mark}", "X-Jade-Lantern": "1",
        }  # fmt: skip
        self.http.request("POST", "/api/stills", body, kind)
        return dict(json.loads(self.http.getresponse().read()))
