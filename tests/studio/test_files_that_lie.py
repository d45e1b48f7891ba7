"""Files that state less than they are, or take for ever: refused in words, in a bounded time."""

import struct
import time
import zlib
from pathlib import Path

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from jade_lantern.core import dress
from jade_lantern.core.dress import glyphs
from jade_lantern.core.dress.table import MOST_SIDE
from jade_lantern.studio import projects
from tests.core.lying_files import font_cut_short, font_without_end, woff2_of
from tests.studio.test_guests import GROUND, WORDS, box, post

pytestmark = pytest.mark.usefixtures("db")
FONTS = Path(dress.__file__).parent / "fonts"


@pytest.fixture
def words(api, project):
    """A project with words in it, and their number and the revision."""
    told = api.keep(project.pk, 0, verb="StandGuest", guest=WORDS, at=[300, 1150]).json()
    return told["changed"]["guests"][0]["id"], told["revision"]


def given(api, project, words, data, name="own.ttf"):
    guest, base = words
    file = SimpleUploadedFile(name, data)
    return post(api, project, "font", file=file, base=base, guest=guest)


def test_a_font_whose_outline_has_no_end_is_refused_in_its_time(api, project, words, monkeypatch):
    monkeypatch.setattr(glyphs, "FONT_SECONDS", 2.0)
    data = font_without_end()
    assert len(data) < 2000
    begun = time.monotonic()
    status, told = given(api, project, words, data)
    assert status == 422
    assert "longer than 2 seconds" in told["message"]
    assert time.monotonic() - begun < 10


@pytest.mark.parametrize("table", ["head", "maxp", "hhea", "OS/2", "hmtx", "cmap", "glyf", "fvar"])
def test_a_font_that_is_cut_short_is_refused_in_words(api, project, words, table):
    data = font_cut_short((FONTS / "fraunces.ttf").read_bytes(), table)
    status, told = given(api, project, words, data)
    assert status in (200, 422)
    if status == 422:
        assert "font" in told["message"] or "letters" in told["message"]
    assert table in ("hmtx", "glyf", "OS/2") or status == 422


def test_a_woff2_is_read(api, project, words):
    data = woff2_of((FONTS / "hanken-grotesk.ttf").read_bytes())
    assert given(api, project, words, data, "own.woff2")[0] == 200


def test_a_model_has_as_many_triangles_as_its_file_and_not_as_a_change_says(api, project):
    file = SimpleUploadedFile("box.glb", box())
    status, told = post(api, project, "guest", files=file, base=0, at=GROUND)
    assert status == 200
    guest = told["changed"]["guests"][0]
    lying = {**guest["file"], "triangles": 1}
    other = {**guest, "id": "new-0", "name": "other"}
    base = told["revision"]
    answer = api.keep(project.pk, base, verb="AddGuest", guest={**other, "file": lying})
    assert answer.status_code == 422
    assert "12 triangles, not 1" in answer.json()["message"]
    assert api.keep(project.pk, base, verb="AddGuest", guest=other).status_code == 200


def test_a_table_of_rows_that_are_none_is_refused_before_all_is_read(api, project):
    rows = b"LUT_3D_SIZE 2\n" + b"-\n" * (MOST_SIDE**3 + 10)
    begun = time.monotonic()
    status, told = post(api, project, "table", file=SimpleUploadedFile("a.cube", rows), base=0)
    assert status == 422
    assert ".cube" in told["message"]
    assert time.monotonic() - begun < 15


@pytest.mark.parametrize("to", ["guest", "relief"])
def test_a_picture_is_refused_by_its_header_where_it_would_take_all_memory(api, project, to):
    """196 megapixels of four channels of 16 bit are 1.6 GB, however few bytes the file has."""
    chunk = struct.pack(">IIBBBBB", 14_000, 14_000, 16, 6, 0, 0, 0)
    body = b"IHDR" + chunk
    data = b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + body
    data += (
        struct.pack(">I", zlib.crc32(body)) + struct.pack(">I", 0) + b"IDAT" + b"\x35\xaf\x06\x1e"
    )
    file = SimpleUploadedFile("large.png", data)
    lantern = projects.at_head(project).scene.lanterns[0].id
    fields = {
        "guest": {"files": file, "at": GROUND},
        "relief": {"file": file, "lantern": lantern, "by": "heights"},
    }
    status, told = post(api, project, to, base=0, **fields[to])
    assert status == 422
    assert "1.6 GB once it is decoded" in told["message"]
