"""Broken files of every format that comes in, put to the studio as a browser puts them: each is
taken or refused in words, and nothing of a refused one is kept."""

from __future__ import annotations

import io
import json
import random
import struct
import tempfile
import zipfile
from collections import Counter
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import av
import trimesh
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from fontTools.subset import Subsetter
from fontTools.ttLib import TTFont
from pxr import Usd, UsdGeom

from jade_lantern.core import dress
from jade_lantern.core.picture.openraster import Layer, written
from tests.broken import ODD_NAMES, PICTURE, damaged, whole_pictures
from tests.core.lying_files import square_font

# each way that files come in, and the fields that go with one
WAYS: dict[str, dict[str, str]] = {
    "stills": {}, "paint": {}, "blocking": {}, "guest": {"at": "[300, 1150]"}, "font": {},
    "table": {}, "panorama": {},
}  # fmt: skip
# most files are no font or table at all; those that are go there as often as anywhere else
AT_HOME = {"ttf": "font", "otf": "font", "woff": "font", "woff2": "font", "cube": "table"}
TITLE = {"kind": "words", "id": "new-0", "name": "title", "text": "Quay", "height_m": 0.5}
ODD_UNITS = ["", "", "", "1", "0.01", "-1", "1e9", "nan", "x"]


def whole_files() -> dict[str, bytes]:
    """One sound file of each format, by name."""
    box = trimesh.creation.box()
    out = {
        **whole_pictures(), "still mask.png": whole_pictures()["a.png"],
        "box.glb": box.export(file_type="glb"), "box.obj": box.export(file_type="obj").encode(),
        "layers.ora": layers(), "clip.mp4": clip("mp4"), "clip.mkv": clip("matroska"),
        "cameras.glb": cameras(), "blocking.usdz": package(),
        "a.cube": b"LUT_3D_SIZE 2\n" + b"0.1 0.5 1\n" * 8, "own.otf": square_font(),
        **{f"own.{kind}": letters(kind) for kind in ("ttf", "woff", "woff2")},
    }  # fmt: skip
    for kind in ("usda", "usdc"):
        out[f"blocking.{kind}"] = usd(kind)
    return out


def letters(kind: str) -> bytes:
    """A few letters of a shipped variable font."""
    font = TTFont(Path(dress.__file__).parent / "fonts" / "hanken-grotesk.ttf")
    few = Subsetter()
    few.populate(text="Quay")
    few.subset(font)
    font.flavor = None if kind == "ttf" else kind
    out = io.BytesIO()
    font.save(out)
    return out.getvalue()


def layers() -> bytes:
    own = [Layer("plate", PICTURE, 0, 0), Layer("sky", PICTURE[:40], 5, 3, 0.5)]
    return written(96, 72, own)


def clip(format: str) -> bytes:
    out = io.BytesIO()
    with av.open(out, "w", format=format) as file:
        stream = file.add_stream("mpeg4", rate=24)
        stream.width, stream.height, stream.pix_fmt = 96, 72, "yuv420p"
        for _ in range(3):
            file.mux(stream.encode(av.VideoFrame.from_ndarray(PICTURE[..., :3].copy(), "rgb24")))
        file.mux(stream.encode(None))
    return out.getvalue()


def glb(**document: Any) -> bytes:
    """A GLB of a document that need not be sound."""
    text = json.dumps({"asset": {"version": "2.0"}, **document}).encode()
    text += b" " * (-len(text) % 4)
    head = struct.pack("<4sII", b"glTF", 2, 20 + len(text))
    return head + struct.pack("<II", len(text), 0x4E4F534A) + text


def cameras(**node: Any) -> bytes:
    lens = {"type": "perspective", "perspective": {"yfov": 0.8, "znear": 0.1, "aspectRatio": 1.5}}
    eye = {"camera": 0, "name": "eye", **node}
    return glb(cameras=[lens], nodes=[eye], scenes=[{"nodes": [0]}])


def usd(kind: str) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"a.{kind}"
        stage = Usd.Stage.CreateNew(str(path))
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        mesh = UsdGeom.Mesh.Define(stage, "/a/m")
        mesh.CreatePointsAttr([(0, 0, 0), (1, 0, 0), (0, 1, 0), (1, 1, 0)])
        mesh.CreateFaceVertexCountsAttr([4])
        mesh.CreateFaceVertexIndicesAttr([0, 1, 3, 2])
        stage.GetRootLayer().Save()
        return path.read_bytes()


def package() -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("a.usda", usd("usda"))
    return out.getvalue()


def odd_text(data: bytes, chance: random.Random) -> bytes:
    """A text, or a file with one in it, whose numbers have become others."""
    odd = [b"-1", b"0", b"1e9", b"1e-6", b"nan", b"99999999999", b"1e400", b"null", b'"x"', b"[]"]
    digits = [i for i in range(len(data)) if data[i : i + 1].isdigit()]
    if not digits:
        return data
    at = end = chance.choice(digits)
    while at and data[at - 1 : at] in b"0123456789.-e" and data[at - 1 : at]:
        at -= 1
    while end < len(data) and data[end : end + 1] in b"0123456789.-e":
        end += 1
    new = chance.choice(odd)
    room = end - at
    # in a binary file the length must stay
    new = new if data[:1] in b"#{o" else new[:room].ljust(room)
    return data[:at] + new + data[end:]


def broken_file(chance: random.Random, sound: list[tuple[str, bytes]]) -> tuple[str, bytes]:
    name, data = chance.choice(sound)
    for _ in range(chance.choice([0, 1, 1, 1, 3])):
        if not data:
            break
        data = odd_text(data, chance) if chance.random() < 0.4 else damaged(bytearray(data), chance)
    return f"{chance.choice(ODD_NAMES)}{name}", data


def throw(
    times: int,
    seed: int,
    project: int | None = None,
    checked: Callable[[], None] = lambda: None,
    ways: Sequence[str] = tuple(WAYS),
) -> Counter[str]:
    """So many broken files, each brought in one of the ways there are. Raises AssertionError where
    one is answered with anything but a state or words. checked: asked now and then. ways: some of
    WAYS."""
    chance, client = random.Random(seed), Client(raise_request_exception=False)
    sound = [
        (name, data) for name, data in whole_files().items()
        if AT_HOME.get(name.rsplit(".", 1)[-1], ways[0]) in ways
    ]  # fmt: skip
    came: Counter[str] = Counter()
    base = 0
    if project is not None:
        base = client.get(f"/api/projects/{project}/head").json()["revision"]
    for turn in range(times):
        undos = 0
        name, data = broken_file(chance, sound)
        way = chance.choice(list(ways)) if project is not None else "stills"
        home = AT_HOME.get(name.rsplit(".", 1)[-1])
        if home in ways and chance.random() < 0.5:
            way = home
        if way == "stills":
            answer = client.post("/api/stills", {"still": SimpleUploadedFile(name, data)})
        else:
            field = "files" if way in ("paint", "guest") else "file"
            if way == "font":  # it is given to words
                kept = client.post(
                    f"/api/projects/{project}/edits",
                    {"base": base, "change": {"verb": "AddGuest", "guest": TITLE}},
                    content_type="application/json",
                ).json()
                base, undos = kept["revision"], 1
            more = {"base": str(base), **WAYS[way]}
            if way == "font":
                more["guest"] = kept["changed"]["guests"][0]["id"]
            if way == "blocking" and (unit := chance.choice(ODD_UNITS)):
                more["unit_m"] = unit
            answer = client.post(
                f"/api/projects/{project}/{way}", {field: SimpleUploadedFile(name, data), **more}
            )
        called = f"seed {seed}, turn {turn}: {name} by {way}: {answer.status_code}"
        assert answer.status_code in (200, 201, 422, 413), f"{called} {answer.content[:300]!r}"
        said = answer.json()
        if answer.status_code >= 400:
            assert said["message"].strip(), called
        elif way != "stills":
            base, undos = said["revision"], undos + 1
        for _ in range(undos):
            undone = client.post(
                f"/api/projects/{project}/undo", {"base": base}, content_type="application/json"
            )
            assert undone.status_code == 200, called
            base = undone.json()["revision"]
        came[f"{way} {answer.status_code}"] += 1
        if turn % 200 == 199:
            checked()
    return came
