"""Leak, spill, stretch and reveal, each held against brute-force ray casting."""

import json

import numpy as np
import pytest
from typer.testing import CliRunner

from jade_lantern.cli import app
from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.deliver.archive import packed
from jade_lantern.core.mesh import Mesh, joined
from jade_lantern.core.proxy import Box, Card, Drum, Floor
from jade_lantern.core.render.diagnose import thrown
from jade_lantern.core.render.see import see
from jade_lantern.core.store import Memory
from tests.core.rays import Rays

LENS = Camera.centred(240, 160, 220, rotation_of(-8, 1, 5), np.array([0.0, 1.6, 3.0]))
PLACE = {"turn_deg": 25.0}
PROXIES = (
    Floor(id="floor-0", name="ground", width_m=14, depth_m=14, z=-3),
    Box(id="box-0", name="crate", x=-0.6, z=-1, width_m=1, depth_m=1, height_m=1, **PLACE),
    Card(id="card-0", name="wall", x=0.5, z=-4, width_m=5, height_m=3),
    Drum(id="drum-0", name="post", x=1.1, z=-0.5, radius_m=0.2, height_m=1.4),
)
MESHES = [p.mesh(LENS) for p in PROXIES]
SHOTS = [
    Camera.centred(240, 160, 220, rotation_of(-8, 1, 5), np.array([0.8, 1.6, 3.0])),
    Camera.centred(240, 160, 260, rotation_of(-14, 0, 18), np.array([1.5, 2.4, 1.5])),
    Camera.centred(240, 160, 200, rotation_of(-20, 8, -60), np.array([-4.0, 2.0, 0.5])),
]


def strewn(seed: int) -> list[Mesh]:
    """A floor with boxes, drums and cards strewn over it, some standing in one another."""
    rng = np.random.default_rng(seed)
    out = [PROXIES[0].mesh(LENS)]
    for i in range(14):
        at = {"x": rng.uniform(-3, 3), "z": rng.uniform(-6, 1), "turn_deg": rng.uniform(-180, 180)}
        at["height_m"] = rng.uniform(0.3, 1.6)
        w, d = rng.uniform(0.2, 1.2, 2)
        kind = [
            Box(id="box-0", name="b", width_m=w, depth_m=d, **at),
            Drum(id="drum-0", name="d", radius_m=w / 2, **at),
            Card(id="card-0", name="c", width_m=w, **at),
        ][i % 3]
        out.append(kind.mesh(LENS))
    return out


@pytest.mark.parametrize("meshes", [MESHES, strewn(1), strewn(2)])
@pytest.mark.parametrize("shot", SHOTS)
def test_the_maps_are_those_of_ray_casting_but_for_a_pixel_at_edges(meshes, shot):
    rays = Rays(meshes)
    told = thrown(meshes, LENS, 3840).from_(shot)
    pixels = np.stack(np.meshgrid(np.arange(240) + 0.5, np.arange(160) + 0.5), axis=-1)
    owner, place = rays.first(shot.position, shot.rays(pixels.reshape(-1, 2)))
    there = owner >= 0
    at, depth = LENS.project(np.where(there[:, None], place, 0.0))
    inside = there & (depth > 0) & (at >= 0).all(axis=1) & (at < [240, 160]).all(axis=1)
    towards = np.where(there[:, None], place, 1.0) - LENS.position
    blocker, hit = rays.first(LENS.position, towards)
    nearer = np.linalg.norm(hit - LENS.position, axis=1) < np.linalg.norm(towards, axis=1) - 1e-4
    blocked = inside & nearer
    truth = {
        "owner": owner, "leak": ~there, "spill": blocked & (blocker != owner),
        "reveal": there & (blocked | ~inside),
    }  # fmt: skip
    for name, flat in truth.items():
        true = flat.reshape(160, 240)
        got = np.pad(getattr(told, name), 1, mode="edge")
        right = np.zeros(true.shape, bool)
        for dy in range(3):
            for dx in range(3):
                right |= got[dy : dy + 160, dx : dx + 240] == true
        assert (~right).sum() <= 2, name  # where single precision and double part
    assert told.reveal.mean() > 0.02


def test_at_the_lens_nothing_is_revealed_and_nothing_stretches():
    told = thrown(MESHES, LENS, 960).from_(LENS)
    assert not told.reveal.any()
    assert not told.spill.any()
    landed = told.stretch[~told.leak]
    assert np.abs(landed - 1).max() < 1e-6
    assert told.leak.mean() == pytest.approx((see(joined(MESHES), LENS, 0.01).surface < 0).mean())


def test_stretch_is_what_an_oblique_plane_asks_for():
    # straight on, twice as near: a plate pixel covers two of the shot
    wall = [Card(id="card-0", name="w", z=-4, width_m=40, height_m=40, level_m=-20).mesh(LENS)]
    ahead = Camera.centred(240, 160, 220, rotation_of(0, 0, 0), np.array([0.0, 0.0, 4.0]))
    nearer = Camera.centred(240, 160, 220, rotation_of(0, 0, 0), np.array([0.0, 0.0, 0.0]))
    told = thrown(wall, ahead, 960).from_(nearer)
    assert told.stretch == pytest.approx(2.0)
    assert told.shares()["stretch"] == 1.0


def test_a_shot_is_diagnosed_from_the_command_line(tmp_path, demo_scene, still_file):
    file, maps = tmp_path / "quay.zip", tmp_path / "maps"
    file.write_bytes(packed(demo_scene, Memory({demo_scene.plate.digest: still_file.read_bytes()})))
    last = demo_scene.move.frames - 1
    asked = ["diagnose", str(file), "--first", "0", "--last", "0", "--width", "240"]
    done = CliRunner().invoke(app, [*asked, "--maps", str(maps)])
    (first,) = (json.loads(line) for line in done.stdout.splitlines())
    assert first["frame"] == 0
    assert first["reveal"] < 0.01
    asked[3] = asked[5] = str(last)
    done = CliRunner().invoke(app, asked)
    (end,) = (json.loads(line) for line in done.stdout.splitlines())
    assert end["reveal"] > first["reveal"]
    assert sum(p["reveal"] for p in end["by_proxy"].values()) == pytest.approx(end["reveal"])
    assert sorted(p.name for p in maps.iterdir()) == [
        f"{name}-00000.png" for name in ("leak", "reveal", "spill", "stretch")
    ]
    bad = CliRunner().invoke(app, ["diagnose", str(file), "--first", "900"])
    assert bad.exit_code == 1
    assert "not all in the shot" in bad.stderr
