"""Frame times against OpenCV's own bicubic remap of the same size, on the same threads."""

from __future__ import annotations

import io
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from itertools import count as counting
from pathlib import Path

import cv2
import numpy as np

from jade_lantern.core.arrays import Bytes
from jade_lantern.core.camera import Camera, focal_px_from_35mm, rotation_of
from jade_lantern.core.deliver.movie import Movie
from jade_lantern.core.dress.grade import graded
from jade_lantern.core.mesh import Mesh, mesh_of, outward
from jade_lantern.core.move.diagnosis import BUFFER_WIDTH
from jade_lantern.core.move.strip import STRIP_WIDTH
from jade_lantern.core.picture.footage import read_movie
from jade_lantern.core.picture.source import source_of
from jade_lantern.core.render.diagnose import thrown
from jade_lantern.core.render.film import Plane, film
from jade_lantern.core.render.frame import render, rendered
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.lights import Darkening, Dress, Haze, Light
from jade_lantern.core.render.pyramid import Pyramid, pyramid
from jade_lantern.core.scene.dressing import Look
from jade_lantern.core.threads import thread_count

from .row import Row, added, side_by_side

PLATE = (3456, 2304)
FRAME = (1920, 1080)
TIMES = 25
MOVE = 120


def rows() -> Iterator[Row]:
    rng = np.random.default_rng(0)
    small = rng.integers(0, 255, (PLATE[1] // 8, PLATE[0] // 8, 3)).astype(np.uint8)
    plate = cv2.resize(small, PLATE, interpolation=cv2.INTER_CUBIC)
    ready = pyramid(plate)
    camera = Camera.centred(
        *PLATE, focal_px_from_35mm(30, *PLATE), rotation_of(-3, 1, 5), np.array([0, 1.6, 0.0])
    )
    shot = Camera.centred(
        *FRAME, focal_px_from_35mm(30, *FRAME), camera.rotation, np.array([0.2, 1.5, -0.6])
    )
    threads = thread_count()
    cv2.setNumThreads(threads)
    y, x = np.mgrid[0 : FRAME[1], 0 : FRAME[0]].astype(np.float32)
    across, down = (
        (1.75 * x + 0.02 * y).astype(np.float32),
        (1.75 * y + 0.02 * x).astype(np.float32),
    )
    room = [_box(0, -6, 8, 3, 16)]
    room += [_box(rng.uniform(-3, 3), rng.uniform(-12, -3), 0.6, 0.8, 0.6) for _ in range(12)]
    ratio = side_by_side(
        lambda: render(room, shot, camera, ready),
        lambda: cv2.remap(plate, across, down, cv2.INTER_CUBIC),
        TIMES,
    )
    against = f"cv2.remap bicubic, {threads} threads"
    yield Row("1920x1080 frame, room and 12 boxes, 8 MP plate", against, ratio, 1.1)
    one = _cast(room, camera, [ready])
    eight = _cast(room, camera, [pyramid(np.roll(plate, 97 * k, axis=1)) for k in range(8)])
    ratio = side_by_side(lambda: rendered(eight, shot), lambda: rendered(one, shot), TIMES)
    yield Row("the same frame with 8 lanterns", "1", ratio, 2.0)
    soft = np.dstack([plate, np.full(plate.shape[:2], 255, np.uint8)])
    soft[::7, ::5, 3] = 90
    wall = [_card(camera, 9)]  # nothing is behind it, so that lookups are what is compared
    light, plain = (
        _cast(wall, camera, [pyramid(soft / np.float32(255))]),
        _cast(wall, camera, [ready]),
    )
    ratio = side_by_side(lambda: rendered(light, shot), lambda: rendered(plain, shot), TIMES)
    yield Row("1920x1080 frame of a wall in float with alpha", "in 8 bit", ratio, 2.5)
    planes: tuple[Plane, ...] = ("depth", "id", "position")
    ratio = side_by_side(lambda: film(one, shot, planes), lambda: rendered(one, shot), TIMES)
    yield Row("the same frame with depth, id and position", "without", ratio, 1.3)
    yield from _dressed(one, shot)
    yield _through(camera, shot, plate)
    yield _moving(camera, shot, ready)
    yield _diagnosed(room, camera, shot, ready)
    yield _playing(camera, shot)
    yield from _with_guests(one, shot)
    few = _cast([_sheet(7)], camera, [ready])
    for side, most in ((71, 1.5), (224, 3.0)):
        many = _cast([_sheet(side)], camera, [ready])
        ratio = side_by_side(lambda: rendered(many, shot), lambda: rendered(few, shot), TIMES)  # noqa: B023
        what = f"the same frame, {len(many.triangles.corners):,} triangles"
        yield Row(what, f"{len(few.triangles.corners)} triangles", ratio, most)


def _with_guests(cast: Cast, shot: Camera) -> Iterator[Row]:
    """What a model and a card with a clip add to a frame. The clip's next picture is decoded
    meanwhile, and what that takes is taken off."""
    side = 317  # quads a side: 200,978 triangles on a ball
    v, u = np.mgrid[0 : side + 1, 0 : side + 1] / side
    ball = np.stack([np.sin(np.pi * v) * np.cos(2 * np.pi * u), np.cos(np.pi * v),
                     np.sin(np.pi * v) * np.sin(2 * np.pi * u)], axis=-1)  # fmt: skip
    first = (np.mgrid[0:side, 0:side][0] * (side + 1) + np.mgrid[0:side, 0:side][1]).ravel()
    quads = np.stack([first, first + 1, first + side + 2, first + side + 1], axis=1)
    triangles = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]).astype(np.int32)
    faces = np.arange(len(triangles), dtype=np.int32)
    mesh = Mesh(ball.reshape(-1, 3) * 1.2 + [0, 1.5, -7], triangles, faces)
    places = np.stack([u, v], axis=-1).reshape(-1, 2)[triangles] * [1024, 512]
    skin = np.random.default_rng(5).integers(0, 255, (512, 1024, 3)).astype(np.uint8)
    own = Thrower.laid_on(pyramid(skin))
    count = len(cast.throwers)
    guest = Target(mesh, (count,), len(cast.targets), laid=places, outward=outward(mesh))
    model = Cast([*cast.targets, guest], [*cast.throwers, own])
    ratio = side_by_side(lambda: rendered(model, shot), lambda: rendered(cast, shot), TIMES)
    yield Row(f"the same frame with a model of {len(triangles):,} triangles", "without", ratio, 2.0)
    clip = np.zeros((1080, 1920, 4), np.uint8)
    cv2.circle(clip, (960, 540), 500, (250, 180, 60, 255), -1)
    clip = cv2.GaussianBlur(clip, (0, 0), 40)
    card = np.array([[-1.6, 0.2, -5], [1.6, 0.2, -5], [1.6, 2, -5], [-1.6, 2, -5.0]])
    two = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    flat = np.array([[0, 1080], [1920, 1080], [1920, 0], [0, 0]], float)[two]
    soft = Target(Mesh(card, two, np.zeros(2, np.int32)), (count,), len(cast.targets), laid=flat)
    lanterns = [
        replace(one, plate=pyramid(np.full((64, 64, 3), 90, np.uint8), "sixteen"))
        for one in cast.throwers
    ]
    bare = Cast(cast.targets, lanterns)
    with_card = Cast([*cast.targets, soft], [*lanterns, Thrower.laid_on(pyramid(clip))])
    ratio = side_by_side(lambda: rendered(with_card, shot), lambda: rendered(bare, shot), TIMES)
    yield Row("the same frame with a 1080p clip with alpha on a card", "without", ratio, 1.5)


def _dressed(cast: Cast, shot: Camera) -> Iterator[Row]:
    """What light, haze and a look add to a frame."""
    sun = Dress((Light("sun", (0.6, 0.6, 0.6), (0.5, 1.0, 0.7), 0.27),))
    lamp = Dress((Light("lamp", (2.0, 2.0, 2.0), (1.0, 2.0, -5.0), 0.05),))
    haze, look = Dress(haze=Haze((0.7, 0.7, 0.8), 0.03)), Look(contrast=1.2, saturation=0.9)

    def plain() -> None:
        rendered(cast, shot)

    for what, dress, reach in (("a sun's shadows", sun, 1.5), ("a lamp's shadows", lamp, 1.5)):
        ratio = side_by_side(lambda: film(cast, shot, dress=dress), plain, TIMES)  # noqa: B023
        yield Row(f"the same frame with {what}", "without", ratio, reach)
    ratio = side_by_side(lambda: graded(film(cast, shot, dress=haze).beauty, look), plain, TIMES)
    yield Row("the same frame with haze and a look", "without", ratio, 1.15)
    casts = frozenset(target.proxy for target in cast.targets)
    dark = Dress(darkening=Darkening(0.6, 0.5, casts=casts))
    ratio = side_by_side(lambda: film(cast, shot, dress=dark), plain, TIMES)
    yield Row("the same frame darkened where surfaces meet", "without", ratio, 3.0)


def _playing(camera: Camera, shot: Camera) -> Row:
    """What a plate that plays adds to frames of a shot, its next picture made ready meanwhile;
    against decoding the movie, to the numbers that it is thrown in."""
    size, count = (1920, 1080), 48
    rng = np.random.default_rng(1)
    small = rng.integers(0, 255, (size[1] // 8, size[0] // 8 + count, 4)).astype(np.uint8)
    small[..., 3] = 255
    wide = cv2.resize(small, None, fx=8, fy=8, interpolation=cv2.INTER_CUBIC)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "plays.mp4"
        with Movie(path, *size, 24.0) as movie:
            for k in range(count):
                movie.add(np.ascontiguousarray(wide[:, 8 * k : 8 * k + size[0]]))
        data = path.read_bytes()
    lens = camera.resized(*size)
    wall = [Target(_card(camera, 9))]

    def ready(number: int) -> Thrower:
        return Thrower(lens, pyramid(source.at(number)))

    source = source_of(io.BytesIO(data))
    cast = Cast(wall, [ready(0)])

    def plays() -> None:
        with ThreadPoolExecutor(1) as beside:
            coming = beside.submit(ready, 0)
            for k in range(count):
                thrown = coming.result()
                coming = beside.submit(ready, (k + 1) % count)
                rendered(cast.thrown_by([thrown]), shot)

    def stands() -> None:
        for _ in range(count):
            rendered(cast, shot)

    def decoded() -> None:
        for _ in read_movie(data):
            pass

    more = added(plays, stands, decoded, 7)
    return Row(f"what {count} frames cost more whose 1080p plate plays", "decoding it", more, 1.5)


def _cast(room: list[Mesh], camera: Camera, plates: list[Pyramid]) -> Cast:
    """Each mesh takes one of the lanterns, in turn."""
    count = len(plates)
    takes = [Target(m, (i % count,), i) for i, m in enumerate(room)]
    return Cast(takes, [Thrower(camera, plate) for plate in plates])


def _through(camera: Camera, shot: Camera, plate: Bytes) -> Row:
    """Four cards with leaves on an eighth of each, one behind the other, before a wall; against the
    wall alone. Both in the kind that keeps an alpha."""
    rng = np.random.default_rng(3)
    lanterns = [Thrower(camera, pyramid(plate, "sixteen"))]
    targets = [Target(_card(camera, 9), (0,))]
    for k in range(4):
        leaves = np.zeros(plate.shape[:2], np.uint8)
        for _ in range(40):
            at, size = rng.uniform([0, 0], PLATE), rng.uniform([60, 20], [220, 90])
            turn = float(rng.uniform(0, 180))
            cv2.ellipse(leaves, at.astype(int).tolist(), size.astype(int).tolist(), turn, 0, 360,
                        255, -1)  # fmt: skip
        soft = cv2.GaussianBlur(leaves, (0, 0), 3)
        lanterns.append(Thrower(camera, pyramid(np.dstack([plate, soft]), "sixteen")))
        targets.append(Target(_card(camera, 4 + k), (k + 1,)))
    through, wall = Cast(targets, lanterns), Cast(targets[:1], lanterns[:1])
    ratio = side_by_side(lambda: rendered(through, shot), lambda: rendered(wall, shot), TIMES)
    return Row("1920x1080 frame through 4 clear cards", "what is behind them alone", ratio, 2.5)


def _moving(camera: Camera, shot: Camera, plate: Pyramid) -> Row:
    """Frames of a shot in which one of 50 proxies slides, each set up as in a delivery, against
    those of one in which none does."""
    rng = np.random.default_rng(5)
    room = [_box(0, -6, 8, 3, 16)]
    room += [_box(rng.uniform(-3, 3), rng.uniform(-12, -3), 0.4, 0.7, 0.4) for _ in range(49)]
    still = [Target(mesh, (0,), i) for i, mesh in enumerate(room)]
    lanterns = [Thrower(camera, plate)]
    before = Cast(still, lanterns)
    step = counting()

    def slid() -> None:
        place = np.array([0.001 * next(step), 0.0, 0.0])
        mine = Target(room[1].moved(np.eye(3), place), (0,), 1)
        rendered(Cast([still[0], mine, *still[2:]], lanterns), shot)

    ratio = side_by_side(slid, lambda: rendered(before, shot), TIMES)
    return Row("a frame in which one proxy of 50 moves", "in which none does", ratio, 1.3)


def _card(camera: Camera, distance: float) -> Mesh:
    """A card before a camera that fills its view."""
    corners = np.array([[-20, -20], [20, -20], [20, 20], [-20, 20]])
    own = np.column_stack([corners, np.full(4, -distance)])
    return mesh_of(camera.position + own @ camera.rotation, [(0, 1, 2, 3)])


def _diagnosed(room: list[Mesh], camera: Camera, shot: Camera, plate: Pyramid) -> Row:
    """Where the trick would show over a whole move, as it is told under time, against rendering
    the move's frames."""
    steps = [replace(shot, position=shot.position + [0, 0, -0.02 * k]) for k in range(MOVE)]
    small = [c.resized(STRIP_WIDTH, round(STRIP_WIDTH * c.height / c.width)) for c in steps]
    cast = _cast(room, camera, [plate])

    def told() -> None:
        over = thrown(room, camera, BUFFER_WIDTH)
        for c in small:
            over.from_(c).shares()

    ratio = side_by_side(told, lambda: [rendered(cast, c) for c in steps], 3)
    return Row(f"whole-move diagnosis, {MOVE} frames", "rendering them", ratio, 0.5)


def _box(x: float, z: float, wide: float, high: float, deep: float) -> Mesh:
    points = [
        [x + a * wide / 2, b * high, z + c * deep / 2]
        for b in (0, 1) for c in (-1, 1) for a in (-1, 1)
    ]  # fmt: skip
    sides = [(0, 1, 3, 2), (4, 5, 7, 6), (0, 1, 5, 4), (2, 3, 7, 6), (0, 2, 6, 4), (1, 3, 7, 5)]
    return mesh_of(points, sides)


def _sheet(side: int) -> Mesh:
    """A gently waved sheet that fills the view, of side x side quads."""
    n = side + 1
    a, b = np.meshgrid(np.linspace(-9, 9, n), np.linspace(-7, 9, n))
    points = np.stack([a, b, -8 - 0.4 * np.sin(a + b)], axis=-1).reshape(-1, 3)
    quads = [
        (i * n + j, i * n + j + 1, (i + 1) * n + j + 1, (i + 1) * n + j)
        for i in range(side) for j in range(side)
    ]  # fmt: skip
    return mesh_of(points, quads)
