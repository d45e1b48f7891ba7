"""Panoramas as light, and surfaces that are lit as if they were round, against closed forms."""

import io
import zipfile
from hashlib import sha256

import cv2
import numpy as np
import pytest
from PIL import Image

from jade_lantern.core.deliver.archive import packed, unpacked
from jade_lantern.core.dress.ofscene import around_of, dress_of, panorama_in
from jade_lantern.core.proxy import Similarity
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.around import irradiance, looked_up, normals_of_map
from jade_lantern.core.render.dressing import GAMMA
from jade_lantern.core.render.film import film
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.lights import Dress, Light
from jade_lantern.core.render.pyramid import pyramid
from jade_lantern.core.scene.dressing import Relief, Surroundings
from jade_lantern.core.scene.edits import AddLight, SetLock, SetRelief, apply
from jade_lantern.core.scene.pictures import pictures_in
from jade_lantern.core.store import Memory
from tests.core.test_light import ASIDE, FLOOR, LENS, sphere, unit

CENTRE = np.array([0, 1.5, -1.0])


def hdr(light):
    return cv2.imencode(".hdr", np.ascontiguousarray(light[..., ::-1], np.float32))[1].tobytes()


def exr(light, folder):
    import OpenEXR

    path = str(folder / "made.exr")
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    channels = {"RGB": np.ascontiguousarray(light, np.float32)}
    with OpenEXR.File(header, channels) as file:
        file.write(path)
    return (folder / "made.exr").read_bytes()


def ways(high=256):
    """(H, W, 3) the ways that pixels of a panorama show, its middle along -Z."""
    up = np.pi * (0.5 - (np.arange(high) + 0.5) / high)[:, None]
    round_ = 2 * np.pi * ((np.arange(2 * high) + 0.5) / (2 * high) - 0.5)
    across, along = np.cos(up) * np.sin(round_), -np.cos(up) * np.cos(round_)
    return np.stack([across, np.broadcast_to(np.sin(up), across.shape), along], axis=2)


def cap(towards, radius_deg, high=512):
    """A round piece of white in black, and how much of the sphere its pixels are."""
    inside = ways(high) @ unit(towards) > np.cos(np.radians(radius_deg))
    return np.repeat(inside[..., None].astype(np.float32), 3, axis=2)


def of_cap(normals, towards, radius_deg):
    """What a white cap gives to surfaces, integrated over rings of it and round them."""
    way = unit(towards)
    aside = unit(np.cross(way, [0.3, 1, 0.2]))
    other = np.cross(way, aside)
    angles, step = np.linspace(0, np.radians(radius_deg), 241, retstep=True)
    angles = (angles[1:] + angles[:-1]) / 2
    turns = np.arange(96) * 2 * np.pi / 96
    out = np.zeros(len(normals))
    for a in angles:
        ring = np.cos(a) * way + np.sin(a) * (
            np.cos(turns)[:, None] * aside + np.sin(turns)[:, None] * other
        )
        out += (normals @ ring.T).clip(0).mean(axis=1) * 2 * np.pi * np.sin(a) * step
    return out / np.pi


@pytest.mark.parametrize("high", [32, 75, 512])
def test_white_all_around_lights_as_white(high):
    map = irradiance(panorama_in(hdr(np.ones((high, 2 * high, 3), np.float32)), "white.hdr"))
    assert map == pytest.approx(1.0, abs=1e-3)


@pytest.mark.parametrize("radius", [8, 35, 80])
def test_a_cap_of_light_falls_on_every_normal_as_its_integral(radius):
    towards = (0.4, 0.6, 0.5)
    map = irradiance(panorama_in(hdr(cap(towards, radius)), "cap.hdr"))
    normals = np.random.default_rng(3).normal(size=(4000, 3))
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    expected = of_cap(normals, towards, radius)
    got = looked_up(map, normals)
    assert np.abs(got[:, 1] - expected).max() < 0.01 * expected.max()
    assert looked_up(map, normals_of_map()) == pytest.approx(map.reshape(-1, 3), abs=1e-5)


@pytest.mark.parametrize("round_", [False, True], ids=["flat faces", "normals of its own"])
@pytest.mark.parametrize("turn", [0.0, 50.0])
def test_surroundings_light_a_plane_and_a_ball_as_their_cap_does(round_, turn):
    towards = np.array([0.5, 0.5, 0.7])
    map = irradiance(panorama_in(hdr(4 * cap(towards, 35)), "cap.hdr"))
    light = Light("surroundings", (1.0, 0.5, 2.0), does="replaces", around=map, turn_deg=turn)
    across = (24, 12) if round_ else (256, 128)
    seen = film(balls(round_, *across), LENS, ("light", "id", "position", "normal"),
                dress=Dress((light,)))  # fmt: skip
    s, c = np.sin(np.radians(turn)), np.cos(np.radians(turn))
    turned = np.array(
        [c * towards[0] + s * towards[2], towards[1], c * towards[2] - s * towards[0]]
    )
    for which in (0, 1):
        mine = seen.id == which
        normal = seen.normal[mine].astype(float)
        if which == 1 and round_:
            normal = seen.position[mine] - CENTRE
            normal /= np.linalg.norm(normal, axis=1, keepdims=True)
        some = np.random.default_rng(1).choice(len(normal), 500)
        expected = 4 * of_cap(normal[some], turned, 35)
        assert np.abs(seen.light[mine][some, 1] - 0.5 * expected).max() < 0.01 * 2.0
        assert seen.light[mine][some, 2] == pytest.approx(4 * seen.light[mine][some, 1], rel=1e-4)


def balls(round_, across=24, down=12):
    """A floor and a ball, in white; the ball of few faces with the normals of a round one."""
    ball = sphere(CENTRE, 1.0, across, down)
    normals = (ball.points - CENTRE)[ball.triangles] if round_ else None
    thrower = Thrower(LENS, pyramid(np.ones((240, 320, 3), np.float32)), "hold")
    return Cast([Target(FLOOR), Target(ball, proxy=1, normals=normals)], [thrower])


@pytest.mark.parametrize("shot", [LENS, ASIDE])
@pytest.mark.parametrize("kind", ["sun", "lamp", "sky"])
def test_a_ball_of_few_faces_with_normals_is_lit_by_lamberts_law(shot, kind):
    place = (1.4, 3.2, 1.2)
    light = Light(kind, (1.2, 0.9, 0.4), place, does="replaces", casters=frozenset())
    seen = film(balls(True), shot, ("light", "id", "position"), dress=Dress((light,)))
    mine = seen.id == 1
    at = seen.position[mine]
    normal = (at - CENTRE) / np.linalg.norm(at - CENTRE, axis=1, keepdims=True)
    if kind == "sun":
        expected = (normal @ unit(place)).clip(0)
    elif kind == "lamp":
        away = place - at
        distance = np.linalg.norm(away, axis=1)
        expected = (normal * away).sum(axis=1).clip(0) / distance**3
    else:
        expected = 0.5 * (1 + normal[:, 1])
    assert seen.light[mine] == pytest.approx(expected[:, None] * light.energy, abs=0.004)
    frame = film(balls(True), shot, dress=Dress((light,))).beauty[mine][:, :3]
    steady = np.abs(frame - (expected[:, None] * light.energy).clip(0) ** (1 / GAMMA)) < 0.01
    assert steady.mean() > 0.97  # but at the rim of the ball, and where light just begins


def test_without_light_normals_change_no_bit():
    plain = film(balls(False), ASIDE).beauty
    assert np.array_equal(film(balls(True), ASIDE).beauty, plain)


def test_the_same_panorama_in_each_format_lights_alike(tmp_path):
    light = (0.2 + 0.8 * ways(64).clip(0)).astype(np.float32)
    still = io.BytesIO()
    eight = (light ** (1 / GAMMA) * 255 + 0.5).astype(np.uint8)
    Image.fromarray(eight).save(still, "PNG")
    maps = [irradiance(panorama_in(data, "made")) for data in
            (exr(light, tmp_path), hdr(light), still.getvalue())]  # fmt: skip
    assert maps[1] == pytest.approx(maps[0], abs=0.01)
    assert maps[2] == pytest.approx(maps[0], abs=0.01)


def test_what_is_no_panorama_is_refused_in_words(tmp_path):
    good = exr(np.ones((64, 128, 3), np.float32), tmp_path)
    for data, words in (
        (hdr(np.ones((64, 96, 3), np.float32)), "twice as wide"),
        (good[: len(good) // 2], "damaged"),
        (hdr(np.ones((64, 128, 3), np.float32))[:300], "broken|twice"),
        (b"no picture", "picture"),
        (b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 90000 +X 180000\n", "up to"),
    ):
        with pytest.raises(Refusal, match=words):
            panorama_in(data, "sky.exr")


def test_surroundings_turn_with_the_world_and_are_needed(demo_scene):
    scene = apply(demo_scene, SetLock(locked=False))
    made = Surroundings(id="new-0", name="dusk", picture="e" * 64, picture_name="dusk.hdr",
                        turn_deg=30.0)  # fmt: skip
    scene = apply(scene, AddLight(light=made))
    assert "e" * 64 in pictures_in(scene)
    data = hdr(cap((0.4, 0.6, 0.5), 35))
    (light,) = dress_of(scene, lambda digest: data).lights
    assert light.around is around_of("e" * 64, "dusk.hdr", lambda digest: data)
    turned = scene.lights[0].carried(Similarity(1.0, (0.0, 0.0, 0.0), 25.0))
    assert turned.turn_deg == pytest.approx(55.0)
    with pytest.raises(Refusal, match="not here"):
        dress_of(
            scene.model_copy(update={"lights": (made.model_copy(update={"picture": "f" * 64}),)})
        )


def test_an_archive_holds_panoramas_and_reliefs_and_one_without_is_refused(demo_scene, still_file):
    data, heights = hdr(cap((0, 1, 0), 30, 64)), b"a picture of heights"
    kept = {sha256(one).hexdigest(): one for one in (data, heights)}
    light, relief = kept
    scene = apply(demo_scene, SetLock(locked=False))
    made = Surroundings(id="new-0", name="dusk", picture=light, picture_name="dusk.hdr")
    scene = apply(scene, AddLight(light=made))
    scene = apply(scene, SetRelief(lantern=scene.lanterns[0].id, relief=Relief(
        by="heights", picture=relief, picture_name="h.png")))  # fmt: skip
    whole = packed(scene, Memory({scene.plate.digest: still_file.read_bytes(), **kept}))
    found = unpacked(whole)
    assert (found.scene.lights, found.scene.lanterns) == (scene.lights, scene.lanterns)
    for gone in kept:
        out = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(whole)) as old, zipfile.ZipFile(out, "w") as new:
            for name in old.namelist():
                if not name.endswith(gone):
                    new.writestr(name, old.read(name))
        with pytest.raises(Refusal, match="is missing in this archive"):
            unpacked(out.getvalue())
