"""A brought camera placed by places on its ground: against the world that it was taken out of."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from jade_lantern.core.begin.camera import CameraAsked, camera_come
from jade_lantern.core.begin.ground import Ground, GroundPicks
from jade_lantern.core.begin.nothing import Nothing, scene_on_nothing
from jade_lantern.core.begin.world import World
from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.outside.camera_paths import CameraPath
from jade_lantern.core.proxy import Solid
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import apply
from jade_lantern.core.scene.plate import Playing
from jade_lantern.core.scene.shot import shot_cameras
from jade_lantern.core.sight.measure import required_camera

SIZE = 1920, 1080
COUNT = 30
ON_GROUND = np.array([[-1.0, 0, -5], [2, 0, -5], [-2, 0, -11], [2.5, 0, -10], [0.5, 0, -7]])


def footage():
    """A project whose still is footage of COUNT pictures."""
    scene = scene_on_nothing(Nothing(width=SIZE[0], height=SIZE[1]), "0" * 64)
    playing = Playing(count=COUNT, rate=24.0)
    return scene.model_copy(update={"plate": scene.plate.model_copy(update={"playing": playing})})


def truth():
    """Its cameras, in a world that stands on the ground."""
    ways = [np.array([-1 + 0.1 * k, 1.6 + 0.005 * k, -0.03 * k]) for k in range(COUNT)]
    return [
        Camera.centred(*SIZE, 1700.0, rotation_of(-8, 1, 0.3 * k - 5), at)
        for k, at in enumerate(ways)
    ]


def another_world(seed=3, size=0.13):
    """A world as programs that follow a camera leave it: any size, any way up."""
    turn = Rotation.random(random_state=seed).as_matrix()
    return World(size, turn, np.array([3.0, -7.0, 2.0]))


def path_of(cameras, world):
    return CameraPath(
        "solve", 24.0, world.moved(np.array([c.position for c in cameras])),
        world.turned(np.array([c.rotation for c in cameras])),
        np.full(len(cameras), 1700 / SIZE[1]), SIZE[0] / SIZE[1],
    )  # fmt: skip


def picks_of(cameras, places=ON_GROUND, pictures=(0, COUNT - 1), noise=0.0, **more):
    """What a hand picks, that is so many px off."""
    at = np.stack([cameras[k].project(places)[0] for k in pictures], axis=1)
    at = at + np.random.default_rng(7).normal(scale=max(noise, 1e-12), size=at.shape)
    return GroundPicks(pictures=pictures, places=at.tolist(), **more)


def come(picks, scene=None, cameras=None, **asked):
    path = path_of(cameras or truth(), another_world())
    how = CameraAsked(place="picked", picks=picks, **asked)
    return camera_come([path], how, scene or footage())


@pytest.mark.parametrize("size", [{"apart_m": 3.0}, {"eye": True}, {"size": 1 / 0.13}])
def test_it_stands_on_the_ground_in_its_own_size(size):
    """The first place is the zero and the second lies along X, 3 m away: the world it came from,
    moved by the first place."""
    cameras, frame = truth(), 11
    eye = cameras[frame].position[1] if size.pop("eye", False) else None
    asked = {"size": size.pop("size")} if "size" in size else {}
    found = come(picks_of(cameras, **size), frame=frame, eye_height_m=eye, **asked)
    scene = apply(footage(), found.edit)
    shots = shot_cameras(scene, np.arange(COUNT, dtype=float), required_camera(scene))
    assert required_camera(scene).position == pytest.approx(shots[frame].position, abs=1e-9)
    for shot, one in zip(shots, cameras, strict=True):
        assert shot.position == pytest.approx(one.position - ON_GROUND[0], abs=1e-5)
        assert shot.rotation == pytest.approx(one.rotation, abs=1e-6)
    assert found.said[0].endswith(f"One of its metres is {1 / 0.13:.4g} m.")


def test_how_well_the_ground_is_known_is_honest():
    """100 hands that are off by what is taken for one: which way is up lies within 3 of what is
    said, for nearly all of them."""
    cameras = truth()
    rng = np.random.default_rng(0)
    off = []
    for seed in range(100):
        world = another_world(seed, rng.uniform(0.01, 30))
        places = np.stack([rng.uniform(-2, 2.5, 5), np.zeros(5), rng.uniform(-12, -5, 5)], axis=1)
        at = [cameras[k].project(places)[0] + rng.normal(scale=1.9, size=(5, 2)) for k in (0, 29)]
        picks = GroundPicks(pictures=(0, 29), places=np.stack(at, axis=1).tolist())
        one, other = (
            replace(cameras[k], rotation=world.turned(cameras[k].rotation),
                    position=world.moved(cameras[k].position)) for k in (0, 29)
        )  # fmt: skip
        try:
            ground = Ground(picks, one, other)
        except Refusal:
            continue  # it says that these leave it open
        up = world.turn @ [0.0, 1.0, 0.0]
        off.append(np.degrees(np.arccos(min(float(ground.up @ up), 1.0))) / ground.open_deg)
    assert len(off) > 80
    assert np.mean(np.array(off) < 3) >= 0.97


def test_what_leaves_the_ground_open_is_refused_in_words():
    cameras = truth()
    line = np.array([[-1.0, 0, -5], [0, 0, -6], [1, 0, -7], [2, 0, -8]])
    with pytest.raises(Refusal, match="which way is up"):
        come(picks_of(cameras, line))
    with pytest.raises(Refusal, match="did not move between"):
        come(picks_of(cameras, pictures=(4, 4)))
    with pytest.raises(Refusal, match="taken farther apart"):
        come(picks_of(cameras, 0.3 * ON_GROUND[:3] - [0, 0, 8], pictures=(4, 5)))
    amiss = picks_of(cameras).places
    amiss = (*amiss[:3], (amiss[3][0], (amiss[3][1][0], amiss[3][1][1] + 80)), amiss[4])
    with pytest.raises(Refusal, match="not the same place in both"):
        come(GroundPicks(pictures=(0, COUNT - 1), places=amiss))
    same = picks_of(cameras, ON_GROUND[[0, 0, 1, 2, 3]])
    with pytest.raises(Refusal, match="1 and 2 are the same"):
        come(same)
    with pytest.raises(Refusal, match="no frame"):
        come(picks_of(cameras, pictures=(0, 29)), cameras=cameras[:20])
    still = scene_on_nothing(Nothing(width=SIZE[0], height=SIZE[1]), "0" * 64)
    with pytest.raises(Refusal, match="is one picture"):
        come(picks_of(cameras), still)
    below = replace(cameras[3], position=cameras[3].position - [0, 4, 0])
    sunk = [*cameras[:3], below, *cameras[4:]]
    with pytest.raises(Refusal, match="not above this ground"):
        come(picks_of(cameras), cameras=sunk, frame=3, eye_height_m=1.6)
    far = another_world()
    paths = [path_of(cameras, replace(far, shift=far.shift * 1e200))]
    how = CameraAsked(place="picked", picks=picks_of(cameras))
    with pytest.raises(Refusal, match="too far from the zero"):
        camera_come(paths, how, footage())
    with pytest.raises(Refusal, match="No places"):
        come(None)


def test_pictures_are_found_where_they_play():
    """Footage that begins 4 frames into the shot: its picture 0 was taken at frame 4."""
    cameras = truth()
    scene = footage()
    playing = scene.plate.playing.model_copy(update={"offset": 4.0})
    scene = scene.model_copy(update={"plate": scene.plate.model_copy(update={"playing": playing})})
    # the picks are where the cameras of frames 4 and 24 see the places
    seen = picks_of(cameras, pictures=(4, 24), apart_m=3.0)
    picks = seen.model_copy(update={"pictures": (0, 20)})
    after = apply(scene, come(picks, scene).edit)
    at = required_camera(after).position
    assert at == pytest.approx(cameras[0].position - ON_GROUND[0], abs=1e-5)


def test_meshes_of_a_file_come_along():
    """A solid of the file's world lies after it where its points do."""
    world = another_world()
    corners = np.array([[0, 0, 0], [1, 0, 0], [1, 0, 2], [0, 3, 0]], float)
    loops = [(1, 3, 2), (1, 2, 4), (2, 3, 4), (3, 1, 4)]
    solid = Solid(
        id="solid-0", name="crate", x=1.5, level_m=0.2, z=-4,
        turn_deg=30, lean_deg=20, roll_deg=-40,
        corners=tuple((i, *map(float, p)) for i, p in enumerate(corners, 1)),
        faces=tuple((i, (loop,)) for i, loop in enumerate(loops, 1)),
    )  # fmt: skip
    camera = truth()[0]
    carried = replace(world, scale=1.0).carried(solid)
    moved = solid.mesh(camera).points @ world.turn.T + world.shift
    assert carried.mesh(camera).points == pytest.approx(moved, abs=1e-9)
