"""The look against the formulas that say what it is."""

import numpy as np
import pytest
import scipy

from jade_lantern.core.dress.grade import GREY_OF_PICTURE, LUMA, graded
from jade_lantern.core.dress.spaces import linear_of, picture_of
from jade_lantern.core.dress.table import read_table, through_table
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.dressing import Look

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
