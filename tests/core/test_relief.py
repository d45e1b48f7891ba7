"""Relief against the normals of known heights, from the lens and from elsewhere."""

import io

import numpy as np
import pytest
from PIL import Image

from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.deliver.frames import films
from jade_lantern.core.dress.relief import (
    HIGH,
    heights_slopes,
    normals_slopes,
    relief_picture,
    with_relief,
)
from jade_lantern.core.mesh import mesh_of
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.film import film
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.lights import Dress, Light
from jade_lantern.core.render.pyramid import pyramid
from jade_lantern.core.render.relief import Slopes
from jade_lantern.core.scene.dressing import Relief, Sun
from jade_lantern.core.scene.edits import AddLight, SetLock, SetRelief, apply
from jade_lantern.core.scene.pictures import pictures_in
from tests.core.test_light import unit

LENS = Camera.centred(480, 320, 400.0, np.eye(3), np.array([0, 1.5, 2.0]))
ASIDE = Camera.centred(480, 320, 400.0, rotation_of(-6, 0, -25), np.array([1.5, 1.9, 1.0]))
FAR = 4.0  # metres, from the lens to the wall
WALL = mesh_of([[-3, -1, -2], [3, -1, -2], [3, 4, -2], [-3, 4, -2.0]], [(0, 1, 2, 3)])
LONG = 60.0  # px, of a wave
WAY = (0.5, 0.4, 0.8)


def waves(high=4.0):
    """(h, w) heights of waves over the plate, px; and their slopes (h, w, 2)."""
    y, x = np.mgrid[0:320, 0:480] + 0.5
    a, b = 2 * np.pi * x / LONG, 2 * np.pi * y / LONG
    along = 2 * np.pi * high / LONG
    slopes = np.stack([along * np.cos(a) * np.cos(b), -along * np.sin(a) * np.sin(b)], axis=2)
    return high * np.sin(a) * np.cos(b), slopes


def thrown(slopes, depth=1.0, mesh=WALL):
    relief = None if slopes is None else (Slopes.of(slopes.astype(np.float32)), depth)
    white = pyramid(np.ones((320, 480, 3), np.float32))
    return Cast([Target(mesh)], [Thrower(LENS, white, "hold", relief=relief)])


def light_of(cast, shot, kind="sun"):
    light = Light(kind, (1.0, 1.0, 1.0), WAY, does="replaces", casters=frozenset())
    return film(cast, shot, ("light", "position", "id"), dress=Dress((light,)))


@pytest.mark.parametrize("shot", [LENS, ASIDE, LENS.resized(240, 160)],
                         ids=["lens", "elsewhere", "half"])  # fmt: skip
def test_waves_on_a_wall_are_lit_by_their_own_normals(shot):
    """The wall is square to the lens, so a pixel is FAR / f metres on it both ways."""
    made = light_of(thrown(waves()[1]), shot)
    on = made.id == 0
    pixel, _ = LENS.project(made.position[on].astype(float))
    inside = ((pixel > 20) & (pixel < [460, 300])).all(axis=1)
    along, a, b = 2 * np.pi * 4.0 / LONG, *(2 * np.pi * pixel.T / LONG)
    slope = np.stack([along * np.cos(a) * np.cos(b), -along * np.sin(a) * np.sin(b)], axis=1)
    normal = np.column_stack([-slope[:, 0], slope[:, 1], np.ones(len(slope))])
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    expected = (normal @ unit(WAY)).clip(0)
    assert expected.max() - expected.min() > 0.3
    off = np.abs(made.light[on][:, 0] - expected)[inside]
    assert np.quantile(off, 0.999) < 0.012
    frame = made.beauty[on][inside][:, 0]
    assert np.quantile(np.abs(frame - expected[inside] ** (1 / 2.2)), 0.99) < 0.02


def test_on_a_wall_that_is_turned_heights_stand_out_of_it():
    """On any plane, heights of a pixel's own size stand out of that plane: a picture that gets
    brighter evenly to the right turns the normal about the line that is level on the plane."""
    turn = np.radians(40)
    right = np.array([np.cos(turn), 0, -np.sin(turn)])
    wall = mesh_of([right * x + [0, y, -2.5] for x, y in ((-4, -1), (4, -1), (4, 4), (-4, 4))],
                   [(0, 1, 2, 3)])  # fmt: skip
    slopes = np.zeros((320, 480, 2))
    slopes[..., 0] = 0.5
    made = light_of(thrown(slopes, mesh=wall), LENS)
    row, column = 160, 300
    at = made.position[row, column].astype(float)
    step = 1e-4
    beside = LENS.project(at + step * right)[0]
    depth = LENS.position[2] - at[2]
    grows = 0.5 * (beside[0] - LENS.project(at)[0][0]) / step * depth / LENS.focal_px
    plane = np.array([np.sin(turn), 0, np.cos(turn)])
    expected = unit(plane - grows * right) @ unit(WAY)
    assert made.light[row, column, 0] == pytest.approx(expected, abs=2e-3)


def test_without_light_or_depth_nothing_changes_and_inside_out_mirrors():
    slopes = waves()[1]
    plain = film(thrown(None), ASIDE).beauty
    assert np.array_equal(film(thrown(slopes), ASIDE).beauty, plain)
    dark = Dress((Light("sun", (0.0, 0.0, 0.0), WAY),))
    assert np.array_equal(film(thrown(slopes), ASIDE, dress=dark).beauty, plain)
    flat, none = light_of(thrown(None), LENS), light_of(thrown(slopes, 0.0), LENS)
    assert none.light == pytest.approx(flat.light, abs=1e-6)
    out, into = light_of(thrown(-slopes), LENS), light_of(thrown(slopes, -1.0), LENS)
    assert np.array_equal(out.light, into.light)


def test_heights_and_normals_say_the_same_slopes():
    high = 1.2
    height, slopes = waves(high)
    side = HIGH * 480
    grey = np.repeat((0.5 + height / side)[..., None], 3, axis=2).astype(np.float32)
    assert heights_slopes(grey, 0.0)[2:-2, 2:-2] == pytest.approx(slopes[2:-2, 2:-2], abs=0.004)
    normal = np.dstack([-slopes[..., 0], slopes[..., 1], np.ones(slopes.shape[:2])])
    normal /= np.linalg.norm(normal, axis=2, keepdims=True)
    picture = ((normal + 1) / 2 * 65535 + 0.5).astype(np.uint16)
    assert normals_slopes(picture, 0.0) == pytest.approx(slopes, abs=1e-3)
    soft = heights_slopes(grey, 0.05)
    assert np.abs(soft).max() < 0.4 * np.abs(slopes).max()


def png_of(picture):
    out = io.BytesIO()
    Image.fromarray(picture).save(out, "PNG")
    return out.getvalue()


def test_a_lantern_with_relief_answers_to_light_and_only_then(demo_scene, still_file):
    from jade_lantern.core.picture import read_still

    scene = apply(demo_scene, SetLock(locked=False))
    picture = np.ascontiguousarray(read_still(still_file.read_bytes()).pixels[::5, ::5])
    asked = render_request(scene, 320, 0, 0)

    def frame(one, files=lambda digest: b""):
        return next(films(one, lambda plate: picture, asked, files=files)).beauty

    lantern = scene.lanterns[0].id
    bumpy = apply(scene, SetRelief(lantern=lantern, relief=Relief(depth=3.0)))
    assert np.array_equal(frame(bumpy), frame(scene))
    sun = AddLight(light=Sun(id="new-0", name="sun", turn_deg=-60, height_deg=30))
    lit, lit_bumpy = apply(scene, sun), apply(bumpy, sun)
    off = np.abs(frame(lit_bumpy).astype(int) - frame(lit)).max(axis=2)
    assert (off > 8).mean() > 0.02
    assert np.array_equal(frame(apply(lit_bumpy, SetRelief(lantern=lantern, relief=None))),
                          frame(lit))  # fmt: skip
    digest = "e" * 64
    brought = Relief(by="normals", picture=digest, picture_name="n.png")
    scene = apply(lit, SetRelief(lantern=lantern, relief=brought))
    assert digest in pictures_in(scene)
    blue = np.full((64, 64, 3), (128, 128, 255), np.uint8)
    flat = frame(scene, lambda d: png_of(blue))
    assert np.abs(flat.astype(int) - frame(lit)).mean() < 0.3
    with pytest.raises(Refusal, match="no picture of normals"):
        relief_picture(png_of(np.full((64, 64, 3), 60, np.uint8)), brought)
    gone = brought.model_copy(update={"picture": "f" * 64})
    scene = apply(scene, SetRelief(lantern=lantern, relief=gone))
    with pytest.raises(Refusal, match="not here"):
        with_relief(scene, [Thrower(LENS, pyramid(picture))] * 8, lambda p: picture,
                    lambda d: (_ for _ in ()).throw(Refusal("A file is not here.")))  # fmt: skip
