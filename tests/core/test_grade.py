"""The look against the formulas that say what it is."""

import cv2
import numpy as np
import pytest
import scipy

from jade_lantern.core.deliver.frames import films
from jade_lantern.core.deliver.preview import Preview
from jade_lantern.core.dress.grade import GREY_OF_PICTURE, LUMA, graded, toned
from jade_lantern.core.dress.guests import no_files
from jade_lantern.core.dress.spaces import linear_of, picture_of
from jade_lantern.core.dress.table import read_table, through_table
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.picture import read_still
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.dressing import Haze, Look, Sun
from jade_lantern.core.scene.edits import (
    AddGuest,
    AddLight,
    DeleteGuest,
    SetHaze,
    SetLock,
    SetLook,
    SetTrack,
    apply,
)
from jade_lantern.core.scene.guests import WordsGuest
from jade_lantern.core.track import TrackKey

BEND = ((0.0, 0.05), (0.3, 0.2), (0.7, 0.85), (1.0, 1.0))


def frame_of(kind, seed=1):
    colours = np.random.default_rng(seed).random((40, 50, 4))
    colours[..., 3] = 1
    if kind == np.float32:
        return colours.astype(np.float32)
    return (colours * np.iinfo(kind).max + 0.5).astype(kind)


def test_no_look_and_a_plain_one_give_back_the_very_frame():
    frame = frame_of(np.uint8)
    assert graded(frame, None) is frame
    assert graded(frame, Look()) is frame
    assert graded(frame, Look(on=False, exposure=3)) is frame


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
def test_a_curve_is_the_monotone_cubic_through_its_points(kind):
    frame = frame_of(kind)
    white = 1 if kind == np.float32 else np.iinfo(kind).max
    out = graded(frame, Look(every=BEND, red=((0.0, 1.0), (1.0, 0.0))))
    x, y = np.array(BEND).T
    curve = scipy.interpolate.PchipInterpolator(x, y)(frame[..., :3].astype(float) / white)
    curve[..., 0] = 1 - curve[..., 0]
    assert np.abs(out[..., :3] / white - curve).max() <= 0.5 / white + 1e-5
    assert np.array_equal(out[..., 3], frame[..., 3])


def test_exposure_is_in_linear_light_and_contrast_about_middle_grey():
    frame = frame_of(np.float32)
    brighter = graded(frame, Look(exposure=0.7))
    assert linear_of(brighter[..., :3]) == pytest.approx(
        linear_of(frame[..., :3]) * 2**0.7, abs=2e-5
    )
    flat = graded(frame, Look(contrast=0.0))
    assert flat[..., :3] == pytest.approx(np.full((40, 50, 3), GREY_OF_PICTURE), abs=1e-6)
    linear = graded(frame, Look(contrast=1.3, space="linear"))
    expected = picture_of(((linear_of(frame[..., :3]) - 0.18) * 1.3 + 0.18).clip(0))
    assert linear[..., :3] == pytest.approx(expected, abs=1e-4)


def test_the_spaces_are_each_others_inverse_and_srgbs_own_curve():
    values = np.linspace(0, 1, 1001, dtype=np.float32)
    assert picture_of(linear_of(values)) == pytest.approx(values, abs=1e-5)
    low = values <= 0.04045
    expected = np.where(low, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)
    assert linear_of(values) == pytest.approx(expected, abs=1e-5)


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
def test_saturation_keeps_brightness(kind):
    frame = frame_of(kind)
    white = 1 if kind == np.float32 else np.iinfo(kind).max
    luma = frame[..., :3].astype(float) @ LUMA
    grey = graded(frame, Look(saturation=0.0))
    assert np.abs(grey[..., :3] - luma[..., None]).max() <= 0.5 + 2e-5 * white
    half = graded(frame, Look(saturation=0.5))
    assert np.abs(half[..., :3].astype(float) @ LUMA - luma).max() <= 0.5 + 2e-5 * white


def test_light_brighter_than_white_goes_on_past_the_curves_end():
    bright = np.array([[[2.0, 1.5, 1.0, 1.0]]], np.float32)
    out = graded(bright, Look(every=((0.0, 0.0), (1.0, 0.5))))
    assert out[0, 0, :3] == pytest.approx([1.0, 0.75, 0.5], abs=1e-4)


def test_sharpening_leaves_what_is_even_and_clear_pixels_count_for_nothing():
    frame = np.full((32, 32, 4), 0.4, np.float32)
    frame[:, 16:, :3] = 0.6
    frame[..., 3] = 1
    frame[:4] = 0
    out = graded(frame, Look(sharpen=1.0))
    assert out[10:, :8, 0] == pytest.approx(np.full((22, 8), 0.4), abs=1e-5)
    assert out[20, 15, 0] < 0.38
    assert out[20, 16, 0] > 0.62
    assert out[5, :8, 0] == pytest.approx(np.full(8, 0.4), abs=1e-5)


def test_grain_is_another_in_each_frame_and_the_same_in_one():
    frame = np.full((200, 200, 4), 0.5, np.float32)
    look = Look(grain=0.5)
    one, again, other = (graded(frame, look, n) for n in (7, 7, 8))
    assert np.array_equal(one, again)
    assert np.abs(one - other).mean() > 0.01
    assert one[..., 0].mean() == pytest.approx(0.5, abs=0.002)
    assert np.array_equal(one[..., 0], one[..., 2])
    black = np.zeros((8, 8, 4), np.float32)
    assert np.array_equal(graded(black, look, 3), black)


def cube(side=17, extra=""):
    """A table that turns colours round and bends them, red fastest, as a .cube file."""
    steps = np.linspace(0, 1, side)
    blue, green, red = np.meshgrid(steps, steps, steps, indexing="ij")
    out = np.stack([green**1.5, 0.2 + 0.7 * blue, 1 - red], axis=-1).reshape(-1, 3)
    rows = "\n".join(" ".join(f"{v:.7f}" for v in row) for row in out)
    return f'# made\nTITLE "turned"\nLUT_3D_SIZE {side}\n{extra}{rows}\n'.encode()


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
def test_a_table_takes_colours_where_it_says_straight_between_its_places(kind):
    data, digest = cube(), "f" * 64
    frame = np.random.default_rng(4).random((40, 60, 4))
    white = 1.0 if kind == np.float32 else np.iinfo(kind).max
    frame = (frame * white).astype(kind)
    seen = graded(frame, Look(table=digest), files={digest: data}.__getitem__)
    red, green, blue = np.moveaxis(frame[..., :3] / white, -1, 0)
    steps = np.linspace(0, 1, 17)
    bent = np.interp(green, steps, steps**1.5)  # straight between the places of the table
    expected = np.stack([bent, 0.2 + 0.7 * blue, 1 - red], axis=-1)
    assert np.abs(seen[..., :3] / white - expected).max() < (0.51 / white if white > 1 else 1e-6)
    assert np.array_equal(seen[..., 3], frame[..., 3])


def test_a_table_over_another_range_and_one_that_is_none():
    wide = read_table(cube(extra="DOMAIN_MIN -1 -1 -1\nDOMAIN_MAX 3 3 3\n"))
    assert (wide.low, wide.high) == ((-1.0,) * 3, (3.0,) * 3)
    there = through_table(np.full((1, 1, 3), 1.0, np.float32), cube(
        extra="DOMAIN_MIN -1 -1 -1\nDOMAIN_MAX 3 3 3\n"
    ))  # fmt: skip
    assert there[0, 0] == pytest.approx([0.5**1.5, 0.55, 0.5], abs=1e-4)
    for data in (b"", b"LUT_3D_SIZE 4\n0 0 0\n", cube()[:-40], b"\xff\xfe\0", cube(2) + b"1 2 3\n",
                 cube().replace(b"0.2000000", b"nan"), b"LUT_3D_SIZE 100000\n"):  # fmt: skip
        with pytest.raises(Refusal, match=r"no \.cube"):
            read_table(data)
    with pytest.raises(Refusal, match="one channel"):
        read_table(b"LUT_1D_SIZE 2\n0 0 0\n1 1 1\n")


# the look of layers


@pytest.fixture
def dressed_quay(demo_scene, still_file):
    """The quay with a sun, haze, words; and its still at a fifth of its size."""
    scene = apply(demo_scene, SetLock(locked=False))
    scene = apply(scene, AddLight(light=Sun(id="new-0", name="sun", turn_deg=-60)))
    scene = apply(scene, SetHaze(haze=Haze(density=0.03)))
    words = WordsGuest(id="new-0", name="title", text="Quay", height_m=1.4, x=-1.5, z=-4.0,
                       colour=(0.8, 0.6, 0.3))  # fmt: skip
    scene = apply(scene, AddGuest(guest=words))
    picture = np.ascontiguousarray(read_still(still_file.read_bytes()).pixels[::5, ::5])
    return scene, lambda plate: picture


def first(scene, pixels, planes=()):
    return next(films(scene, pixels, render_request(scene, 320, 0, 0), planes))


def test_a_look_of_what_is_thrown_is_on_pictures_before_light_and_not_on_guests(dressed_quay):
    scene, pixels = dressed_quay
    look = Look(exposure=0.5, contrast=1.3, saturation=0.2, of="thrown")
    plain = first(scene, pixels, ("id", "ungraded"))
    looked = first(apply(scene, SetLook(look=look)), pixels, ("id", "ungraded"))
    by_hand = first(scene, lambda plate: toned(pixels(plate), look, no_files))
    assert np.array_equal(looked.beauty, by_hand.beauty)
    assert np.array_equal(looked.ungraded, plain.beauty)
    guest = sum(not p.hidden for p in scene.proxies)
    mine = cv2.erode((plain.id == guest).astype(np.uint8), np.ones((3, 3))) > 0
    assert mine.sum() > 30
    assert np.array_equal(looked.beauty[mine], plain.beauty[mine])
    assert (looked.beauty[plain.id != guest] != plain.beauty[plain.id != guest]).any(
        axis=1
    ).mean() > 0.7
    frame = first(apply(scene, SetLook(look=look.model_copy(update={"of": "frame"}))), pixels)
    assert np.array_equal(frame.beauty, graded(plain.beauty, look))


def test_a_look_of_chosen_layers_is_on_those_and_goes_with_them(dressed_quay):
    scene, pixels = dressed_quay
    guest = scene.guests[0].id
    look = Look(contrast=0.3, of="only", only=(guest,))
    plain = first(scene, pixels, ("id",))
    looked = apply(scene, SetLook(look=look))
    made = first(looked, pixels).beauty
    mine = plain.id == sum(not p.hidden for p in scene.proxies)
    apart = cv2.dilate(mine.astype(np.uint8), np.ones((3, 3))) == 0
    assert np.array_equal(made[apart], plain.beauty[apart])
    assert (made[mine] != plain.beauty[mine]).any(axis=1).mean() > 0.9
    assert np.array_equal(Preview(looked, pixels).frame(looked, 0, 320)[apart],
                          Preview(scene, pixels).frame(scene, 0, 320)[apart])  # fmt: skip
    assert apply(looked, DeleteGuest(guest=guest)).look.only == ()
    with pytest.raises(Refusal, match="not there"):
        apply(scene, SetLook(look=look.model_copy(update={"only": ("guest-99",)})))


def test_a_keyed_look_of_layers_is_that_of_each_frame(dressed_quay):
    scene, pixels = dressed_quay
    scene = apply(scene, SetLook(look=Look(of="thrown")))
    keys = (TrackKey(frame=0, value=0.0), TrackKey(frame=10, value=1.0))
    scene = apply(scene, SetTrack(part="look-0", of="exposure", keys=keys))
    asked = render_request(scene, 320, 0, 10)
    last = [made.beauty for made in films(scene, pixels, asked)][-1]
    still = apply(scene, SetTrack(part="look-0", of="exposure", keys=()))
    still = apply(still, SetLook(look=Look(of="thrown", exposure=1.0)))
    other = next(films(still, pixels, render_request(still, 320, 10, 10))).beauty
    assert np.array_equal(last, other)
