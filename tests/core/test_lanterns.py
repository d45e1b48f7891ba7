"""Several lanterns: what is taken from which, alpha, depth, masks, edges and first surfaces."""

from dataclasses import replace

import numpy as np
import pytest

from jade_lantern.core.camera import Camera
from jade_lantern.core.cast.ofscene import targets, throwers
from jade_lantern.core.mesh import mesh_of
from jade_lantern.core.picture.eight import in_eight_bit
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.diagnose import DiagnosedCast
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.pyramid import pyramid
from jade_lantern.core.scene.edits import (
    AddLantern,
    AlterLantern,
    CastOn,
    DeleteLantern,
    DeleteProxy,
    apply,
)
from jade_lantern.core.scene.edits.cast import thrown_anew
from jade_lantern.core.scene.model import CastRow
from jade_lantern.core.scene.plate import Bend, Flattened, Plate
from jade_lantern.core.scene.sheet import lanterns_of
from jade_lantern.core.sight.bend import flat_frame
from jade_lantern.core.sight.flatten import Mapping, flat_pixels
from jade_lantern.core.sight.look import Look
from jade_lantern.core.sight.measure import required_camera

WIDTH, HEIGHT = 240, 160
LENS = Camera.centred(WIDTH, HEIGHT, 200.0, np.eye(3), np.array([0.0, 1.6, 0.0]))
RNG = np.random.default_rng(5)


def card(z, left=-60.0, right=60.0, low=-60.0, high=60.0):
    return mesh_of(
        [(left, low, -z), (right, low, -z), (right, high, -z), (left, high, -z)], [(0, 1, 2, 3)]
    )


def picture(kind=np.uint8, channels=3):
    most = 1.0 if kind == np.float32 else np.iinfo(kind).max
    out = RNG.random((HEIGHT, WIDTH, channels)) * most
    if kind == np.float32:
        out[..., :3] *= 4  # brighter than white
    return out.astype(kind)


def solid(*colour):
    return np.full((HEIGHT, WIDTH, len(colour)), colour, np.uint8)


def cast(stack, pictures, **given):
    """Targets (mesh, lanterns) with one lantern at the lens for each picture."""
    depth = max((pyramid(p).depth for p in pictures), key=["eight", "sixteen", "float"].index)
    lanterns = [Thrower(LENS, pyramid(p, depth), **given) for p in pictures]
    return Cast([Target(mesh, takes, i) for i, (mesh, takes) in enumerate(stack)], lanterns)


ROOM = [(card(20), (1,)), (card(6, -1.0, 0.5, 0.5, 2.2), (0,)), (card(9, 0.2, 3, 1, 4), (1,))]


@pytest.mark.parametrize(("kind", "off"), [(np.uint8, 0), (np.uint16, 1), (np.float32, 4e-6)])
@pytest.mark.parametrize("channels", [3, 4])
def test_at_the_lens_every_plate_comes_back_with_all_that_it_has(kind, off, channels):
    plate = picture(kind, channels)
    room = ROOM if channels == 3 else ROOM[:1]  # what is half clear lands on what is behind it too
    frame = rendered(cast([(m, (0,)) for m, _ in room], [plate]), LENS)
    deep = kind == np.uint8 and channels == 4
    assert frame.dtype == (np.uint16 if deep else kind)
    wanted = plate.astype(np.float64) * (257 if deep else 1)
    white = 1.0 if kind == np.float32 else np.iinfo(frame.dtype).max
    alpha = wanted[..., 3] if channels == 4 else np.full(plate.shape[:2], white)
    assert np.abs(frame[..., 3] - alpha).max() <= max(off, 1e-5 * white)
    # what is next to clear carries next to no colour
    clear = (alpha / white)[..., None]
    assert (np.abs(frame[..., :3] - wanted[..., :3]) * clear).max() <= max(off, 2e-5 * white)


def test_each_proxy_shows_the_plate_that_it_takes():
    frame = rendered(cast(ROOM, [solid(250, 0, 0), solid(0, 0, 250)]), LENS)
    assert frame[80, 100].tolist() == [250, 0, 0, 255]  # the near card
    assert frame[10, 10].tolist() == [0, 0, 250, 255]
    assert ((frame[..., 0] == 250) ^ (frame[..., 2] == 250) | (frame[..., 3] < 255)).mean() > 0.97


def test_a_plates_clear_parts_show_the_lantern_beneath_without_a_fringe():
    """A soft edge over another plate is what compositing over says, to rounding, also where the
    picture is turned and made smaller; what is clear is white, and none of it shows."""
    over = np.zeros((HEIGHT, WIDTH, 4), np.uint8)
    over[..., :3] = 255
    share = np.clip((np.arange(WIDTH) - 100) / 40, 0, 1)
    over[..., 3] = np.round(share * 255)
    over[over[..., 3] > 0, :3] = (40, 200, 80)
    beneath = solid(40, 200, 80)
    frame = rendered(cast([(card(10), (0, 1))], [over, beneath]), LENS)
    assert np.abs(in_eight_bit(frame)[..., :3].astype(int) - [40, 200, 80]).max() <= 1
    back = replace(LENS, position=LENS.position + [0.3, 0.2, 15.0])
    frame = in_eight_bit(rendered(cast([(card(10), (0, 1))], [over, beneath]), back))
    inside = frame[..., 3] == 255
    assert inside.mean() > 0.05
    assert np.abs(frame[inside][:, :3].astype(int) - [40, 200, 80]).max() <= 1


def test_through_what_is_clear_the_next_plate_shows_at_its_own_places():
    """Two plates full of detail: where the first is clear the frame is the second's own, also from
    elsewhere, where every pixel is looked up anew."""
    over = np.dstack([picture(), np.full((HEIGHT, WIDTH), 255, np.uint8)])
    over[:, 60:170, 3] = 0
    beneath = picture()
    frame = in_eight_bit(rendered(cast([(card(10), (0, 1))], [over, beneath]), LENS))
    assert np.array_equal(frame[:, 62:168, :3], beneath[:, 62:168])
    assert np.array_equal(frame[:, :58, :3], over[:, :58, :3])
    for step in ([0.4, 0.1, -2.0], [0.3, -0.2, 9.0]):
        shot = replace(LENS, position=LENS.position + step)
        both = in_eight_bit(rendered(cast([(card(10), (0, 1))], [over, beneath]), shot))
        alone = in_eight_bit(rendered(cast([(card(10), (0,))], [beneath]), shot))
        cover = rendered(cast([(card(10), (0,))], [over]), shot)[..., 3]
        clear = (cover == 0) & (alone[..., 3] == 255)
        assert clear.mean() > 0.05
        # footprints are worked out by runs here and by pixels there; of noise, so that it shows
        apart = np.abs(both[clear].astype(int) - alone[clear])
        assert apart.max() <= 24
        assert apart.mean() < 0.5


def test_strength_thins_a_lantern_out():
    there = rendered(cast([(card(10), (0,))], [solid(200, 100, 50)], strength=0.5), LENS)
    assert set(there[..., 3].ravel().tolist()) <= {127, 128}
    assert there[80, 100, :3].tolist() == [200, 100, 50]


def test_past_its_edge_a_plate_stops_holds_or_mirrors():
    plate = picture()
    wide = Camera.centred(3 * WIDTH, HEIGHT, 200.0, np.eye(3), LENS.position)
    frames = {
        edge: rendered(cast([(card(10), (0,))], [plate], edge=edge), wide)
        for edge in ("stop", "hold", "mirror")
    }
    for frame in frames.values():
        assert np.array_equal(frame[:, WIDTH : 2 * WIDTH, :3], plate)
    assert not frames["stop"][:, : WIDTH - 1, 3].any()
    held = frames["hold"]
    assert np.array_equal(held[:, 20], held[:, 200])
    assert np.abs(held[:, 20, :3].astype(int) - plate[:, 0]).max() < 20  # between two pixels
    flipped = frames["mirror"][:, :WIDTH, :3].astype(int)
    assert np.abs(flipped - plate[:, ::-1])[:, 2:-2].max() <= 1


MOVED = replace(LENS, position=LENS.position + [1.2, 0.3, -0.8])


def test_on_first_surfaces_only_nothing_near_is_printed_on_what_is_behind():
    """A red thing before a blue wall: through, its red lands on the wall; on first surfaces only it
    does not, and the next lantern shows there."""
    near = card(6, -1.0, 0.5, 0.5, 2.2)
    plate = solid(0, 0, 250)
    x0, y0 = LENS.project(np.array([[-1.0, 2.2, -6.0]]))[0][0]
    x1, y1 = LENS.project(np.array([[0.5, 0.5, -6.0]]))[0][0]
    plate[round(y0) : round(y1), round(x0) : round(x1)] = (250, 0, 0)
    stack = [(card(20), (0, 1)), (near, (0,))]
    clean = solid(0, 250, 0)
    through = rendered(cast(stack, [plate, clean]), MOVED)
    only = rendered(cast(stack, [plate, clean], through=False), MOVED)
    told = DiagnosedCast([Target(m, t, i) for i, (m, t) in enumerate(stack)],
                [Thrower(LENS), Thrower(LENS)], 960).from_(MOVED)  # fmt: skip
    spilled = (through[..., 0] > 200) & (told.owner == 0)
    assert spilled.mean() > 0.02
    assert (told.spill[spilled]).mean() > 0.97
    assert (only[spilled, 1] > 240).mean() > 0.93  # but for a pixel at its silhouette
    assert (only[..., 0] > 200).sum() == pytest.approx(
        (through[..., 0] > 200)[~spilled].sum(), 0.05
    )
    # at the lens nothing may shift
    at_lens = rendered(cast([(card(20), (0,)), (near, (0,))], [plate], through=False), LENS)
    assert np.array_equal(at_lens[..., :3], plate)
    assert (at_lens[..., 3] == 255).all()


def test_what_is_told_knows_which_lantern_lands_and_what_none_reaches():
    stack = [(card(20), (0, 1)), (card(6, -1.0, 0.5, 0.5, 2.2), (0,)), (card(12, 1.5, 3), ())]
    lanterns = [Thrower(LENS, through=False), Thrower(LENS)]
    told = DiagnosedCast([Target(m, t, i) for i, (m, t) in enumerate(stack)], lanterns, 960).from_(
        MOVED
    )
    behind = (told.owner == 0) & (told.lantern == 1)
    assert behind.any()
    assert not told.reveal[behind].any()  # the clean plate has it
    assert told.reveal[told.owner == 2].all()  # nothing is cast on it
    assert not told.spill[told.lantern == 1].any()  # what hides it is not on that lantern
    without = DiagnosedCast([Target(stack[0][0], (0,)), *(Target(m, t, i) for i, (m, t) in
                    enumerate(stack) if i)], lanterns, 960).from_(MOVED)  # fmt: skip
    assert np.array_equal(without.reveal, told.reveal | behind)


# in a scene


def pixels_of(scene, still):
    return lambda plate: still.pixels if plate.digest == scene.plate.digest else PAINTED[plate.name]


PAINTED: dict = {}


def painted(name, array, scene):
    PAINTED[name] = array
    return Plate(name=name, width=array.shape[1], height=array.shape[0], digest="0" * 64,
                 format="PNG", bits=8, alpha=array.shape[2] == 4)  # fmt: skip


def test_the_sheet_says_who_takes_what_and_stays_in_step(demo_scene):
    scene = apply(demo_scene, AddLantern(name="dusk"))
    dusk = scene.lanterns[1].id
    crate, quay = (next(p.id for p in scene.proxies if p.name == n) for n in ("crate 1", "quay"))
    assert [one.id for one in lanterns_of(scene, crate)] == ["lantern-0"]
    rows = (CastRow(proxy=crate, lanterns=(dusk, "lantern-0")), CastRow(proxy=quay, lanterns=()))
    scene = apply(scene, CastOn(rows=rows))
    assert [one.id for one in lanterns_of(scene, crate)] == [dusk, "lantern-0"]
    assert lanterns_of(scene, quay) == ()
    scene = apply(scene, CastOn(rows=(CastRow(proxy=crate, face=2, lanterns=(dusk,)),)))
    assert lanterns_of(scene, crate, 2)[0].id == dusk
    assert len(lanterns_of(scene, crate, 1)) == 2
    gone = apply(scene, DeleteLantern(lantern=dusk))
    assert [one.id for one in lanterns_of(gone, crate)] == ["lantern-0"]
    assert lanterns_of(gone, crate, 2) == ()
    assert all(row.proxy != crate for row in apply(scene, DeleteProxy(proxy=crate)).sheet.rows)
    with pytest.raises(Refusal, match="names a lantern twice"):
        apply(scene, CastOn(rows=(CastRow(proxy=crate, lanterns=(dusk, dusk)),)))
    with pytest.raises(Refusal, match="same name"):
        apply(scene, AlterLantern(lantern=dusk, to={"name": "still"}))


def test_a_face_takes_its_own_plate(demo_scene, still):
    scene = apply(demo_scene, AddLantern(name="red"))
    red = scene.lanterns[1]
    plate = painted("red", np.full((64, 96, 3), (255, 0, 0), np.uint8), scene)
    lanterns = (scene.lanterns[0], thrown_anew(red, plate, False))
    scene = scene.model_copy(update={"lanterns": lanterns})
    crate = next(p.id for p in scene.proxies if p.name == "crate 1")
    camera = required_camera(scene)
    shares = []
    for face in range(1, 7):
        cut = apply(scene, CastOn(rows=(CastRow(proxy=crate, face=face, lanterns=(red.id,)),)))
        made = Cast(targets(cut, camera), throwers(cut, camera, pixels_of(scene, still)))
        frame = rendered(made, camera.resized(480, 320)).astype(int)
        shares.append(float(((frame[..., 0] > 250) & (frame[..., 1] < 5)).mean()))
    assert 2 <= sum(s > 0.0005 for s in shares) <= 3  # no more of a crate are seen at once
    whole = apply(scene, CastOn(rows=(CastRow(proxy=crate, lanterns=(red.id,)),)))
    made = Cast(targets(whole, camera), throwers(whole, camera, pixels_of(scene, still)))
    frame = rendered(made, camera.resized(480, 320)).astype(int)
    assert ((frame[..., 0] > 250) & (frame[..., 1] < 5)).mean() == pytest.approx(
        sum(shares), abs=1e-3
    )


def test_a_crop_is_thrown_where_it_was_cut_and_a_mask_takes_away(demo_scene, still):
    """A window of the still as a plate of its own lands on the very same places."""
    camera = required_camera(demo_scene)
    scene = apply(demo_scene, AddLantern(name="crop"))
    crop = still.pixels[300:900, 400:1200]
    window = {"left": 400, "top": 300, "width": 800, "height": 600}
    scene = apply(scene, AlterLantern(lantern=scene.lanterns[1].id, to={"window": window}))
    one = thrown_anew(scene.lanterns[1], painted("crop", crop, scene), False)
    scene = scene.model_copy(update={"lanterns": (one,)})
    frame = rendered(
        Cast(targets(scene, camera), throwers(scene, camera, pixels_of(scene, still))), camera
    )
    there = frame[..., 3] == 255
    assert 0.15 < there.mean() < 0.21
    assert np.abs(frame[..., :3].astype(int) - still.pixels)[there].max() <= 1
    mask = np.zeros((600, 800, 3), np.uint8)
    mask[:, :400] = 255
    masked = one.model_copy(update={"mask": painted("mask", mask, scene)})
    scene = scene.model_copy(update={"lanterns": (masked,)})
    half = rendered(
        Cast(targets(scene, camera), throwers(scene, camera, pixels_of(scene, still))), camera
    )
    assert (half[..., 3] > 60000).mean() == pytest.approx(there.mean() / 2, rel=0.01)
    small = masked.model_copy(update={"mask": painted("small", mask[:50], scene)})
    with pytest.raises(Refusal, match="The mask of crop is 800 × 50"):
        throwers(scene.model_copy(update={"lanterns": (small,)}), camera, pixels_of(scene, still))


@pytest.mark.parametrize(("kind", "channels"), [(np.uint16, 3), (np.uint16, 4), (np.float32, 3)])
def test_a_flattened_plate_keeps_its_depth_and_its_soft_edges(kind, channels):
    """Flat grey under a soft alpha stays that grey, however the lens bends it."""
    white = 1.0 if kind == np.float32 else 65535
    plate = np.full((HEIGHT, WIDTH, channels), white * 0.3, kind)
    if channels == 4:
        y, x = np.mgrid[:HEIGHT, :WIDTH]
        cover = np.clip((70 - np.hypot(x - 120, y - 80)) / 20, 0, 1)
        plate[..., 3] = white * cover
        plate[cover == 0, :3] = white  # what is clear must not show
    by = Flattened(
        digest="a" * 64, width=WIDTH, height=HEIGHT, left=0.0, top=0.0,
        centre=(WIDTH / 2, HEIGHT / 2), focal_px=200.0, bend=Bend(k1=-0.15),
    )  # fmt: skip
    flat = flat_pixels(plate, by)
    assert flat.dtype == kind
    assert flat.shape[2] == 4
    seen = flat[..., 3] > 0.01 * white
    assert seen.mean() > 0.2
    assert np.abs(flat[seen][:, :3].astype(float) / white - 0.3).max() < 2e-3


@pytest.mark.parametrize("k1", [-0.15, 0.12])
def test_what_the_lens_did_not_see_is_clear_in_a_flattened_plate(k1):
    """A flat pixel is opaque just where it comes from inside the bent plate."""
    by = Flattened(
        digest="a" * 64, width=WIDTH, height=HEIGHT, left=0.0, top=0.0,
        centre=(WIDTH / 2, HEIGHT / 2), focal_px=200.0, bend=Bend(k1=k1),
    )  # fmt: skip
    left, top, wide, tall = flat_frame(WIDTH, HEIGHT, by.centre, by.focal_px, k1, 0.0)
    by = by.model_copy(update={"left": left, "top": top})
    flat = flat_pixels(np.full((HEIGHT, WIDTH, 3), 90, np.uint8), by)
    assert flat.shape == (tall, wide, 4)
    at = np.stack(np.meshgrid(np.arange(wide) + 0.5, np.arange(tall) + 0.5), axis=-1)
    from_ = Mapping(by).bent(at.reshape(-1, 2)).reshape(at.shape)
    inside = ((from_ >= 0.6) & (from_ <= [WIDTH - 0.6, HEIGHT - 0.6])).all(axis=-1)
    outside = ((from_ < -0.6) | (from_ > [WIDTH + 0.6, HEIGHT + 0.6])).any(axis=-1)
    assert outside.mean() > 0.01
    assert (flat[inside, 3] == 255).all()
    assert (flat[outside, 3] == 0).all()
    assert (flat[inside, :3] == 90).all()


def test_the_rim_of_what_is_clear_is_no_edge_of_the_world():
    picture = np.full((600, 900, 3), 120, np.uint8)
    picture[200:400, 300:600] = 210
    clear = np.zeros((600, 900), bool)
    clear[:, :60] = True
    picture[clear] = 0
    with_rim, without = Look(picture).found, Look(picture, clear=clear).found
    assert (np.abs(with_rim.ends[:, [0, 2]] - 60) < 3).all(axis=1).any()
    assert not (np.abs(without.ends[:, [0, 2]] - 60) < 3).all(axis=1).any()
    assert len(without.ends) == 4
