"""Leak, spill, stretch and reveal, each held against brute-force ray casting."""

import json

import numpy as np
import pytest
from typer.testing import CliRunner

from jade_lantern.cli import app
from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.cast.diagnose import thrown
from jade_lantern.core.cast.see import see
from jade_lantern.core.deliver.archive import packed
from jade_lantern.core.mesh import joined, nearest_triangle
from jade_lantern.core.proxy import Box, Card, Drum, Floor

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
    Camera.centred(120, 80, 110, rotation_of(-8, 1, 5), np.array([0.8, 1.6, 3.0])),
    Camera.centred(120, 80, 130, rotation_of(-14, 0, 18), np.array([1.5, 2.4, 1.5])),
]


def cast_at(corners, camera: Camera, point):
    """How far along the ray towards a point something is met, in the ray's own lengths."""
    ray = point - camera.position
    return nearest_triangle(corners, camera.position, ray)


@pytest.mark.parametrize("shot", SHOTS)
def test_the_maps_are_those_of_ray_casting_but_for_a_pixel_at_edges(shot):
    corners, owner = joined(MESHES)
    told = thrown(MESHES, LENS, 960).from_(shot)
    rays = shot.rays(np.stack(np.meshgrid(np.arange(120) + 0.5, np.arange(80) + 0.5), axis=-1))
    wrong = dict.fromkeys(("owner", "leak", "spill", "reveal"), 0)
    for r in range(80):
        for c in range(120):
            far, triangle = nearest_triangle(corners, shot.position, rays[r, c])
            truth = {"owner": -1, "leak": triangle < 0, "spill": False, "reveal": False}
            if triangle >= 0:
                truth["owner"] = int(owner[triangle])
                point = shot.position + far * rays[r, c]
                (x, y), depth = LENS.project(point)
                inside = depth > 0 and 0 <= x < 240 and 0 <= y < 160
                near, blocker = cast_at(corners, LENS, point)
                blocked = inside and near < 1 - 1e-6
                other = owner[blocker] != owner[triangle]
                truth["spill"] = bool(blocked and other)
                truth["reveal"] = bool(blocked or not inside)
            for name in wrong:
                got = getattr(told, name)
                near = got[max(r - 1, 0) : r + 2, max(c - 1, 0) : c + 2]
                wrong[name] += not (near == truth[name]).any()
    assert wrong == dict.fromkeys(wrong, 0)
    assert told.reveal.mean() > 0.02
    assert told.spill.mean() > 0.01


def test_at_the_lens_nothing_is_revealed_and_nothing_stretches():
    told = thrown(MESHES, LENS, 960).from_(LENS)
    assert not told.reveal.any()
    assert not told.spill.any()
    landed = told.stretch[~told.leak]
    assert np.abs(landed - 1).max() < 1e-6
    assert told.leak.mean() == pytest.approx((see(*joined(MESHES), LENS, 0.01).surface < 0).mean())


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
    file.write_bytes(packed(demo_scene, {demo_scene.plate.digest: still_file.read_bytes()}))
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
