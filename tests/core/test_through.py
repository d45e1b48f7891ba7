"""What is seen through clear parts of pictures, against a compositor that follows every ray."""

from dataclasses import dataclass, replace

import numpy as np
import pytest

from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.mesh import Mesh, mesh_of
from jade_lantern.core.render.diagnose import DiagnosedCast
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.pyramid import pyramid

WIDTH, HEIGHT = 240, 160
LENS = Camera.centred(WIDTH, HEIGHT, 200.0, rotation_of(2, 1, 4), np.array([0.0, 1.6, 0.0]))
MOVED = replace(LENS, position=LENS.position + [0.7, -0.2, -0.6], rotation=rotation_of(1, 0, 9))
KINDS = [(np.uint8, 1 / 255), (np.uint16, 1 / 255), (np.float32, 1e-4)]


@dataclass
class Sheet:
    """A flat quadrilateral, (4, 3) corners in order, with a picture thrown from the lens."""

    corners: np.ndarray
    picture: np.ndarray

    @property
    def mesh(self) -> Mesh:
        return mesh_of(self.corners, [(0, 1, 2, 3)])


def sheet(distance, picture, at=(0.0, 0.0), half=(60.0, 60.0), turn=(0.0, 0.0)):
    """One before the lens. at, half: its middle and half its extent, m. turn: radians about its
    two axes."""
    (a, b), (w, h), (p, q) = at, half, turn
    flat = np.array([[-w, -h, 0], [w, -h, 0], [w, h, 0], [-w, h, 0]])
    about_x = np.array([[1, 0, 0], [0, np.cos(p), -np.sin(p)], [0, np.sin(p), np.cos(p)]])
    about_y = np.array([[np.cos(q), 0, np.sin(q)], [0, 1, 0], [-np.sin(q), 0, np.cos(q)]])
    own = flat @ (about_y @ about_x).T + [a, b, -distance]
    return Sheet(LENS.position + own @ LENS.rotation, picture)


def grain(kind, seed, least=0.0):
    """Detail in every pixel, under an alpha from `least` to 1."""
    out = np.random.default_rng(seed).random((HEIGHT, WIDTH, 4))
    out[..., 3] = least + (1 - least) * out[..., 3]
    white = 1 if kind == np.float32 else np.iinfo(kind).max
    return (out * white + (0 if white == 1 else 0.5)).astype(kind)


def frame_of(sheets, shot=LENS, **given):
    depth = max((pyramid(s.picture).depth for s in sheets), key=("eight", "sixteen", "float").index)
    lanterns = [Thrower(LENS, pyramid(s.picture, depth), **given) for s in sheets]
    return rendered(Cast([Target(s.mesh, (i,), i) for i, s in enumerate(sheets)], lanterns), shot)


def unit(picture):
    return picture / (1.0 if picture.dtype == np.float32 else np.iinfo(picture.dtype).max)


def met(sheets, shot):
    """Where the rays through pixel centres meet each sheet: (S, H, W) depth, infinite where they do
    not, and (S, H, W, 3) the points."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH] + 0.5
    rays = np.stack([x, y, np.ones_like(x)], axis=-1) @ np.linalg.inv(shot.projection()).T
    depths, points = [], []
    for one in sheets:
        a, b, c, d = one.corners
        normal = np.cross(b - a, d - a)
        t = (a - shot.position) @ normal / (rays @ normal)
        at = shot.position + rays * t[..., None]
        sides = [np.cross(q - p, at - p) @ normal for p, q in ((a, b), (b, c), (c, d), (d, a))]
        depths.append(np.where((np.min(sides, axis=0) > 0) & (t > 0), t, np.inf))
        points.append(at)
    return np.array(depths), np.array(points)


def composited(depth, colours):
    """Every ray's surfaces, nearest first, one over the other. colours: (S, H, W, 4), alpha not
    multiplied in. Returns (H, W, 4) premultiplied."""
    order = np.argsort(depth, axis=0)
    out, left = np.zeros((HEIGHT, WIDTH, 4)), np.ones((HEIGHT, WIDTH, 1))
    for k in range(len(depth)):
        at = order[k][None]
        colour = np.take_along_axis(colours, at[..., None], axis=0)[0]
        there = np.isfinite(np.take_along_axis(depth, at, axis=0)[0])[..., None]
        alpha = np.where(there, colour[..., 3:], 0)
        out += left * np.concatenate([colour[..., :3] * alpha, alpha], axis=2)
        left = left * (1 - alpha)
    return out


def away_from_edges(depth):
    """(H, W) pixels whose neighbours meet the same sheets in the same order."""
    order = np.where(np.isfinite(np.sort(depth, axis=0)), np.argsort(depth, axis=0), -1)
    same = np.ones((HEIGHT, WIDTH), bool)
    for axis in (1, 2):
        for step in (-1, 1):
            same &= (np.roll(order, step, axis) == order).all(axis=0)
    return same


def premultiplied(frame):
    out = unit(frame)
    return np.concatenate([out[..., :3] * out[..., 3:], out[..., 3:]], axis=2)


STACKS = {
    "one behind the other": lambda kind: [
        sheet(12 - k, grain(kind, k), half=(6 - 0.5 * k, 5 - 0.6 * k)) for k in range(6)
    ],
    "through one another": lambda kind: [
        sheet(6, grain(kind, k), turn=(0.3 * k, 0.9 - 0.5 * k), half=(3, 3)) for k in range(4)
    ],
    "each over the next, in a ring": lambda kind: [
        sheet(6, grain(kind, k), at=at, half=half, turn=turn)
        for k, (at, half, turn) in enumerate([
            ((0, 0.9), (2, 0.4), (0, 0.25)), ((1.0, 0), (0.4, 2), (-0.25, 0)),
            ((0, -0.9), (2, 0.4), (0, -0.25)), ((-1.0, 0), (0.4, 2), (0.25, 0)),
        ])
    ],
}  # fmt: skip


@pytest.mark.parametrize(("kind", "off"), KINDS)
@pytest.mark.parametrize("stack", STACKS)
def test_a_stack_of_soft_sheets_is_what_a_compositor_makes_of_it(stack, kind, off):
    sheets = STACKS[stack](kind)
    depth, _ = met(sheets, LENS)
    wanted = composited(depth, np.array([unit(s.picture) for s in sheets]))
    got = premultiplied(frame_of(sheets))
    inner = away_from_edges(depth)
    assert inner.mean() > 0.7
    assert (np.isfinite(depth).sum(axis=0) >= 2)[inner].mean() > 0.03
    assert np.abs(got - wanted)[inner].max() <= off
    # where outlines and crossings pass, a pixel shows a share of what is on either side
    assert np.abs(got - wanted)[~inner].mean() < 0.08


@pytest.mark.parametrize(("kind", "off"), KINDS)
def test_from_elsewhere_too(kind, off):
    """One colour under an alpha that is linear in the plate, which bicubic lookups keep."""
    white = 1 if kind == np.float32 else np.iinfo(kind).max
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH] + 0.5
    alphas = [lambda u, v: 0.1 + 0.8 * u / WIDTH, lambda u, v: 0.9 - 0.7 * v / HEIGHT,
              lambda u, v: 0.3 + 0.2 * (u / WIDTH + v / HEIGHT)]  # fmt: skip
    colours = [(0.9, 0.2, 0.1), (0.1, 0.7, 0.3), (0.2, 0.3, 0.8)]
    sheets = []
    for k, (alpha, colour) in enumerate(zip(alphas, colours, strict=True)):
        picture = np.dstack([*(np.full_like(x, c) for c in colour), alpha(x, y)]) * white
        kept = (picture + (0 if white == 1 else 0.5)).astype(kind)
        sheets.append(sheet(5 + k, kept, half=(1.2, 0.9), turn=(0.1 * k, 0.2 - 0.2 * k)))
    depth, points = met(sheets, MOVED)
    seen = []
    for at, alpha, colour in zip(points, alphas, colours, strict=True):
        (u, v) = np.moveaxis(LENS.project(at.reshape(-1, 3))[0].reshape(HEIGHT, WIDTH, 2), -1, 0)
        seen.append(np.dstack([*(np.full_like(u, c) for c in colour), alpha(u, v)]))
    got = premultiplied(frame_of(sheets, MOVED))
    inner = away_from_edges(depth)
    assert (np.isfinite(depth).sum(axis=0) == 3)[inner].sum() > 500
    assert np.abs(got - composited(depth, np.array(seen)))[inner].max() <= 1.5 * off


def blotted(colour, clear):
    """A picture of one colour, white where it is clear."""
    out = np.full((HEIGHT, WIDTH, 4), (*colour, 255), np.uint8)
    out[clear] = (255, 255, 255, 0)
    return out


RIGHT = np.zeros((HEIGHT, WIDTH), bool)
RIGHT[:, WIDTH // 2 :] = True
RED, BLUE = (200, 30, 20), (20, 40, 180)


def test_behind_a_cut_out_there_is_no_rim():
    """Red cut out, white where it is clear, before blue: nothing but red, blue and what is between
    them, also where it is made smaller and larger."""
    sheets = [sheet(5, blotted(RED, RIGHT)), sheet(9, blotted(BLUE, ~RIGHT & RIGHT))]
    for step in (0.0, 3.0, -12.0):
        shot = replace(LENS, position=LENS.position + step * LENS.forward)
        frame = frame_of(sheets, shot)
        seen = frame[frame[..., 3] == 65535][:, :3] / 65535
        share = (seen[:, 0] - BLUE[0] / 255) / ((RED[0] - BLUE[0]) / 255)
        between = np.outer(share, np.array(RED) / 255) + np.outer(1 - share, np.array(BLUE) / 255)
        assert len(seen) > 1000
        assert np.abs(seen - between).max() < 2e-3
        assert -2e-3 < share.min() < 0.01
        assert 0.99 < share.max() < 1 + 2e-3


def test_a_hole_in_a_plate_and_a_hole_in_an_outline_show_the_same():
    """A card whose plate is clear beyond a line, and a card that ends at that line."""
    back = sheet(9, blotted(BLUE, ~RIGHT & RIGHT))
    cut = frame_of([sheet(5, blotted(RED, RIGHT), half=(2, 2)), back], MOVED)
    middle = LENS.cx, 5.0  # where the plate's line meets the card
    ends = sheet(5, blotted(RED, ~RIGHT & RIGHT), at=(-1.0, 0.0), half=(1, 2))
    edge = LENS.project((LENS.position + np.array([0, 0, -middle[1]]) @ LENS.rotation)[None])[0]
    assert edge[0, 0] == pytest.approx(middle[0], abs=0.5)
    outline = frame_of([ends, back], MOVED)
    apart = np.abs(unit(cut) - unit(outline)).max(axis=2) > 3 / 255
    assert apart.mean() < 3 / WIDTH
    assert (np.diff(np.nonzero(apart)[1]) <= WIDTH).all()


def test_bare_hides_and_clear_does_not():
    """Past its plate's edge a surface is bare; within it, where its picture is clear, it is not."""
    back = sheet(9, blotted(BLUE, ~RIGHT & RIGHT))
    wide = Camera.centred(3 * WIDTH, HEIGHT, 200.0, LENS.rotation, LENS.position)
    wall = Thrower(
        wide, pyramid(np.full((HEIGHT, 3 * WIDTH, 4), (*BLUE, 255), np.uint8), "sixteen")
    )
    card = Thrower(LENS, pyramid(blotted(RED, RIGHT)))
    cast = Cast([Target(sheet(5, back.picture).mesh, (0,)), Target(back.mesh, (1,))], [card, wall])
    frame = rendered(cast, wide)
    assert not frame[:, : WIDTH - 1, 3].any()  # bare: nothing shows, not even what is behind
    assert (frame[:, WIDTH + 1 : 3 * WIDTH // 2 - 3, 0] > 50000).all()
    assert (frame[:, 3 * WIDTH // 2 + 3 : 2 * WIDTH - 1, 2] > 45000).all()  # through
    assert not frame[:, 2 * WIDTH + 1 :, 3].any()


def test_what_is_clear_hides_nothing_from_a_lantern_that_lights_first_surfaces():
    """A lantern whose picture is clear on the right throws first on a card, then on a wall, both of
    which are clear there, so that a sheet behind both is seen."""
    plate = pyramid(blotted(RED, RIGHT), "sixteen")
    back = pyramid(blotted(BLUE, ~RIGHT & RIGHT), "sixteen")
    lanterns = [Thrower(LENS, plate, through=False), Thrower(LENS, back)]
    stack = [(4, (0,)), (6, (0,)), (9, (1,))]
    meshes = [sheet(far, back, half=(20, 20)).mesh for far, _ in stack]
    cast = Cast([Target(m, t) for m, (_, t) in zip(meshes, stack, strict=True)], lanterns)
    for shot in (LENS, MOVED):
        frame = rendered(cast, shot)
        blue = (frame[..., 2] > 45000) & (frame[..., 3] == 65535)
        assert 0.35 < blue.mean() < 0.65
    told = DiagnosedCast(
        cast.targets, [replace(lanterns[0], clear=1.0 - RIGHT), lanterns[1]], 960
    ).from_(MOVED)
    assert not told.reveal[blue].any()


@pytest.mark.parametrize("strength", [0.0, 0.3, 1.0])
def test_a_weak_lantern_is_seen_through(strength):
    near, far = (
        np.full((HEIGHT, WIDTH, 3), RED, np.uint8),
        np.full((HEIGHT, WIDTH, 3), BLUE, np.uint8),
    )
    lanterns = [Thrower(LENS, pyramid(near), strength=strength), Thrower(LENS, pyramid(far))]
    cast = Cast([Target(sheet(5, near).mesh, (0,)), Target(sheet(9, far).mesh, (1,))], lanterns)
    frame = rendered(cast, LENS)
    assert frame.dtype == np.uint8
    wanted = strength * np.array(RED) + (1 - strength) * np.array(BLUE)
    assert np.abs(frame[..., :3] - wanted).max() <= 1
    assert (frame[..., 3] == 255).all()


def test_two_soft_surfaces_in_one_plane_are_both_seen_the_later_first():
    soft = [grain(np.uint8, 1), grain(np.uint8, 2)]
    both = premultiplied(frame_of([sheet(6, soft[0], half=(3, 3)), sheet(6, soft[1], half=(3, 3))]))
    a, b = (premultiplied(frame_of([sheet(6, one, half=(3, 3))])) for one in soft)
    assert np.abs(both - (b + a * (1 - b[..., 3:]))).max() < 1e-4


def test_a_thousand_clear_cards_are_seen_through():
    """Each takes a two-hundredth away; the wall behind them shows with what is left."""
    thin = np.full((HEIGHT, WIDTH, 4), (*RED, 255), np.uint8)
    meshes = [sheet(5 + 0.01 * k, thin).mesh for k in range(1000)]
    wall = sheet(40, thin).mesh
    blue = pyramid(np.full((HEIGHT, WIDTH, 4), (*BLUE, 255), np.uint8))
    lanterns = [Thrower(LENS, pyramid(thin), strength=0.005), Thrower(LENS, blue)]
    cast = Cast([*(Target(m, (0,)) for m in meshes), Target(wall, (1,))], lanterns)
    frame = unit(rendered(cast, LENS.resized(60, 40)))
    left = 0.995**1000
    wanted = (1 - left) * np.array(RED) / 255 + left * np.array(BLUE) / 255
    assert np.abs(frame[..., :3] - wanted).max() < 1e-3
    assert frame[..., 3].min() == 1


def test_what_is_told_is_of_the_surface_that_fills_the_pixel_most():
    """A card that is red on the left and a third there on the right, before a wall beyond whose
    plate's edge nothing is cast; and nothing behind the wall's own end."""
    soft = np.where(RIGHT, 1 / 3, 1.0)
    card, wall = sheet(5, soft, half=(20, 20)), sheet(9, soft, half=(20, 20))
    lanterns = [Thrower(LENS, clear=soft), Thrower(LENS)]
    both = [Target(card.mesh, (0,), 0), Target(wall.mesh, (1,), 1)]
    shot = replace(LENS, position=LENS.position + 0.4 * LENS.forward)
    told = DiagnosedCast(both, lanterns, 960).from_(shot)
    middle = slice(WIDTH // 2 + 2, None)
    assert (told.owner[:, : WIDTH // 2 - 2] == 0).all()
    assert (told.owner[:, middle] == 1).all()
    assert (told.lantern[:, middle] == 1).all()
    near, far = told.stretch[HEIGHT // 2, 20], told.stretch[HEIGHT // 2, WIDTH - 20]
    assert near == pytest.approx(5 / 4.6, rel=1e-6)
    assert far == pytest.approx(9 / 8.6, rel=1e-6)
    assert not told.leak.any()
    bare = DiagnosedCast([both[0], replace(both[1], lanterns=())], lanterns, 960).from_(shot)
    assert bare.reveal[:, middle].all()
    assert not bare.reveal[:, : WIDTH // 2 - 2].any()
    alone = DiagnosedCast(both[:1], lanterns, 960).from_(shot)
    assert alone.leak[:, middle].all()  # most of what shows there is nothing
    assert (alone.owner[:, middle] == -1).all()
