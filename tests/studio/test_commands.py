"""The command line on stored projects."""

import asyncio
import socket

import cv2
import numpy as np
import pytest
import tifffile
import trimesh
from typer.testing import CliRunner

from jade_lantern.cli import _listening, app
from jade_lantern.studio.models import Project
from tests.studio.test_damage import damaged_archives


def run(*words: str, code: int = 0) -> str:
    done = CliRunner().invoke(app, list(words))
    assert done.exit_code == code, done.output
    return done.output


@pytest.mark.usefixtures("db")
def test_a_project_goes_out_and_comes_back_in(project, tmp_path):
    archive = tmp_path / "quay.zip"
    run("export", str(project.pk), str(archive))
    number = int(run("import", str(archive), "--name", "Back again"))
    assert Project.objects.get(pk=number).name == "Back again"
    run("export", str(archive), str(tmp_path / "quay.glb"))
    assert (tmp_path / "quay.glb").read_bytes()[:4] == b"glTF"
    run("render", str(number), str(tmp_path / "frames"), "--width", "96", "--last", "2")
    frames = sorted((tmp_path / "frames").iterdir())
    assert [cv2.imread(str(f)).shape for f in frames] == [(64, 96, 3)] * 3
    run("render", str(archive), str(tmp_path / "a.mp4"), "--width", "96", "--last", "2")
    assert (tmp_path / "a.mp4").stat().st_size > 500


@pytest.mark.usefixtures("db")
def test_planes_are_written_beside_frames(project, tmp_path):
    words = ("--width", "96", "--first", "3", "--last", "3", "--plane", "depth")
    run("render", str(project.pk), str(tmp_path / "out"), *words, "--plane", "id")
    names = sorted(f.name for f in (tmp_path / "out").iterdir())
    assert names == ["frame-00003.depth.tif", "frame-00003.id.tif", "frame-00003.png"]
    depth = tifffile.imread(tmp_path / "out" / "frame-00003.depth.tif")
    id = tifffile.imread(tmp_path / "out" / "frame-00003.id.tif")
    assert (depth.shape, depth.dtype, id.dtype) == ((64, 96), np.float32, np.int32)
    assert (np.isfinite(depth) == (id >= 0)).all()
    assert 100 < depth[5, 5] < 120  # the backdrop
    assert "There is no plane dept" in run(
        "render", str(project.pk), str(tmp_path / "no"), "--plane", "dept", code=1
    )
    movie = ("render", str(project.pk), str(tmp_path / "a.mp4"), "--plane", "id")
    assert "A movie has no planes" in run(*movie, code=1)
    assert not (tmp_path / "a.mp4").exists()


@pytest.mark.usefixtures("db")
def test_a_guest_is_stood_and_rendered_in_layers(project, tmp_path):
    model = tmp_path / "box.glb"
    model.write_bytes(trimesh.creation.box((900, 900, 900)).export(file_type="glb"))
    told = run("stand", str(project.pk), str(model), "300", "1150")
    assert told.splitlines()[0] == "Stand box"
    assert "millimetres" in told
    assert "Nothing is there" in run(
        "stand", str(project.pk), str(model), "900", "--", "-900", code=1
    )
    words = ("--width", "96", "--first", "0", "--last", "0", "--layers")
    run("render", str(project.pk), str(tmp_path / "out"), *words)
    names = sorted(f.name for f in (tmp_path / "out").iterdir())
    assert names == [
        "frame-00000.darkening.tif", "frame-00000.guest box.tif", "frame-00000.haze.tif",
        "frame-00000.lantern still.tif",
        "frame-00000.light.tif", "frame-00000.png", "frame-00000.shadow.tif",
        "frame-00000.ungraded.tif",
    ]  # fmt: skip
    guest = tifffile.imread(tmp_path / "out" / "frame-00000.guest box.tif")
    assert guest[..., :3].max() > 0.3


@pytest.mark.usefixtures("db")
def test_a_still_is_imported(still_file):
    number = int(run("import", str(still_file)))
    assert Project.objects.get(pk=number).name == "lantern-quay"


@pytest.mark.usefixtures("db")
def test_errors_are_words_and_not_tracebacks(tmp_path):
    (tmp_path / "a.txt").write_text("no picture")
    for words in (
        ("import", str(tmp_path / "a.txt")),
        ("import", str(tmp_path / "none.png")),
        ("export", "77", str(tmp_path / "a.glb")),
        ("render", str(tmp_path / "a.txt"), str(tmp_path / "out")),
    ):
        said = run(*words, code=1)
        assert said.strip()
        assert "Traceback" not in said
    assert not (tmp_path / "out").exists()


@pytest.mark.usefixtures("db")
@pytest.mark.parametrize("kind", damaged_archives())
def test_a_damaged_archive_is_words_in_every_command(tmp_path, kind):
    here = tmp_path / "here"
    here.mkdir()
    archive = here / "a.zip"
    archive.write_bytes(damaged_archives()[kind])
    for words in (
        ("import", str(archive)),
        ("export", str(archive), str(here / "a.glb")),
        ("render", str(archive), str(here / "out")),
    ):
        said = run(*words, code=1).strip()
        assert said.endswith(".")
        assert "\n" not in said
    assert list(here.iterdir()) == [archive]


@pytest.mark.usefixtures("db")
def test_a_full_disk_is_said_by_commands_too(project, tmp_path, monkeypatch):
    def full(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("jade_lantern.core.deliver.archive.shutil.copyfileobj", full)
    assert "disk is full" in run("export", str(project.pk), str(tmp_path / "a.zip"), code=1)


def test_an_answer_is_sent_at_once_and_not_held_back_for_an_acknowledgement():
    """Nagle's algorithm is off on the connections that the server takes from its socket."""

    async def taken() -> int:
        off: asyncio.Future[int] = asyncio.get_running_loop().create_future()

        def connected(_: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            mine = writer.get_extra_info("socket")
            off.set_result(mine.getsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY))
            writer.close()

        listening = _listening("127.0.0.1", 0)
        async with await asyncio.start_server(connected, sock=listening):
            _, writer = await asyncio.open_connection(*listening.getsockname())
            found = await off
            writer.close()
            return found

    assert asyncio.run(taken()) != 0
