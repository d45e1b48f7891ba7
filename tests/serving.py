"""The application in a process of its own, to be asked, measured and killed."""

from __future__ import annotations

import http.client
import json
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Mapping
from pathlib import Path
from typing import Any

JSON = {"Content-Type": "application/json"}
OURS = {"X-Jade-Lantern": "1"}


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


class Server:
    """`jade-lantern serve` on a data folder. Its log is in the folder's server.log."""

    def __init__(self, data: Path, **environment: str) -> None:
        self.data, self.port = data, free_port()
        self.log = data / "server.log"
        self._environment = {**os.environ, "JADE_LANTERN_DATA": str(data), **environment}
        self.start()

    def start(self) -> None:
        words = [sys.executable, "-m", "jade_lantern.cli", "serve", "--port", str(self.port)]
        with self.log.open("ab") as out:
            self.process = subprocess.Popen(
                words, env=self._environment, stdout=out, stderr=subprocess.STDOUT
            )
        for _ in range(600):
            try:
                socket.create_connection(("127.0.0.1", self.port), 1).close()
                return
            except OSError:
                assert self.process.poll() is None, self.log.read_text()
                time.sleep(0.05)
        raise AssertionError("the server does not answer")

    def kill(self, how: int = signal.SIGKILL) -> None:
        self.process.send_signal(how)
        self.process.wait(20)

    def ask(
        self, method: str, path: str, body: bytes | None = None, headers: Mapping[str, str] = JSON
    ) -> tuple[int, Any, bytes]:
        """Status, headers and body of one request on a connection of its own."""
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=60)
        try:
            connection.request(method, path, body, dict(headers))
            answer = connection.getresponse()
            return answer.status, answer.headers, answer.read()
        finally:
            connection.close()

    def post(self, path: str, **body: Any) -> tuple[int, Any]:
        status, _, data = self.ask("POST", path, json.dumps(body).encode())
        return status, json.loads(data)

    def get(self, path: str) -> Any:
        return json.loads(self.ask("GET", path)[2])

    def bring_in(self, still: bytes, name: str = "a.png") -> tuple[int, Any]:
        status, _, data = self.ask("POST", "/api/stills", form(still, name), UPLOAD)
        return status, json.loads(data)


MARK = "jade-lantern-test"
UPLOAD = {"Content-Type": f"multipart/form-data; boundary={MARK}", **OURS}


def form(still: bytes, name: str = "a.png") -> bytes:
    """A still as a browser's form sends it."""
    head = f'--{MARK}\r\nContent-Disposition: form-data; name="still"; filename="{name}"\r\n\r\n'
    return head.encode("utf-8", "replace") + still + f"\r\n--{MARK}--\r\n".encode()
