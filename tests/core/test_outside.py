"""Files from outside: by themselves alone, within a budget, and in a process that may be lost."""

from __future__ import annotations

import io
import json
import random
import struct
import time
import zipfile
from pathlib import Path

import numpy as np
import pytest
import tifffile

from jade_lantern.core.budget import Budget
from jade_lantern.core.deliver.archive import packed, unpacked
from jade_lantern.core.outside import process
from jade_lantern.core.outside.cameras import read_cameras
from jade_lantern.core.outside.layers import read_flat, read_plates
from jade_lantern.core.outside.meshes import read_meshes
from jade_lantern.core.outside.process import read_apart
from jade_lantern.core.picture import png, read_deep, read_still
from jade_lantern.core.picture.openraster import Layer, written
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.store import Memory
from jade_lantern.core.value import name_of

MESH = """def Mesh "m" {
 int[] faceVertexCounts=[3]
 int[] faceVertexIndices=[0,1,2]
 point3f[] points=[(0,0,0),(1,0,0),(0,1,0)]
}
"""


def glb(**document: object) -> bytes:
    text = json.dumps({"asset": {"version": "2.0"}, **document}).encode()
    text += b" " * (-len(text) % 4)
    head = struct.pack("<4sII", b"glTF", 2, 20 + len(text))
    return head + struct.pack("<II", len(text), 0x4E4F534A) + text


def test_a_reader_that_loops_is_ended_and_the_next_file_is_read():
    began = time.monotonic()
    with pytest.raises(Refusal, match="longer than"):
        read_apart(time.sleep, 60, seconds=1.0)
    assert time.monotonic() - began < 10
    assert read_apart(json.loads, "[1]") == [1]


def test_a_reader_that_takes_all_memory_costs_its_process_only():
    with pytest.raises(Refusal, match="memory"):
        read_apart(bytes, 8 << 30, most_bytes=1 << 30)
    assert read_apart(json.loads, "[2]") == [2]


def test_a_reader_that_crashes_is_told_and_one_that_refuses_keeps_its_words():
    with pytest.raises(Refusal, match="crashes"):
        read_apart(__import__("os")._exit, 3)
    with pytest.raises(Refusal, match="is broken"):
        read_apart(json.loads, "no json")
    with pytest.raises(Refusal, match="cut short"):
        read_apart(read_cameras, b"glTF")


def test_a_process_is_used_again_and_leaves_nothing_behind():
    read_apart(json.loads, "[]")
    own = process._idle[0]
    assert read_apart(json.loads, "[3]") == [3]
    assert process._idle == [own]
    folder = Path(own._folder)
    assert folder.is_dir()
    process.end_idle()
    assert not folder.exists()


@pytest.mark.parametrize(
    "words",
    [
        'def "a" (references=@{other}@) {{}}', "(subLayers=[@{other}@])",
        'def "a" (payload=@{other}@) {{}}', 'def "a" (references=@./../{other}@) {{}}',
        'def "a" (\nvariants = {{\nstring v="x"\n}}\nprepend variantSets="v"\n) {{\n'
        'variantSet "v" = {{\n"x" (\nreferences=@{other}@\n) {{\n}}\n}}\n}}',
        'def Mesh "m" (clips={{dictionary default={{asset[] assetPaths=[@{other}@]\n'
        'string primPath="/R/m"}} }}) {{}}',
        '(expressionVariables={{string X="{other}"}})\ndef "a" (references=@`"${{X}}"`@) {{}}',
    ],
)  # fmt: skip
def test_no_file_of_the_disk_is_read_by_a_usd(tmp_path, words):
    other = tmp_path / "other.usda"
    other.write_text('#usda 1.0\n(defaultPrim="R")\ndef Xform "R" {\n' + MESH + "}\n")
    text = "#usda 1.0\n" + words.format(other=other) + "\n"
    with pytest.raises(Refusal, match="refers to another file"):
        read_meshes(text.encode(), "usda", "a.usda")
    package = io.BytesIO()
    with zipfile.ZipFile(package, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("a.usda", text)
    with pytest.raises(Refusal, match="refers to another file"):
        read_meshes(package.getvalue(), "usdz", "a.usdz")


def test_a_package_may_refer_to_itself():
    package = io.BytesIO()
    with zipfile.ZipFile(package, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("a.usda", '#usda 1.0\ndef "a" (references=@./b.usda@</R>) {}\n')
        archive.writestr("b.usda", '#usda 1.0\ndef Xform "R" {\n' + MESH + "}\n")
    assert len(read_meshes(package.getvalue(), "usdz", "a.usdz").parts) == 1


def test_references_that_double_are_counted_and_not_all_built():
    text = '#usda 1.0\ndef Xform "N0" {\n' + MESH + "}\n"
    for i in range(1, 12):
        text += f'def Xform "N{i}" {{\n' + "".join(
            f'def "{side}" (\nreferences=</N{i - 1}>\n) {{\n}}\n' for side in "ab"
        )
        text += "}\n"
    with pytest.raises(Refusal, match=r"1,000 meshes"):
        read_meshes(text.encode(), "usda", "a.usda")


@pytest.mark.parametrize(
    ("count", "words"), [(10**8, "numbers"), (-5, "broken"), (10**30, "numbers")]
)
def test_an_accessors_count_is_looked_at_before_it_is_filled(count, words):
    accessor = {"componentType": 5126, "type": "VEC3", "count": count}
    data = glb(accessors=[accessor], meshes=[{"primitives": [{"attributes": {"POSITION": 0}}]}],
               nodes=[{"mesh": 0}], scenes=[{"nodes": [0]}])  # fmt: skip
    with pytest.raises(Refusal, match=words):
        read_meshes(data, "glb", "a.glb")


@pytest.mark.parametrize("nodes", [[{"children": [0]}], [{"children": [1]}, {"children": [0]}],
                                   [{"children": [7]}], [{"matrix": [1]}],
                                   [{"translation": [1e400, 0, 0]}]])  # fmt: skip
def test_nodes_that_are_no_trees_are_told(nodes):
    with pytest.raises(Refusal, match="broken"):
        read_cameras(glb(nodes=nodes))


def test_indices_out_of_range_are_told():
    with pytest.raises(Refusal, match="not there"):
        read_meshes(MESH_OUT.encode(), "usda", "a.usda")


MESH_OUT = "#usda 1.0\n" + MESH.replace("[0,1,2]", "[0,1,9]")


def test_layers_that_share_one_picture_take_from_the_budget_each():
    layer = Layer("a", np.full((500, 500, 4), 9, np.uint8))
    with zipfile.ZipFile(io.BytesIO(written(500, 500, [layer]))) as made:
        files = {n: made.read(n) for n in made.namelist()}
    stack = files["stack.xml"].decode()
    one = stack[stack.index("<layer") : stack.index("/>") + 2]
    files["stack.xml"] = stack.replace(one, one * 40).encode()
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    data = out.getvalue()
    assert len(data) < 40_000
    with pytest.raises(Refusal, match="once it is decoded"):
        read_plates(data, 10**6, 20_000_000, ())
    assert len(read_plates(data, 10**6, 60_000_000, ()).layers) == 40
    assert read_flat(data, 10**6, 60_000_000, ()).bytes >= 40 * 1_000_000


def test_a_budget_is_taken_by_what_headers_say():
    budget = Budget(300_000)
    picture = png(np.zeros((200, 200, 3), np.uint8))
    read_still(picture, budget=budget)
    assert budget.left_bytes == 180_000
    read_deep(picture, budget)
    with pytest.raises(Refusal, match="beside what came with it"):
        read_deep(picture, budget)
    with pytest.raises(Refusal, match="too long"):
        Budget(seconds=-1).take(1)


def test_a_tiff_of_a_thousand_numbers_a_pixel_is_not_decoded():
    out = io.BytesIO()
    tifffile.imwrite(out, np.zeros((64, 64, 1000), np.uint8), photometric="minisblack",
                     planarconfig="contig")  # fmt: skip
    with pytest.raises(Refusal, match="numbers a pixel"):
        read_still(out.getvalue())


def test_of_an_archive_only_what_its_scene_names_is_read(demo_scene, still_file):
    plain = demo_scene.model_copy(update={"lanterns": demo_scene.lanterns[:1], "glazed": ()})
    data = io.BytesIO(packed(plain, Memory({plain.plate.digest: still_file.read_bytes()})))
    with zipfile.ZipFile(data, "a", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("plates/" + "0" * 64, bytes(50_000_000))
    still = still_file.stat().st_size
    pixels = 3 * plain.plate.width * plain.plate.height
    found = unpacked(data.getvalue(), budget=Budget(still + pixels))
    assert list(found.pictures.names) == [plain.plate.digest]
    with pytest.raises(Refusal, match="once it is decoded"):
        unpacked(data.getvalue(), budget=Budget(still + pixels - 1))


def test_names_from_outside_are_names():
    assert name_of("\x01\x02", "camera") == "camera"
    assert name_of("a\nb" * 3000, "camera") == ("ab" * 40)
    assert name_of(None, "camera") == "camera"
    chance = random.Random(1)
    for _ in range(2000):
        text = "".join(chr(chance.randrange(0x3000)) for _ in range(chance.randrange(90)))
        assert 1 <= len(name_of(text, "x")) <= 80
