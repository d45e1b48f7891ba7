"""Pictures' files by digest, wherever they are kept."""

import io
import threading
import zipfile
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer

import pytest

from jade_lantern.core.deliver.archive import pack, unpacked
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.store import (
    Far,
    Folder,
    Members,
    Memory,
    Over,
    Temporary,
    digest_of,
    read,
)

ONE, OTHER = b"one picture" * 1000, b"another"


class Quiet(SimpleHTTPRequestHandler):
    def log_message(self, *said):
        self.server.asked.append(self.path)


@pytest.fixture
def far(tmp_path):
    there = Folder(tmp_path)
    there.keep(ONE)
    server = ThreadingHTTPServer(("127.0.0.1", 0), partial(Quiet, directory=str(tmp_path)))
    server.asked = []
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield server
    server.shutdown()
    server.server_close()


def stores(folder):
    memory, kept = Memory(), Folder(folder)
    memory.keep(ONE)
    kept.keep(ONE)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("a picture", ONE)
    members = Members(out.getvalue(), {digest_of(ONE): "a picture", digest_of(OTHER): "gone"})
    return memory, kept, members, Over(Temporary(), members)


def test_every_store_gives_back_what_it_keeps_and_says_what_it_has_not(tmp_path):
    for store in stores(tmp_path):
        assert store.there(digest_of(ONE))
        assert read(store, digest_of(ONE)) == ONE
        with store.open(digest_of(ONE)) as file:
            file.seek(4)
            assert file.read(7) == ONE[4:11]
        assert not store.there(digest_of(OTHER))
        with pytest.raises(Refusal):
            store.open(digest_of(OTHER))


def test_what_is_kept_over_an_archive_leaves_the_archive_as_it_was(tmp_path):
    *_, members, over = stores(tmp_path)
    assert over.keep(OTHER) == digest_of(OTHER)
    assert read(over, digest_of(OTHER)) == OTHER
    assert not members.there(digest_of(OTHER))
    with pytest.raises(Refusal, match="written anew"):
        members.keep(OTHER)


def test_only_a_digest_names_a_file_in_a_folder(tmp_path):
    (tmp_path.parent / "secret").write_bytes(b"x")
    for name in ("../secret", "secret", "", "A" * 64):
        with pytest.raises(Refusal, match="no plate's digest"):
            Folder(tmp_path).open(name)


def test_a_file_on_another_machine_is_fetched_once(far):
    store = Far(f"http://127.0.0.1:{far.server_port}", Memory())
    assert store.there(digest_of(ONE))
    assert [read(store, digest_of(ONE)) for _ in range(3)] == [ONE] * 3
    assert len(far.asked) == 1
    assert not store.there(digest_of(OTHER))
    with pytest.raises(Refusal, match="There is nothing at"):
        store.open(digest_of(OTHER))


def test_a_file_that_came_otherwise_than_it_was_sent_is_not_taken(far, tmp_path):
    (tmp_path / digest_of(OTHER)).write_bytes(b"something else")
    store = Far(f"http://127.0.0.1:{far.server_port}", Memory())
    with pytest.raises(Refusal, match="otherwise than it was sent"):
        store.open(digest_of(OTHER))


def test_a_machine_that_does_not_answer_is_said():
    store = Far("http://127.0.0.1:9", Memory())
    with pytest.raises(Refusal, match="cannot be reached"):
        store.there(digest_of(ONE))


def test_an_archive_is_written_from_one_store_and_read_as_another(demo_scene, still_file, tmp_path):
    data = still_file.read_bytes()
    store = Folder(tmp_path)
    store.keep(data)
    out = tmp_path / "out.zip"
    with out.open("wb") as file:
        pack(demo_scene, store, file)
    assert read(unpacked(out).pictures, demo_scene.plate.digest) == data
