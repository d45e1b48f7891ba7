"""What a frame owes to area and to order: thin things, the plate's own edge, coplanar sheets."""

from dataclasses import replace

import cv2
import numpy as np

from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.mesh import mesh_of
from jade_lantern.core.proxy import Box, Card, Floor
from jade_lantern.core.render.frame import render, rendered
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.pyramid import pyramid

WIDTH, HEIGHT = 96, 64


def camera(width=WIDTH, height=HEIGHT, x=0.0) -> Camera:
    focal = 100.0 * width / WIDTH
    return Camera.centred(width, height, focal, np.eye(3), np.array([x, 0.0, 0.0]))


def sheet(x0, x1, y0, y1, z):
    return mesh_of([[x0, y0, z], [x1, y0, z], [x1, y1, z], [x0, y1, z]], [(0, 1, 2, 3)])


def plate_of(left, right):
    """A plate whose left half has one grey and whose right half another."""
    picture = np.full((512, 768, 3), left, np.uint8)
    picture[:, 384:] = right
    return pyramid(picture)


def coarse(frame, size):
    """A finer frame brought down by area, premultiplied."""
    rgb = frame[..., :3] * (frame[..., 3:] / 255.0)
    return cv2.resize(rgb, size, interpolation=cv2.INTER_AREA)


def test_a_rail_thinner_than_a_pixel_neither_vanishes_nor_flickers():
    lantern = Camera.centred(768, 512, 800.0, np.eye(3), np.array([-0.9, 0.0, 0.0]))
    rails = [sheet(-1.3 + 0.37 * i, -1.288 + 0.37 * i, -2, 2, -4.0) for i in range(6)]
    oblique = mesh_of(
        [[-2, -1, -3.0], [-1.99, -1, -3.0], [2, 1, -3.0], [1.99, 1, -3.0]], [(0, 1, 2, 3)]
    )
    far = sheet(-9, 9, -6, 6, -9.0)
    plate = plate_of(30, 220)
    worst, sums = [], []
    for step in range(12):
        x = 0.013 * step
        frame = render([far, *rails, oblique], camera(x=x), lantern, plate)
        fine = render([far, *rails, oblique], camera(WIDTH * 8, HEIGHT * 8, x), lantern, plate)
        off = coarse(frame, (WIDTH, HEIGHT)) - coarse(fine, (WIDTH, HEIGHT))
        worst.append(np.sqrt((off**2).mean()))
        alone = render(rails, camera(x=x), lantern, plate)[..., 3].astype(float) / 255
        sums.append(alone.sum() / HEIGHT)
    assert np.mean(worst) < 2.0
    # six rails of 0.3 px each, wherever they stand between the pixels, to a sample of sixteen
    assert np.abs(np.array(sums) / (6 * 0.3) - 1).max() < 0.18
    assert np.ptp(sums) < 0.22 * np.mean(sums)


def test_the_plates_own_edge_is_cut_by_area():
    plate = pyramid(np.full((300, 400, 3), 200, np.uint8))
    lantern = Camera.centred(400, 300, 800.0, np.eye(3), np.zeros(3))
    shot = Camera.centred(400, 300, 600.0, np.eye(3), np.zeros(3))
    turned = replace(shot, rotation=np.array(
        [[np.cos(0.05), np.sin(0.05), 0], [-np.sin(0.05), np.cos(0.05), 0], [0, 0, 1.0]]
    ))  # fmt: skip
    wall = sheet(-9, 9, -9, 9, -10.0)
    frame = render([wall], turned, lantern, plate)
    alpha = frame[..., 3] / 255.0
    assert ((alpha > 0.02) & (alpha < 0.98)).sum() > 300
    # the plate covers as much as it is wide and high at the shot's focal length
    assert abs(alpha.sum() / (300 * 225) - 1) < 0.002
    assert (frame[..., :3][alpha > 0.02] > 195).all()  # and no dark fringe
    at_lens = render([wall], lantern, lantern, plate)
    assert (at_lens[..., 3] == 255).all()


def test_of_two_in_one_plane_the_later_one_is_seen():
    far = Camera.centred(768, 512, 800.0, np.eye(3), np.zeros(3))
    # the plate is dark left and light right; one sheet reads it from each half
    ground = sheet(-1.0, 1.0, -0.6, 0.6, -3.0)
    plate = plate_of(30, 220)
    for turn in np.linspace(0.0, 0.5, 6):
        c, s = np.cos(turn), np.sin(turn)
        about = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
        rug = sheet(-0.5, 0.5, -0.3, 0.3, -3.0)
        floor, mat = (m.moved(about, np.array([0, 0, 0.3])) for m in (ground, rug))
        over = render([floor, mat], camera(), far, plate)
        alone = render([floor], camera(), far, plate)
        # both read the same plate by the same plane, so whichever wins the picture is the same
        assert np.array_equal(over, alone)


def test_coplanar_sheets_are_owned_by_the_later_one():
    from jade_lantern.core.mesh import joined
    from jade_lantern.core.render.see import see

    rng = np.random.default_rng(4)
    for _ in range(12):
        turn, _ = np.linalg.qr(rng.normal(size=(3, 3)))
        place = np.array([0.1, -0.2, -4.0])
        big, small = sheet(-1, 1, -1, 1, 0.0), sheet(-0.4, 0.4, -0.4, 0.4, 0.0)
        pair = [m.moved(turn, place) for m in (big, small)]
        owner = see(joined(pair), camera(), 0.01).owner
        alone = see(joined(pair[1:]), camera(), 0.01).owner
        assert (owner[alone == 0] == 1).all()
        owner = see(joined(pair[::-1]), camera(), 0.01).owner
        assert (owner[alone == 0] == 1).all()


def test_a_slow_pan_past_rails_and_boards_does_not_flicker():
    """48 frames past rails thinner than a pixel, and boards that run to the horizon: each pixel
    changes as it does in frames of sixteen times as many samples."""
    lens = Camera.centred(960, 640, 800.0, rotation_of(-6, 0, 0), np.array([0, 1.6, 0.0]))
    ground = Floor(id="floor-0", name="f", width_m=40, depth_m=60, z=-28)
    wall = Card(id="card-0", name="w", x=-3.2, z=-10, width_m=16, height_m=4, turn_deg=80)
    far = Card(id="card-1", name="s", z=-40, width_m=120, height_m=40, level_m=-5)
    thin = {"width_m": 0.012, "depth_m": 0.012, "height_m": 1.1}
    rails = [Box(id="box-0", name="r", x=0.4 * i - 2, z=-6, **thin) for i in range(12)]
    rails.append(Box(id="box-0", name="r", z=-6, level_m=1.05,
                     **{**thin, "width_m": 5, "height_m": 0.015}))  # fmt: skip
    boards = pyramid(_boards(lens))
    dark = pyramid(np.full((640, 960, 3), 25, np.uint8))
    stands = [Target(p.mesh(lens), (0,), i) for i, p in enumerate((ground, wall, far))]
    stands += [Target(p.mesh(lens), (1,), 3 + i) for i, p in enumerate(rails)]
    cast = Cast(stands, [Thrower(lens, plate, edge="hold") for plate in (boards, dark)])

    def frame(k, times):
        w, h = 192 * times, 128 * times
        turn = rotation_of(-6, 0, -4 + 0.12 * k)
        shot = Camera.centred(w, h, 0.83 * w, turn, np.array([0.3 + 0.01 * k, 1.6, -0.4]))
        return rendered(cast, shot)[..., :3].astype(float)

    off, fine = [], []
    for k in range(48):
        true = frame(k, 4).reshape(128, 4, 192, 4, 3).mean(axis=(1, 3))
        off.append(frame(k, 1) - true)
        fine.append(true)
    changes = np.diff(off, axis=0)
    assert np.sqrt((np.diff(fine, axis=0) ** 2).mean()) > 4  # it does move
    assert np.sqrt((changes**2).mean()) < 2
    each = np.sqrt((changes**2).mean(axis=(0, 3)))
    assert np.quantile(each, 0.95) < 2


def _boards(lens: Camera):
    """A plate of boards on the ground, that fade where they are finer than it, and a sky."""
    y, x = np.mgrid[: lens.height, : lens.width] + 0.5
    rays = lens.rays(np.stack([x, y], axis=-1))
    far = 1.6 / np.maximum(-rays[..., 1], 1e-3)
    along, away = far * rays[..., 0], far * rays[..., 2]
    seen = np.clip(6 / far, 0, 1)
    ground = 110 + seen * (45 * np.sin(2 * np.pi * along / 0.8) + 8 * np.sin(4 * away))
    sky = 150 + 60 * np.sin(x / 30) * np.sin(y / 26)
    grey = np.where(rays[..., 1] < -0.02, ground, sky)
    return np.repeat(grey[..., None], 3, axis=2).astype(np.uint8)
