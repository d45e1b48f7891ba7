"""Killed at any moment, by whatever means: what was acknowledged is there, and all goes on."""

from __future__ import annotations

import http.client
import os
import random
import signal
import sqlite3
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
import psutil
import pytest

from jade_lantern.core.picture import png
from jade_lantern.demo.made import HEIGHT, WIDTH, made_camera, made_traces
from tests.answers import whole
from tests.serving import UPLOAD, Server, form

GREY = png(np.full((600, 900, 3), 120, np.uint8))
ROUNDS = 20
T = TypeVar("T")


@pytest.fixture
def server(tmp_path: Path) -> Iterator[Server]:
    served = Server(tmp_path)
    yield served
    served.kill()
    assert "Traceback" not in served.log.read_text()


def unless_killed(work: Callable[..., T], *with_: Any) -> T | None:
    """What a request was answered, or None where the server was gone before it was."""
    try:
        return work(*with_)
    except (OSError, http.client.HTTPException):
        return None


def sound(data: Path) -> bool:
    with sqlite3.connect(data / "projects.sqlite3") as database:
        return database.execute("PRAGMA integrity_check").fetchone() == ("ok",)


def change(server: Server, project: int, base: int, **change: Any) -> tuple[int, Any]:
    return server.post(f"/api/projects/{project}/edits", base=base, change=change)


def rename(server: Server, project: int, base: int, name: str) -> tuple[int, Any]:
    return change(server, project, base, verb="RenameProject", name=name)


class Keeper:
    """What keeps changes on a server's folder, in processes that are killed."""

    def __init__(self, data: Path) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "tests.studio.keeper"], text=True, bufsize=1,
            env={**os.environ, "JADE_LANTERN_DATA": str(data)},
            stdin=subprocess.PIPE, stdout=subprocess.PIPE,
        )  # fmt: skip
        assert self._line() == "ready"

    def _line(self) -> str:
        assert self.process.stdout
        return self.process.stdout.readline().rstrip("\n")

    def killed_at(self, seconds: float, words: str, after_first: bool = False) -> dict[int, str]:
        """Let it do something and kill it so many seconds later, counted from the start or from
        the first change that it acknowledged; all that was acknowledged is returned."""
        assert self.process.stdin
        print(words, file=self.process.stdin)
        child = int(self._line())
        # its parent waits for it, so the process id is its own until the empty line has come
        killer = threading.Timer(seconds, os.kill, (child, signal.SIGKILL))
        if not after_first:
            killer.start()
        acknowledged = {}
        while line := self._line():
            number, _, name = line.partition(" ")
            if after_first and not acknowledged:
                killer.start()
            acknowledged[int(number)] = name
        killer.cancel()
        return acknowledged

    def close(self) -> None:
        self.process.stdin.close()  # type: ignore[union-attr]
        assert self.process.wait(10) == 0


@pytest.fixture
def keeper(server: Server) -> Iterator[Keeper]:
    keeper = Keeper(server.data)
    yield keeper
    keeper.close()


def test_no_acknowledged_edit_is_lost_in_twenty_kills(server, keeper):
    chance = random.Random(4)
    project = server.bring_in(GREY)[1]["id"]
    acknowledged: dict[int, str] = {}
    for turn in range(ROUNDS):
        seconds = chance.uniform(0.0, 0.2)
        new = keeper.killed_at(seconds, f"rename {project} {turn}", after_first=turn % 4 > 0)
        assert len(new) < 10_000  # it was killed before it had come to its end
        acknowledged |= new
        assert sound(server.data)
        steps = {s["number"]: s["title"] for s in server.get(f"/api/projects/{project}/history")}
        assert all(steps[n] == f"Rename to {name}" for n, name in acknowledged.items())
        state = server.get(f"/api/projects/{project}")
        assert state["revision"] >= max(acknowledged, default=0)
    assert len(acknowledged) > ROUNDS


def test_of_two_clients_one_wins_each_round_and_nothing_is_overwritten(server):
    project = server.bring_in(GREY)[1]["id"]
    names: list[str] = []
    for turn in range(200):
        answers: dict[str, tuple[int, Any]] = {}
        both = threading.Barrier(2)

        def client(who: str, turn: int = turn, both: Any = both, answers: Any = answers) -> None:
            both.wait()
            answers[who] = rename(server, project, turn, f"{who} {turn}")

        hands = [threading.Thread(target=client, args=(who,)) for who in ("left", "right")]
        for hand in hands:
            hand.start()
        for hand in hands:
            hand.join()
        assert sorted(status for status, _ in answers.values()) == [200, 409]
        winner, loser = sorted(answers, key=lambda who: answers[who][0])
        names.append(f"Rename to {winner} {turn}")
        assert answers[loser][1]["since"] == names[-1:]
    steps = server.get(f"/api/projects/{project}/history")
    assert [s["title"] for s in steps[1:]] == names


def test_killed_in_an_upload_it_keeps_nothing_and_takes_the_next(server):
    cut = form(GREY) + b"x" * 3_000_000
    threading.Timer(0.3, server.process.kill).start()
    headers = {**UPLOAD, "Content-Length": "9000000"}
    assert unless_killed(server.ask, "POST", "/api/stills", _slowly(cut), headers) is None
    server.process.wait(10)
    server.start()
    assert server.get("/api/projects")["projects"] == []
    assert sound(server.data)
    assert list((server.data / "uploads").glob("*")) == []
    assert server.bring_in(GREY)[0] == 201


def _slowly(body: bytes) -> Any:
    for at in range(0, len(body), 100_000):
        yield body[at : at + 100_000]
        time.sleep(0.05)


def test_killed_in_a_flattening_it_stands_where_it_stood(server, keeper):
    noise = np.random.default_rng(0).integers(90, 130, (HEIGHT, WIDTH, 3))
    picture = noise.astype(np.uint8)
    project = server.bring_in(png(picture))[1]["id"]
    bent(server, project)
    cut_short = 0
    for delay in (0.03, 0.1, 0.2, 0.4):
        done = keeper.killed_at(delay, f"flatten {project} 2")
        assert sound(server.data)
        state = whole(server.get(f"/api/projects/{project}"))
        plate = state["scene"]["plate"]
        if done or plate["flattened"] is not None:  # quicker than the kill: then it is there whole
            assert state["revision"] == 3
            assert server.ask("GET", f"/api/projects/{project}/plate/{plate['digest']}")[0] == 200
            assert server.post(f"/api/projects/{project}/undo", base=3)[0] == 200
            break
        cut_short += 1
        assert state["revision"] == 2
    assert cut_short > 0
    status, answer = flatten(server, project)
    assert status == 200
    assert answer["changed"]["plate"]["flattened"]


def flatten(server: Server, project: int) -> tuple[int, Any]:
    return server.post(f"/api/projects/{project}/edits", base=2, change={"verb": "Flatten"})


def bent(server: Server, project: int) -> None:
    """A camera by traces, of a lens that bends. Leaves the project at revision 2."""
    rng = np.random.default_rng(3)
    drawn = made_traces(rng, made_camera(rng), 12)
    inside = [
        ([min(max(x, 0), WIDTH), min(max(y, 0), HEIGHT)] for x, y in ends) for _, ends in drawn
    ]
    traces = [
        {"heading": h, "points": list(ends)} for (h, _), ends in zip(drawn, inside, strict=True)
    ]
    assert change(server, project, 0, verb="AddTraces", traces=traces)[0] == 200
    assert change(server, project, 1, verb="SetBend", bend={"k1": -0.05, "k2": 0.0})[0] == 200


def sighted(server: Server, project: int) -> None:
    """A camera by eye, a floor to cast on, and a shot that moves."""
    changes = [
        {"verb": "StartByEye"}, {"verb": "SetDatum", "point": [450, 560]},
        {"verb": "SetEyeHeight", "metres": 1.6}, {"verb": "LayGround"},
        {"verb": "SetShot", "fps": 24, "frames": 300}, {"verb": "Push", "distance_m": 1.0},
    ]  # fmt: skip
    for base, one in enumerate(changes):
        status, answer = change(server, project, base, **one)
        assert status == 200, answer


def under_way(server: Server) -> tuple[int, int]:
    """A delivery that has begun to render: the project's number, and the worker's process."""
    project = server.bring_in(GREY)[1]["id"]
    sighted(server, project)
    asked = server.post(f"/api/projects/{project}/deliveries", kind="frames", width=320, last=79)
    assert asked[0] == 201
    row = wait_for(server, project, lambda r: r["done"] > 0)
    assert row["state"] == "rendering"
    (worker,) = workers(server)
    return project, worker.pid


def workers(server: Server) -> list[psutil.Process]:
    """The workers on the server's data folder, whoever started them."""
    out = []
    for process in psutil.process_iter():
        try:
            mine = process.environ().get("JADE_LANTERN_DATA") == str(server.data)
            if mine and process.cmdline()[-1:] == ["work"]:
                out.append(process)
        except psutil.Error:
            continue
    return out


def wait_for(server: Server, project: int, there: Any) -> Any:
    for _ in range(1200):
        (row,) = server.get(f"/api/projects/{project}/deliveries")
        if there(row):
            return row
        time.sleep(0.05)
    raise AssertionError(row)


def test_a_worker_killed_is_followed_by_another_that_begins_again(server):
    project, worker = under_way(server)
    psutil.Process(worker).kill()
    row = wait_for(server, project, lambda r: r["state"] in ("done", "failed"))
    assert (row["state"], row["done"]) == ("done", 80)
    assert server.post(f"/api/projects/{project}/deliveries", kind="glb")[0] == 201
    for _ in range(600):
        rows = server.get(f"/api/projects/{project}/deliveries")
        if all(r["state"] == "done" for r in rows):
            break
        time.sleep(0.05)
    assert [r["state"] for r in rows] == ["done", "done"]


def test_a_delivery_outlives_its_server_and_is_looked_after_by_the_next(server):
    project, worker = under_way(server)
    server.kill(signal.SIGKILL)
    assert psutil.pid_exists(worker)
    server.start()
    row = wait_for(server, project, lambda r: r["state"] in ("done", "failed"))
    assert (row["state"], row["done"]) == ("done", 80)


def test_killed_both_the_next_start_makes_it_from_the_beginning(server, monkeypatch):
    project, worker = under_way(server)
    server.kill(signal.SIGKILL)
    psutil.Process(worker).kill()
    # as if it had stood a while: the lease has run out
    with sqlite3.connect(server.data / "projects.sqlite3") as database:
        database.execute("UPDATE studio_lease SET beat_at = '2026-01-01 00:00:00'")
    server.start()
    row = wait_for(server, project, lambda r: r["state"] in ("done", "failed"))
    assert (row["state"], row["done"]) == ("done", 80)
