"""Plates in tiles: put together again they are the plate, and nothing is lost on the way."""

from __future__ import annotations

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from jade_lantern.core.picture import APRON, TILE, level_sizes, png, read_still, smaller
from jade_lantern.studio import levels, plates

WIDTH, HEIGHT = 1301, 700  # neither is a whole number of tiles, nor even
PICTURE = np.random.default_rng(4).integers(0, 256, (HEIGHT, WIDTH, 3)).astype(np.uint8)


@pytest.fixture
def large(api):
    """A project on a plate of several tiles: its address."""
    still = SimpleUploadedFile("a.png", png(PICTURE))
    number = api.client.post("/api/stills", {"still": still}).json()["id"]
    return f"projects/{number}/plate/{api.whole(number)['scene']['plate']['digest']}"


def put_together(api, address: str, level: int, width: int, height: int) -> np.ndarray:
    out = np.zeros((height, width, 3), np.uint8)
    for y in range(-(-height // TILE)):
        for x in range(-(-width // TILE)):
            tile = read_small(api.get(f"{address}/{level}/{x}/{y}").content)
            left, top = (APRON if x else 0), (APRON if y else 0)
            cut = tile[top : top + TILE, left : left + TILE]
            out[y * TILE : y * TILE + cut.shape[0], x * TILE : x * TILE + cut.shape[1]] = cut
    return out


def read_small(data: bytes) -> np.ndarray:
    import cv2

    return cv2.cvtColor(cv2.imdecode(np.frombuffer(data, np.uint8), 1), cv2.COLOR_BGR2RGB)


@pytest.mark.parametrize("written", [False, True])
def test_tiles_put_together_are_the_plate_before_and_after_they_are_on_disk(api, large, written):
    if written:
        levels.settle()
        plates.held.clear()
        assert isinstance(levels.there(plates.folder() / large.split("/")[-1])[0], np.memmap)
    said = api.get(f"{large}/levels").json()
    assert said == {"sizes": [[1301, 700], [651, 350], [326, 175]], "tile": TILE, "apron": APRON}
    assert np.array_equal(put_together(api, large, 0, WIDTH, HEIGHT), PICTURE)
    last = PICTURE
    for number, (w, h) in enumerate(level_sizes(WIDTH, HEIGHT)[1:]):
        level = put_together(api, large, number + 1, w, h)
        last = smaller(last, (w, h))
        assert np.array_equal(level, last)
        assert level.mean() == pytest.approx(PICTURE.mean(), abs=0.7)
    assert read_still(api.get(large).content).width == 640


def test_a_tile_has_its_neighbours_pixels_round_it(api, large):
    tile = read_small(api.get(f"{large}/0/1/0").content)
    assert tile.shape == (TILE + APRON, TILE + 2 * APRON, 3)
    assert np.array_equal(tile, PICTURE[: TILE + APRON, TILE - APRON : 2 * TILE + APRON])


@pytest.mark.parametrize("lost", [[0], [1, 2], [0, 1, 2]])
def test_levels_that_are_lost_or_cut_short_are_made_again(api, large, lost):
    levels.settle()
    plates.held.clear()
    plate = plates.folder() / large.split("/")[-1]
    for number in lost:
        file = levels._file(plate, number)
        file.write_bytes(file.read_bytes()[:200])
    assert np.array_equal(put_together(api, large, 0, WIDTH, HEIGHT), PICTURE)
    assert np.array_equal(put_together(api, large, 1, 651, 350), smaller(PICTURE, (651, 350)))


def test_what_is_no_tile_is_not_there(api, large):
    for wrong in ("0/3/0", "0/0/2", "3/0/0", "-1/0/0", "0/x/0", "99/0/0"):
        assert api.get(f"{large}/{wrong}").status_code in (404, 422), wrong
    other = large.replace(large.split("/")[-1], "0" * 64)
    for rest in ("", "/levels", "/0/0/0"):
        assert api.get(other + rest).status_code == 404
