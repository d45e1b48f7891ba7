"""Questions about a project that change nothing: every route that reads or works something out,
with bodies and queries made from the API's own schema."""

from __future__ import annotations

import json
import random
import time
from collections import Counter
from typing import Any
from urllib.parse import urlencode

from jade_lantern.studio.contract import schema_text
from tests.fuzz.anything import Anything

SCHEMA = json.loads(schema_text())
LONGEST_S = 20.0
CHANGES = (
    "edits",
    "undo",
    "redo",
    "history/{number}",
    "paint",
    "footage",
    "blocking",
    "guest",
    "font",
    "table",
    "panorama",
    "relief",
    "still",
    "camera",
    "deliveries",
)
PREFIX = "/api/projects/{id}/"


def questions() -> list[tuple[str, str, dict[str, Any]]]:
    """The method, address and operation of each."""
    return [
        (method, path, operation)
        for path, methods in SCHEMA["paths"].items() if path.startswith(PREFIX)
        for method, operation in methods.items()
        if not (method == "post" and path.removeprefix(PREFIX) in CHANGES)
    ]  # fmt: skip


def ask_anything(api: Any, project: int, times: int, seed: int) -> Counter[int]:
    """So many questions; how often each status was the answer. Raises AssertionError for any that
    is neither an answer nor words."""
    chance = random.Random(seed)
    make = Anything(chance, SCHEMA)
    scene = api.whole(project)["scene"]
    came: Counter[int] = Counter()
    asked = questions()
    for turn in range(times):
        method, path, operation = chance.choice(asked)
        make.sense = chance.choice([0.5, 0.9, 1.0])
        query = {}
        for parameter in operation.get("parameters", ()):
            name = parameter["name"]
            value = make.of(parameter["schema"], name)
            if parameter["in"] == "path":
                value = project if name == "id" else value
                value = scene["plate"]["digest"] if name == "digest" else value
                path = path.replace(f"{{{name}}}", str(value))
            elif parameter.get("required") or chance.random() < 0.5:
                query[name] = 0 if name == "revision" else value
        if "count" in query:
            query["count"] = min(query["count"], 40)  # a thousand marbles take seconds
        if path.endswith("strip"):  # every frame of the move: slow, and has its own tests
            continue
        began = time.monotonic()
        if method == "get":
            answer = api.client.get(f"{path}?{urlencode(query)}")
        elif method == "post":
            content = operation["requestBody"]["content"]["application/json"]["schema"]
            body = make.of(content)
            if "base" in body:
                body["base"] = 0
            answer = api.client.post(
                f"{path}?{urlencode(query)}", json.dumps(body), content_type="application/json"
            )
        else:
            continue
        spent = time.monotonic() - began
        assert spent < LONGEST_S, (
            f"seed {seed}, turn {turn}: {method} {path} {query}: {spent:.0f} s"
        )
        called = f"seed {seed}, turn {turn}: {method} {path} {query}"
        assert answer.status_code < 500, f"{called}: {answer.content[:300]!r}"
        if answer.status_code >= 400:
            assert json.loads(answer.content)["message"].strip(), called
        elif answer["Content-Type"].startswith("application/json"):
            assert b"NaN" not in answer.content, called
            assert b"Infinity" not in answer.content, called
        came[answer.status_code] += 1
    return came
