"""Archives that an earlier program wrote open as they were. What it saw in them, its camera, its
surfaces and its shot, was written down by that program beside them."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from jade_lantern.core.deliver.archive import packed, unpacked
from jade_lantern.core.scene.shot import shot_camera
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.store import read

DATA = Path(__file__).parents[1] / "data"
SEEN = json.loads((DATA / "kept-earlier.json").read_text())
EARLIER = ["quay", "quay-flattened"]


def missing_from(new: Any, old: Any, at: str = "scene") -> list[str]:
    """Where a value that an earlier scene had is another one now."""
    if isinstance(old, dict):
        return [
            m
            for k, v in old.items()
            for m in ([f"{at}.{k}"] if k not in new else missing_from(new[k], v, f"{at}.{k}"))
        ]
    if isinstance(old, list):
        if len(new) != len(old):
            return [f"{at}: {len(new)} for {len(old)}"]
        return [m for i in range(len(old)) for m in missing_from(new[i], old[i], f"{at}[{i}]")]
    return [] if new == old else [f"{at}: {new!r} for {old!r}"]


@pytest.mark.parametrize("name", EARLIER)
def test_every_value_of_an_earlier_archive_is_kept(name):
    path = DATA / f"{name}.zip"
    got = unpacked(path.read_bytes())
    with zipfile.ZipFile(path) as archive:
        old = json.loads(archive.read("scene.json"))
        plate = archive.read("plate")
    new = json.loads(got.scene.model_dump_json())
    # the one lantern that there was is the first of many now
    assert new["lanterns"][0]["edge"] == old.pop("lantern")["edge"]
    assert old.pop("version") < new["version"]
    # and keys of the whole shot camera are keys of its parts
    keys, move = old["move"].pop("keys"), new["move"]
    assert len(keys) == len(move["position"])
    for i, one in enumerate(keys):
        for part, field in (
            ("position", "at"), ("aim", "at"), ("focal_mm", "value"), ("roll_deg", "value")
        ):  # fmt: skip
            kept = move[part][i]
            assert (kept[field], kept["frame"], kept["ease"]) == (
                one[part], one["frame"], one["ease"]
            )  # fmt: skip
    assert missing_from(new, old) == []
    assert read(got.pictures, got.scene.plate.digest) == plate
    assert (len(got.pictures.names) > 1) == (name == "quay-flattened")
    again = unpacked(packed(got.scene, got.pictures))
    assert again.scene == got.scene
    for digest in got.pictures.names:
        assert read(again.pictures, digest) == read(got.pictures, digest)


@pytest.mark.parametrize("name", EARLIER)
def test_an_earlier_archive_shows_what_it_showed(name):
    scene = unpacked((DATA / f"{name}.zip").read_bytes()).scene
    seen = SEEN[name]
    camera = required_camera(scene)
    assert camera.focal_px == pytest.approx(seen["camera"]["focal_px"], rel=1e-6)
    assert np.allclose(camera.position, seen["camera"]["position"], atol=1e-5)
    assert np.allclose(camera.rotation, seen["camera"]["rotation"], atol=1e-7)
    assert [p.name for p in scene.proxies] == list(seen["proxies"])
    for proxy in scene.proxies:
        was = np.array(seen["proxies"][proxy.name])
        assert np.allclose(proxy.mesh(camera).points, was, rtol=1e-5, atol=1e-4), proxy.name
    frames = (0, 30, scene.move.frames - 1)
    where = [shot_camera(scene, f, camera).position for f in frames]
    assert np.allclose(where, seen["shot"], atol=1e-5)
