"""Beyond this machine whoever comes needs a key; and what goes wrong on the command line is one
line."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from jade_lantern.core.deliver.archive import packed
from jade_lantern.core.picture import png
from jade_lantern.core.store import Memory
from jade_lantern.studio import projects
from jade_lantern.studio.gate import Gate
from jade_lantern.studio.projects import Moved
from jade_lantern.studio.reached import addresses_of, machine_names
from jade_lantern.studio.trouble import Busy, in_words
from tests.serving import Server, free_port
from tests.studio.asgi import put

HOST = ("host", "localhost")
OURS = ("x-jade-lantern", "1")


@pytest.mark.parametrize("host", ["127.0.0.1", "localhost", "::1", "127.9.9.9"])
def test_this_machine_alone_needs_no_key(host):
    reached = addresses_of(host, 8000, ["quay.example"], False)
    assert (reached.key, reached.hosts) == ("", ())
    assert reached.links == (f"http://{'[::1]' if host == '::1' else host}:8000",)


@pytest.mark.parametrize("host", ["0.0.0.0", "::"])
def test_everywhere_is_this_machines_names_with_a_key(host):
    reached = addresses_of(host, 81, ["quay.example"], False)
    assert len(reached.key) > 20
    assert "quay.example" in reached.hosts
    assert socket.gethostname() in reached.hosts
    assert all(link.endswith(f":81/?key={reached.key}") for link in reached.links)
    assert not any("0.0.0.0" in link or "[::]" in link for link in reached.links)
    assert len(reached.links) == len(machine_names()) + 1


def test_an_address_of_its_own_is_printed_so_that_it_works():
    reached = addresses_of("fd00::7", 8000, [], True)
    assert reached.links == ("http://[fd00::7]:8000",)
    assert (reached.hosts, reached.key) == (("[fd00::7]",), "")


async def inside(scope: Any, receive: Any, send: Any) -> None:
    await send({"type": "http.response.start", "status": 200, "headers": []})
    await send({"type": "http.response.body", "body": b"inside"})


def test_with_a_key_nothing_is_answered_without_it(settings):
    settings.KEY = "the-key"
    gate = Gate(inside)
    for path in ("/", "/api/projects", "/assets/a.js", "/?key=wrong", "/api/ping?key=the-key"):
        assert put(gate, "GET", path, headers=[HOST]).status == 401
    assert put(gate, "POST", "/api/stills", headers=[HOST, OURS]).status == 401
    assert put(gate, "POST", "/?key=the-key", headers=[HOST, OURS]).status == 401
    given = [("x-jade-lantern-key", "the-key")]
    assert put(gate, "GET", "/api/projects", headers=[HOST, *given]).body == b"inside"
    assert put(gate, "GET", "/", headers=[HOST, ("x-jade-lantern-key", "x")]).status == 401


def test_its_link_lets_a_browser_in(settings):
    settings.KEY = "the-key"
    gate = Gate(inside)
    came = put(gate, "GET", "/project/3/sight?key=the-key", headers=[HOST])
    assert (came.status, came.headers["location"]) == (303, "/project/3/sight")
    cookie = came.headers["set-cookie"]
    assert "HttpOnly" in cookie
    sent = ("cookie", f"other=1; {cookie.partition(';')[0]}")
    assert put(gate, "GET", "/project/3/sight", headers=[HOST, sent]).body == b"inside"
    away = put(gate, "GET", "//elsewhere.example?key=the-key", headers=[HOST])
    assert away.headers["location"] == "/elsewhere.example"


def test_a_file_that_may_not_grow_is_a_full_disk():
    import sqlite3

    assert in_words(sqlite3.OperationalError("disk I/O error"))[0] == 507
    assert in_words(OSError(27, "File too large"))[0] == 507


def test_a_pipeline_goes_on_while_a_hand_edits(project, monkeypatch):
    keep, quicker = projects.keep, []

    def overtaken(number: int, base: int, *more: Any) -> Any:
        if len(quicker) < 3:
            quicker.append(base)
            raise Moved(["Rename"], 1)
        return keep(number, base, *more)

    from jade_lantern.core.scene.edits import RenameProject

    monkeypatch.setattr(projects, "keep", overtaken)
    kept = projects.keep_at_head(project.pk, RenameProject(name="After all"))
    assert (kept.now.scene.name, len(quicker)) == ("After all", 3)
    monkeypatch.setattr(projects, "keep", lambda *_: (_ for _ in ()).throw(Moved([], 1)))
    with pytest.raises(Busy):
        projects.keep_at_head(project.pk, RenameProject(name="Never"))


def ran(*words: object, data: Path, **environment: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "jade_lantern.cli", *map(str, words)], capture_output=True,
        text=True, check=False, timeout=120,
        env={**os.environ, "JADE_LANTERN_DATA": str(data), **environment},
    )  # fmt: skip


def test_what_goes_wrong_on_the_command_line_is_said_in_a_line(tmp_path):
    still, taken = tmp_path / "a.png", socket.socket()
    still.write_bytes(png(np.full((80, 120, 3), 90, np.uint8)))
    taken.bind(("127.0.0.1", free_port()))
    taken.listen()
    data = tmp_path / "data"
    for done, word in (
        (ran("import", still, data=still), "File exists"),
        (ran("import", still, data=data, JADE_LANTERN_MEMORY_MB="lots"), "no number"),
        (ran("import", still, data=data, JADE_LANTERN_MOST_MEGAPIXELS="-3"), "no number"),
        (ran("serve", "--port", 70000, data=data), "65535"),
        (ran("serve", "--port", taken.getsockname()[1], data=data), "another program"),
    ):
        assert done.returncode != 0
        assert word in done.stderr
        assert "Traceback" not in done.stderr
    taken.close()


def test_two_commands_begin_on_a_new_folder_at_once(tmp_path):
    from concurrent.futures import ThreadPoolExecutor

    still = tmp_path / "a.png"
    still.write_bytes(png(np.full((80, 120, 3), 90, np.uint8)))
    with ThreadPoolExecutor(3) as pool:
        made = list(pool.map(lambda _: ran("import", still, data=tmp_path / "data"), range(3)))
    assert sorted(done.stdout.strip() for done in made) == ["1", "2", "3"]


def test_another_machine_renders_a_project_by_its_address(tmp_path, demo_scene, still_file):
    archive, there, words = tmp_path / "quay.zip", tmp_path / "there", ("--width", 96, "--last", 1)
    archive.write_bytes(
        packed(demo_scene, Memory({demo_scene.plate.digest: still_file.read_bytes()}))
    )
    there.mkdir()
    assert ran("import", archive, data=there).stdout.strip() == "1"
    server = Server(there)
    try:
        address = f"http://127.0.0.1:{server.port}/api/projects/1"
        done = ran("render", address, tmp_path / "far", *words, data=tmp_path / "here")
        assert done.returncode == 0, done.stderr
        gone = ran("render", f"{address}7", tmp_path / "no", *words, data=tmp_path / "here")
        assert (gone.returncode, "There is nothing at" in gone.stderr) == (1, True)
        status, _, file = server.ask("GET", f"/api/projects/1/pictures/{demo_scene.plate.digest}")
        assert (status, file) == (200, still_file.read_bytes())
        assert server.ask("GET", f"/api/projects/1/pictures/{'0' * 64}")[0] == 404
    finally:
        server.kill()
    ran("render", archive, tmp_path / "near", *words, data=tmp_path / "here")
    for number in (0, 1):
        name = f"frame-{number:05d}.png"
        assert (tmp_path / "far" / name).read_bytes() == (tmp_path / "near" / name).read_bytes()
