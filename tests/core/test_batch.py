"""Changes applied from the command line, to archives; and the page that lists them all."""

import json
from pathlib import Path

import pytest
from docs.verbs import PAGE, page
from typer.testing import CliRunner

from jade_lantern.cli import app
from jade_lantern.core.deliver.archive import packed, unpacked
from jade_lantern.core.scene.edits import SetLock, apply
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.store import Memory


@pytest.fixture
def archive(tmp_path, demo_scene, still_file) -> Path:
    file = tmp_path / "quay.zip"
    bare = apply(demo_scene, SetLock(locked=False)).model_copy(update={"proxies": ()})
    file.write_bytes(packed(bare, Memory({bare.plate.digest: still_file.read_bytes()})))
    return file


def run(*arguments: object, stdin: str | None = None):
    done = CliRunner().invoke(app, ["edit", *map(str, arguments)], input=stdin)
    return done.exit_code, [json.loads(line) for line in done.stdout.splitlines()]


def scene_in(file: Path):
    return unpacked(file.read_bytes()).scene


def test_a_place_is_blocked_from_pixels_and_the_rest_refused_in_words(archive, tmp_path):
    before = scene_in(archive)
    camera = required_camera(before)

    def pixel(*place: float) -> list[float]:
        return [round(float(v), 4) for v in camera.project([place])[0][0]]

    feet = [pixel(-3.0, 0.0, -1.5), pixel(-2.0, 0.0, -1.5), pixel(-2.0, 0.0, -2.5)]
    changes = [
        {"verb": "LayGround"},
        {"verb": "Stand", "kind": "box", "feet": feet, "top": pixel(-2.0, 0.7, -1.5)},
        {"verb": "AlterProxy", "proxy": "box-{}", "to": {"name": "crate"}},
        {"verb": "TakeSpread"},
        {"verb": "Stand", "kind": "card", "feet": [[900, 3], [950, 3]]},
        {"verb": "LayGround"},
    ]
    changes[2]["proxy"] = f"box-{before.next_id + 1}"
    file, out = tmp_path / "changes.json", tmp_path / "out.zip"
    file.write_text(json.dumps(changes))
    code, lines = run(archive, file, "--out", out)
    assert code == 1
    assert [line.get("kept") for line in lines[:3]] == [
        "Stand floor 1", "Stand box 1 along Across", "Name box 1 “crate”",
    ]  # fmt: skip
    assert lines[1]["id"] == lines[2]["id"] == changes[2]["proxy"]
    assert lines[3]["id"].startswith("trace-")
    assert len(lines) == 5
    assert "above the horizon" in lines[4]["refused"]
    after = scene_in(out)
    box = after.proxies[1]
    assert (box.name, box.width_m, box.depth_m, box.height_m) == (
        "crate", pytest.approx(1, abs=1e-3), pytest.approx(1, abs=1e-3),
        pytest.approx(0.7, abs=1e-3),
    )  # fmt: skip
    assert len(after.proxies) == 2
    assert len(after.sighting.traces) > len(before.sighting.traces)
    assert scene_in(archive) == before


def test_dry_keeps_nothing_and_an_archive_is_changed_in_its_place(archive):
    held = archive.read_bytes()
    asked = json.dumps([{"verb": "RenameProject", "name": "Elsewhere"}])
    assert run(archive, "-", "--dry", stdin=asked) == (
        0, [{"kept": "Rename to Elsewhere", "id": None}],
    )  # fmt: skip
    assert archive.read_bytes() == held
    assert run(archive, "-", stdin=asked)[0] == 0
    assert scene_in(archive).name == "Elsewhere"


@pytest.mark.parametrize(
    ("asked", "word"),
    [("no json", "not JSON"), ("{}", "list"), ('[{"verb": "Fly"}]', "Change 1"),
     ('[{"verb": "LayGround"}, {"verb": "SetEyeHeight", "metres": -1}]', "Change 2")],
)  # fmt: skip
def test_what_is_no_list_of_changes_changes_nothing(archive, asked, word):
    held = archive.read_bytes()
    code, (line,) = run(archive, "-", stdin=asked)
    assert code == 1
    assert word in line["refused"]
    assert archive.read_bytes() == held


def test_the_page_of_verbs_is_the_programs_own():
    assert PAGE.read_text() == page(), "run python docs/verbs.py"
    assert page().count("\n### ") > 50
