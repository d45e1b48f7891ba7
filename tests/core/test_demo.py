"""The Lantern Quay holds what it promises: one paint, seen from anywhere."""

from dataclasses import replace

import numpy as np
import pytest

from jade_lantern.core.camera import Frame
from jade_lantern.core.cast.fill import removed
from jade_lantern.core.cast.take import painted_out
from jade_lantern.core.deliver.frames import frames
from jade_lantern.core.move.frames import RenderRequest
from jade_lantern.core.move.limits import Tolerance, amount_limit
from jade_lantern.core.scene.shot import shot_camera
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.demo.picture import SKY, paint_picture
from jade_lantern.demo.project import DATUM, EDGES, driven, seen
from jade_lantern.demo.project import painted as painted_quay
from jade_lantern.demo.split import shown_of, split_and_painted
from jade_lantern.demo.world import CRATES, lens, quay
from tests.truth import decibels, seen_by_both


@pytest.fixture(scope="module")
def views():
    """The same place from the lens and from a step to the side, small."""
    shapes, here = quay(), lens(480, 320)
    there = replace(here, position=here.position + [0.25, 0.05, -0.5])
    return shapes, here, there, paint_picture(shapes, here), paint_picture(shapes, there)


def test_the_still_is_large_and_its_camera_plausible():
    camera = lens()
    assert camera.width >= 1920
    assert camera.height >= 1280
    assert camera.position[1] == 1.6


def test_a_place_has_the_same_paint_from_everywhere(views):
    _, here, _, (picture, _, place), (moved, _, moved_place) = views
    both = seen_by_both(moved_place, here, place)
    pixel, _ = here.project(np.where(both[..., None], moved_place, 0.0))
    column = np.clip(pixel[..., 0].astype(int), 0, 479)
    row = np.clip(pixel[..., 1].astype(int), 0, 319)
    assert both.mean() > 0.4
    assert decibels(moved, picture[row, column], both) > 22  # nearest pixels, not resampled


def test_every_pixel_says_what_it_shows_and_where(views):
    shapes, here, _, (_, who, place), _ = views
    known = who != SKY
    assert 0.4 < known.mean() < 0.9
    back, depth = here.project(place[known])
    rows, columns = np.nonzero(known)
    assert np.allclose(back, np.stack([columns + 0.5, rows + 0.5], axis=1), atol=1e-6)
    assert (depth > 0).all()
    quay_floor = who == shapes.names.index("quay")
    assert np.allclose(place[quay_floor][:, 1], 0, atol=1e-9)


def test_a_crate_is_seen_where_it_stands(views):
    shapes, here, _, (_, who, _), _ = views
    x, z, wide, deep, high = CRATES[1]
    (column, row), _ = here.project(np.array([x, high / 2, z + deep / 2]))
    assert shapes.names[who[int(row), int(column)]] == "crate 2"
    assert wide < 1


def test_painting_twice_paints_the_same():
    small = lens(96, 64)
    assert np.array_equal(paint_picture(quay(), small)[0], paint_picture(quay(), small)[0])


def test_the_demos_traces_lie_inside_the_still():
    camera = lens()
    for _, a, b in EDGES:
        for x, y in (seen(camera, a), seen(camera, b)):
            assert 0 < x < camera.width
            assert 0 < y < camera.height


def test_the_demo_is_blocked_where_the_world_is(demo_scene):
    """Proxies picked in the picture stand within a few centimetres of what they stand for."""
    by_name = {p.name: p for p in demo_scene.proxies}
    for i, (x, z, wide, _, high) in enumerate(CRATES[:3]):
        crate = by_name[f"crate {i + 1}"]
        assert (crate.x + DATUM[0], crate.z + DATUM[2]) == pytest.approx((x, z), abs=0.12)
        assert (crate.width_m, crate.height_m) == pytest.approx((wide, high), abs=0.05)


def test_the_demo_move_stays_in_the_picture(demo_scene, plate):
    from jade_lantern.core.block.surfaces import meshes
    from jade_lantern.core.render.frame import render
    from jade_lantern.core.scene.shot import shot_camera

    sighted = required_camera(demo_scene)
    last = shot_camera(demo_scene, 95, sighted).resized(480, 320)
    frame = render(meshes(demo_scene, sighted), last, sighted, plate)
    assert (frame[..., 3] == 255).mean() > 0.995


def test_the_move_shows_nothing_that_was_painted_only_roughly(
    demo_scene, still_file, clean_plates, painted
):
    steps, _ = split_and_painted(demo_scene, still_file.read_bytes(), painted, painted_quay())
    scene = steps[-1][1]
    marks, black = {}, np.zeros((1280, 1920, 3), np.uint8)
    for lantern in scene.lanterns:
        if painted_out(scene, lantern):
            area = removed(scene, lantern, 1920, 1280).area
            fine = shown_of(scene, lantern, (1920, 1280))
            mark = marks[lantern.plate.digest] = black.copy()
            mark[area & fine], mark[area & ~fine] = (0, 255, 0), (255, 0, 0)
    assert len(marks) == len(clean_plates)
    last = scene.move.frames - 1
    for n in (0, last // 2, last):
        asked = RenderRequest(Frame(960, 640), first=n, last=n)
        (frame,) = frames(scene, lambda plate: marks.get(plate.digest, black), asked)
        assert (frame[..., 1] > 128).mean() > 0.02  # what was hidden does come to light
        assert frame[..., 0].max() < 64


def test_the_painted_quays_move_is_low_and_driven_to_where_it_just_stands_up(
    demo_scene, still_file, clean_plates, painted
):
    steps, _ = split_and_painted(demo_scene, still_file.read_bytes(), painted, painted_quay())
    scene = driven(steps[-1][1])[-1][1]
    limit = amount_limit(scene, Tolerance())
    assert 0.5 < scene.move.amount <= limit.most < scene.move.amount + 0.02
    sighted = required_camera(scene)
    last = shot_camera(scene, scene.move.frames - 1, sighted)
    assert last.position[1] < 0.7 * sighted.position[1]
    assert (scene.move.frame.width, scene.move.frame.height) == (1920, 1080)
