"""The split taken, the paint kit out, paint back by name, and the rough fill until it comes."""

import io
import zipfile

import cv2
import numpy as np
import pytest

from jade_lantern.core.batch import PicturesAtHand
from jade_lantern.core.camera import Camera
from jade_lantern.core.cast.fill import Fill, filled, removed
from jade_lantern.core.cast.kit import kit, kit_lanterns, sheet
from jade_lantern.core.cast.ofscene import dark, lantern_camera, targets, throwers
from jade_lantern.core.cast.paint import lantern_named, taken_in
from jade_lantern.core.cast.patches import completed
from jade_lantern.core.cast.take import TakeSplit, painted_out
from jade_lantern.core.cast.wide import AddWide, PlaceLantern, seen_places
from jade_lantern.core.change import changed
from jade_lantern.core.deliver.gltf import glb
from jade_lantern.core.deliver.movie import Movie
from jade_lantern.core.mesh import joined, mesh_of
from jade_lantern.core.move.diagnosis import diagnosed_cast
from jade_lantern.core.move.strip import whole_move
from jade_lantern.core.picture import png, read_still
from jade_lantern.core.picture.openraster import (
    Layer,
    flattened,
    is_openraster,
    read_layers,
    written,
)
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.render.land import Cast
from jade_lantern.core.render.see import see
from jade_lantern.core.scene.edits import CastOn, apply
from jade_lantern.core.scene.model import CastRow
from jade_lantern.core.scene.sheet import lanterns_of
from jade_lantern.core.scene.shot import shot_camera
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.store import Memory
from tests.truth import decibels

MOST = 10**8


@pytest.fixture(scope="module")
def split(demo_scene):
    return changed(demo_scene, TakeSplit())[1]


@pytest.fixture
def at_hand(demo_scene, still_file):
    return PicturesAtHand(Memory({demo_scene.plate.digest: still_file.read_bytes()}))


def test_a_split_that_is_taken_leaves_no_spill_and_is_one_step(demo_scene, split):
    before, after = whole_move(demo_scene), whole_move(split)
    assert before.spill.max() > 0.002
    assert after.spill.max() < 0.0005
    told = diagnosed_cast(split).from_(required_camera(split).resized(480, 320))
    assert not told.spill.any()
    assert all(len(lanterns_of(split, p.id)) == 1 for p in split.proxies)
    # what hides a thing is to be painted out of its plate, and is not on that plate itself
    for lantern in split.lanterns[1:]:
        gone = set(painted_out(split, lantern))
        assert gone
        assert not any(lantern in lanterns_of(split, id) for id in gone)
    assert changed(split, TakeSplit())[1].lanterns == split.lanterns  # there is no more to do


def test_openraster_keeps_names_places_depth_and_what_shows():
    rng = np.random.default_rng(0)
    low = rng.integers(0, 256, (80, 120, 3), dtype=np.uint8)
    high = rng.integers(0, 65536, (30, 40, 4)).astype(np.uint16)
    layers = [Layer("über", high, 20, 10, 0.5), Layer("hidden", low, visible=False),
              Layer("low", low)]  # fmt: skip
    data = written(120, 80, layers)
    assert is_openraster(data)
    got = read_layers(data, MOST)
    assert [(one.name, one.left, one.top, one.opacity, one.visible) for one in got.layers] == [
        ("über", 20, 10, 0.5, True), ("hidden", 0, 0, 1.0, False), ("low", 0, 0, 1.0, True),
    ]  # fmt: skip
    assert all(np.array_equal(a.pixels, b.pixels) for a, b in zip(got.layers, layers, strict=True))
    shown = flattened(got) / 65535
    share = high[..., 3:] / 65535 * 0.5
    wanted = low / 255
    wanted[10:40, 20:60] = high[..., :3] / 65535 * share + wanted[10:40, 20:60] * (1 - share)
    assert np.abs(shown[..., :3] - wanted).max() < 2e-4
    assert (shown[..., 3] == 1).all()
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert archive.infolist()[0].filename == "mimetype"
        assert {"mergedimage.png", "Thumbnails/thumbnail.png"} < set(archive.namelist())


def test_an_openraster_file_with_missing_layers_says_which_and_gives_the_rest():
    data = written(64, 64, [Layer("sky", np.zeros((64, 64, 3), np.uint8)),
                            Layer("hills", np.full((64, 64, 3), 9, np.uint8))])  # fmt: skip
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            if name != "data/layer000.png":
                new.writestr(name, old.read(name))
    got = read_layers(out.getvalue(), MOST)
    assert (got.missing, [one.name for one in got.layers]) == (("sky",), ["hills"])
    for bad in (b"PK no archive", data[:200], written(64, 64, [])[:-30]):
        with pytest.raises(Refusal):
            read_layers(bad, MOST)
    with pytest.raises(Refusal, match="canvas of 64"):
        read_layers(data, 100)


def test_the_paint_kit_has_what_a_painter_needs(split, at_hand):
    lantern = next(
        one for one in split.lanterns
        if any(p.name == "quay" and one in lanterns_of(split, p.id) for p in split.proxies)
    )  # fmt: skip
    one = sheet(split, lantern, at_hand.deep)
    camera = required_camera(split)
    crate = next(p for p in split.proxies if p.name == "crate 2")
    shown = see(joined([crate.mesh(camera)]), camera, 0.01).surface >= 0
    assert (one.remove[shown]).mean() > 0.99  # the crate stands on the quay
    grown = cv2.dilate(shown.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    assert one.remove[grown].all()  # and a margin round it
    assert one.reveal.any()
    assert not (one.reveal & ~one.remove).any()
    assert one.reveal.sum() < 0.7 * one.remove.sum()  # nobody paints what is never seen
    assert "crate 2" in one.gone
    assert one.wire[..., 3].any()
    assert one.grid[..., 3].any()


def test_a_kit_goes_out_and_comes_back_by_name(split, at_hand):
    few = split.model_copy(update={"lanterns": split.lanterns[:3], "sheet": type(split.sheet)(
        rows=tuple(r for r in split.sheet.rows
                   if set(r.lanterns) <= {one.id for one in split.lanterns[:3]}))})  # fmt: skip
    with zipfile.ZipFile(io.BytesIO(kit(few, at_hand.deep))) as archive:
        names = archive.namelist()
        files = {n: archive.read(n) for n in names}
    first = kit_lanterns(few)[0].name
    assert {f"{first}.ora", f"{first}.png", f"{first} remove.png", "READ ME.txt"} <= set(names)
    assert "paint out:" in files["READ ME.txt"].decode()
    layers = read_layers(files[f"{first}.ora"], MOST)
    assert [one.name for one in layers.layers] == ["grid", "wire", "reveal", "remove", "plate"]
    over = np.zeros((layers.height, layers.width, 4), np.uint8)
    over[100:200, 100:300] = (250, 10, 10, 255)
    painted = written(
        layers.width, layers.height, [Layer("touch", over), *layers.layers]
    )  # fmt: skip
    second = kit_lanterns(few)[1].name
    back = [
        (f"{second} v03 final.png", files[f"{second}.png"]),
        (f"{first} remove.png", files[f"{first} remove.png"]),
        (f"{first}_2.ora", painted),
    ]  # fmt: skip
    edit, told = taken_in(few, back, at_hand.deep, at_hand.store.keep)
    after = apply(few, edit)
    lit = {one.name: one for one in after.lanterns}
    assert [b.lantern for b in told] == [second, None, first]
    assert not any(b.said for b in told if b.lantern)
    new = read_still(at_hand.store.files[lit[first].plate.digest]).pixels
    assert (new[150, 200] == (250, 10, 10)).all()
    old = read_still(at_hand.store.files[few.plate.digest]).pixels
    assert np.array_equal(new[300:], old[300:])
    assert not lit[first].stand_in
    # once more: the plate before it is kept
    edit, _ = taken_in(
        after, [(f"{first}.png", png(old[::-1].copy()))], at_hand.deep, at_hand.store.keep
    )
    twice = next(one for one in apply(after, edit).lanterns if one.name == first)
    assert [p.digest for p in twice.earlier] == [lit[first].plate.digest]


def test_a_frame_of_a_movie_becomes_a_plate(split, at_hand, tmp_path):
    path, name = tmp_path / "walk.mp4", split.lanterns[1].name
    with Movie(path, 192, 128, 24) as movie:
        for n in range(6):
            movie.add(np.full((128, 192, 4), (40 * n, 200 - 30 * n, 90, 255), np.uint8))
    data = path.read_bytes()

    def bring(called, frame, data=data):
        return taken_in(split, [(called, data)], at_hand.deep, at_hand.store.keep, frame=frame)

    edit, (told,) = bring(f"{name}.mp4", 4)
    assert told.lantern == name
    assert told.done == ("Frame 4 of the movie was taken.",)
    plate = next(one for one in apply(split, edit).lanterns if one.name == name).plate
    assert (plate.width, plate.height) == (192, 128)
    assert np.abs(at_hand.deep(plate).astype(int) - (160, 80, 90)).max() <= 3
    edit, (told,) = bring("passers-by.mp4", 0)
    assert [one.name for one in apply(split, edit).lanterns][-1] == "passers-by"
    for frame, data_, words in ((6, data, "0 to 5"), (0, data[:200], "no picture in this movie")):
        edit, (told,) = bring(f"{name}.mp4", frame, data_)
        assert edit is None
        assert words in told.said[0]


def test_what_is_odd_about_paint_is_said_and_nothing_else_is_lost(split, at_hand, still):
    name = split.lanterns[1].name
    pixels = still.pixels

    def bring(picture, called=f"{name}.png"):
        data = picture if isinstance(picture, bytes) else png(np.ascontiguousarray(picture))
        edit, (told,) = taken_in(split, [(called, data)], at_hand.deep, at_hand.store.keep)
        return edit, " ".join(told.said)

    assert bring(pixels)[1] == ""
    edit, said = bring(cv2.resize(pixels, (960, 640)))
    assert edit is not None
    assert "smaller" in said
    edit, said = bring(pixels[:, :1500])
    assert edit is None
    assert "another shape" in said
    moved = np.roll(pixels, (9, -14), axis=(0, 1))
    assert "shifted by -14, +9 px" in bring(moved)[1]
    assert bring(b"no picture at all")[0] is None
    edit, said = bring(written(1920, 1280, [Layer("remove", pixels)]), f"{name}.ora")
    assert edit is None
    assert "plate is missing" in said
    # with alpha first, without it then: said
    soft = np.dstack([pixels, np.full(pixels.shape[:2], 128, np.uint8)])
    edit, _ = bring(soft)
    with_alpha = apply(split, edit)
    assert with_alpha.lanterns[1].plate.alpha
    _, (told,) = taken_in(
        with_alpha, [(f"{name}.png", png(pixels))], at_hand.deep, at_hand.store.keep
    )
    assert "alpha is lost" in " ".join(told.said)
    # two of one name: the first is taken, the other said
    edit, told = taken_in(
        split, [(f"{name}.png", png(pixels)), (f"{name}.tif", png(moved))], at_hand.deep,
        at_hand.store.keep,
    )  # fmt: skip
    assert [b.lantern for b in told] == [name, None]


def test_layers_and_files_of_no_lantern_become_lanterns(demo_scene, at_hand):
    sky = np.zeros((90, 120, 4), np.uint8)
    data = written(120, 90, [Layer("near", sky), Layer("far", sky[..., :3] + 9, 5, 5)])
    files = [("layers.ora", data), ("dusk.png", png(sky[..., :3]))]
    edit, told = taken_in(demo_scene, files, at_hand.deep, at_hand.store.keep)
    after = apply(demo_scene, edit)
    assert [one.name for one in after.lanterns] == ["still", "near", "far", "dusk"]
    assert after.lanterns[1].plate.alpha
    assert after.lanterns[2].plate.width == 120  # on its whole canvas
    assert told[0].lantern == "near, far"
    assert lantern_named(after, "Near_v2")[0].name == "near"
    assert lantern_named(after, "nearby") == (None, None)


def test_what_repeats_is_completed_by_patches_not_by_blur():
    y, x = np.mgrid[:160, :220]
    boards = 120 + 60 * ((x // 11) % 2) + 40 * ((y // 17) % 2)
    picture = np.repeat(boards[..., None], 3, axis=2).astype(np.uint8)
    known = np.ones((160, 220), bool)
    known[60:110, 80:150] = False
    made = completed(picture, known, ~known)
    assert np.array_equal(made[known], picture[known])
    assert decibels(made, picture, ~known) > 24
    blurred = cv2.inpaint(picture, (~known).astype(np.uint8), 5, cv2.INPAINT_TELEA)
    assert decibels(made, picture, ~known) > decibels(blurred, picture, ~known) + 6


def test_a_floors_slabs_run_on_behind_a_thing_in_their_perspective():
    """A chequered floor, of which a box hides a part: what is filled in is the floor's own, to 24
    dB, though no two of its slabs are alike in the picture."""
    camera = Camera.centred(480, 320, 400, np.eye(3), np.array([0, 1.6, 0.0]))
    floor = mesh_of([(-30, 0, 2), (30, 0, 2), (30, 0, -60), (-30, 0, -60)], [(0, 1, 2, 3)])
    seen = see(joined([floor]), camera, 0.01)
    y, x = np.mgrid[:320, :480] + 0.5
    rays = camera.rays(np.stack([x, y], axis=-1))
    reach = np.where(rays[..., 1] < -1e-3, -1.6 / np.minimum(rays[..., 1], -1e-3), 0)
    at = rays * reach[..., None]
    slabs = (np.floor(at[..., 0] / 0.8) + np.floor(at[..., 2] / 0.8)) % 2
    truth = np.where(reach > 0, 90 + 90 * slabs, 200)
    truth = cv2.GaussianBlur(np.repeat(truth[..., None], 3, axis=2).astype(np.uint8), (0, 0), 0.7)
    area = np.zeros((320, 480), bool)
    area[215:275, 190:280] = True
    made = filled(np.where(area[..., None], 30, truth).astype(np.uint8), area, seen, camera)
    assert np.array_equal(made[~area], truth[~area])
    assert decibels(made, truth, area) > 18
    blurred = cv2.inpaint(truth, area.astype(np.uint8), 5, cv2.INPAINT_TELEA)
    assert decibels(made, truth, area) > decibels(blurred, truth, area) + 4


def test_a_fill_is_a_stand_in_until_paint_comes(split, at_hand, still):
    lantern = split.lanterns[-1]
    _, after = changed(split, Fill(lanterns=(lantern.id,)), at_hand)
    new = next(one for one in after.lanterns if one.id == lantern.id)
    assert new.stand_in
    assert new.earlier == ()
    made = read_still(at_hand.store.files[new.plate.digest]).pixels
    area = removed(split, lantern, 1920, 1280).area
    assert np.array_equal(made[~area], still.pixels[~area])
    assert (made[area] != still.pixels[area]).any()
    edit, _ = taken_in(
        after, [(f"{lantern.name}.png", png(made))], at_hand.deep, at_hand.store.keep
    )
    painted = next(one for one in apply(after, edit).lanterns if one.id == lantern.id)
    assert not painted.stand_in
    assert painted.earlier == ()  # a stand-in is no paint that would be kept
    with pytest.raises(Refusal, match="has been painted"):
        changed(apply(after, edit), Fill(lanterns=(lantern.id,)), at_hand)


def test_a_wide_lantern_holds_all_that_the_shot_sees_and_is_dark_until_painted(demo_scene, at_hand):
    _, scene = changed(demo_scene, AddWide(frame=0))
    wide = scene.lanterns[1]
    camera = lantern_camera(wide, required_camera(scene))
    pixels, depth = camera.project(seen_places(scene))
    assert (depth > 0).all()
    assert (pixels >= 0).all()
    assert (pixels <= [camera.width, camera.height]).all()
    assert np.ptp(pixels, axis=0) == pytest.approx([camera.width, camera.height], rel=0.3)
    behind = camera.position - required_camera(scene).position
    assert behind @ camera.forward < 0
    rows = tuple(CastRow(proxy=p.id, lanterns=("lantern-0", wide.id)) for p in scene.proxies)
    both = apply(scene, CastOn(rows=rows))
    assert np.allclose(whole_move(both).reveal, whole_move(demo_scene).reveal)
    one = sheet(both, wide, at_hand.deep)
    assert one.plate.shape == (wide.view.height, wide.view.width, 3)
    assert one.reveal.any()
    assert one.grey.any()
    assert one.depth.max() == 255
    # painted all over, nothing that it sees is revealed any more
    plate = png(one.plate)
    edit, told = taken_in(both, [("wide.png", plate)], at_hand.deep, at_hand.store.keep)
    assert told[0].said == ()
    lit = apply(both, edit)
    before, after = whole_move(both), whole_move(lit)
    assert after.reveal.sum() < 0.9 * before.reveal.sum()  # what things hide from it too stays
    with pytest.raises(Refusal, match="does not show what the still shows"):
        changed(scene, Fill(lanterns=(wide.id,)), at_hand)


def test_a_mask_finds_its_lantern_by_its_name_and_has_its_plates_size(demo_scene, at_hand):
    height, width = demo_scene.plate.height, demo_scene.plate.width
    half = np.zeros((height, width, 3), np.uint8)
    half[:, : width // 2] = 255
    edit, told = taken_in(
        demo_scene, [("still mask.png", png(half))], at_hand.deep, at_hand.store.keep
    )
    assert "mask" in told[0].done[0]
    scene = apply(demo_scene, edit)
    assert scene.lanterns[0].plate is None
    sighted = required_camera(scene)
    lanterns = throwers(scene, sighted, at_hand.deep)
    frame = rendered(Cast(targets(scene, sighted), lanterns), sighted.resized(480, 320))
    assert (frame[:, :230, 3] > 65000).mean() > 0.99
    assert (frame[:, 250:, 3] == 0).all()
    small = png(half[::2, ::2])
    edit, told = taken_in(demo_scene, [("still mask.png", small)], at_hand.deep, at_hand.store.keep)
    assert edit is None
    assert "plate's size" in told[0].said[0]
    both = [("still mask.png", png(half)), ("still.png", png(half))]
    edit, _ = taken_in(demo_scene, both, at_hand.deep, at_hand.store.keep)
    one = edit.lanterns[0]
    assert len(edit.lanterns) == 1
    assert one.mask is not None
    assert one.plate is not None


def test_a_lantern_placed_at_a_frame_sees_what_that_frame_shows(demo_scene):
    last = demo_scene.move.frames - 1
    _, scene = changed(demo_scene, PlaceLantern(lantern="lantern-0", frame=last))
    sighted = required_camera(scene)
    lantern = lantern_camera(scene.lanterns[0], sighted)
    shot = shot_camera(scene, float(last), sighted)
    places = np.array([[0.0, 0.5, -6.0], [1.0, 2.0, -9.0], [-2.0, 0.2, -5.0]])
    at, seen = (c.resized(1000, 667).project(places)[0] for c in (lantern, shot))
    assert np.abs(at - seen).max() < 0.5
    assert dark(scene.lanterns[0])


def test_the_cameras_of_a_glb_become_lanterns_where_they_stand(demo_scene, at_hand):
    """The scene's own GLB brings its sighted camera and its shot camera back."""
    data = glb(demo_scene, at_hand.deep)
    edit, told = taken_in(demo_scene, [("quay.glb", data)], at_hand.deep, at_hand.store.keep)
    assert told[0].done == ("Its cameras are lanterns to paint now.",)
    scene = apply(demo_scene, edit)
    by = {one.name: one for one in scene.lanterns[1:]}
    assert set(by) == {"sighted camera", "shot camera"}
    sighted = required_camera(scene)
    places = np.array([[0.0, 0.5, -6.0], [1.0, 2.0, -9.0], [-2.0, 0.2, -5.0]])
    shot = shot_camera(scene, 0, sighted)
    for name, true in (("sighted camera", sighted), ("shot camera", shot)):
        lantern = lantern_camera(by[name], sighted).resized(true.width, true.height)
        assert np.abs(lantern.project(places)[0] - true.project(places)[0]).max() < 0.1
        assert dark(by[name])
    for bad in (data[:60], b"glTF" + bytes(40)):
        edit, told = taken_in(demo_scene, [("bad.glb", bad)], at_hand.deep, at_hand.store.keep)
        assert edit is None
        assert "cannot be read" in told[0].said[0]
