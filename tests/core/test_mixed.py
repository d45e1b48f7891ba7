"""Things with a picture of their own that are mixed with what is behind them, and their shadows,
against a compositor that follows every ray."""

import numpy as np
import pytest

from jade_lantern.core.picture import composite
from jade_lantern.core.render.film import film
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.lights import Dress, Haze, Light
from jade_lantern.core.render.pyramid import pyramid
from tests.core.test_light import FLOOR, in_box_way
from tests.core.test_light import LENS as EYE
from tests.core.test_through import LENS, MOVED, away_from_edges, met, sheet

MIX = {"over": composite.over, "lighten": composite.lighten, "sum": composite.summed}


def plain(colour, kind=np.float32):
    whole = np.array(colour, float)[None, None]
    white = 1.0 if kind == np.float32 else np.iinfo(kind).max
    return (whole * white + (0.5 if white > 1 else 0)).astype(kind)


def stack(seed, count, kind=np.float32):
    """Sheets of one colour and one alpha each, one behind the other, each mixed in some way."""
    rng = np.random.default_rng(seed)
    sheets, mixings = [], []
    for k in range(count):
        colour = rng.uniform(0.05, 0.95, 4)
        half, at, turn = (rng.uniform(a, b, 2) for a, b in ((0.7, 2.5), (-0.6, 0.6), (-0.2, 0.2)))
        sheets.append(sheet(3 + 0.8 * k, plain(colour, kind), half=half, at=at, turn=turn))
        mixings.append(str(rng.choice(list(MIX))))
    return sheets, mixings


def cast_of(sheets, mixings, depth=None):
    throwers = [Thrower.laid_on(pyramid(s.picture, depth), mixing=m)
                for s, m in zip(sheets, mixings, strict=True)]  # fmt: skip
    laid = np.full((2, 3, 2), 0.5)
    return Cast([Target(s.mesh, (i,), i, laid=laid) for i, s in enumerate(sheets)], throwers)


def by_hand(sheets, mixings, shot):
    """(H, W, 4) premultiplied, the farthest laid first."""
    depth, _ = met(sheets, shot)
    order = np.argsort(-depth, axis=0)
    out = np.zeros((*depth.shape[1:], 4))
    white = 1.0 if sheets[0].picture.dtype == np.float32 else np.iinfo(sheets[0].picture.dtype).max
    for rank in order:
        for i, (one, mixing) in enumerate(zip(sheets, mixings, strict=True)):
            here = (rank == i) & np.isfinite(depth[i])
            colour = one.picture[0, 0] / white
            layer = np.append(colour[:3] * colour[3], colour[3])
            out[here] = MIX[mixing](np.broadcast_to(layer, out[here].shape), out[here])
    return out, depth


@pytest.mark.parametrize("shot", [LENS, MOVED], ids=["at the lens", "from elsewhere"])
@pytest.mark.parametrize(("kind", "most"), [(np.float32, 1e-4), (np.uint16, 1 / 255)])
@pytest.mark.parametrize("seed", range(4))
def test_cards_are_mixed_as_layers_are_whatever_their_order(shot, kind, most, seed):
    sheets, mixings = stack(seed, 6, kind)
    expected, depth = by_hand(sheets, mixings, shot)
    frame = rendered(cast_of(sheets, mixings), shot)
    white = 1.0 if kind == np.float32 else 65535.0
    alpha = frame[..., 3:] / white
    seen = np.concatenate([frame[..., :3] / white * alpha, alpha], axis=2)
    inside = away_from_edges(depth)
    inside[[0, -1]] = inside[:, [0, -1]] = False  # edges are told by what lies on both sides
    assert len(set(mixings)) > 1
    assert inside.mean() > 0.4
    off = np.abs(seen - expected)[inside]
    # light that is added past white cannot be kept in whole numbers
    if kind != np.float32:
        off = off[(expected[inside][:, :3] <= expected[inside][:, 3:]).all(axis=1)]
    assert off.max() < most


@pytest.mark.parametrize("seed", [1, 5])
def test_edges_of_mixed_cards_are_covered_by_their_share(seed):
    """A frame sixteen times as fine, made smaller, is what its samples say."""
    sheets, mixings = stack(seed, 4)
    frame = film(cast_of(sheets, mixings), MOVED).beauty
    fine = MOVED.resized(MOVED.width * 8, MOVED.height * 8)
    large, _ = by_hand_of(sheets, mixings, fine)
    small = large.reshape(MOVED.height, 8, MOVED.width, 8, 4).mean(axis=(1, 3))
    alpha = frame[..., 3:]
    seen = np.concatenate([frame[..., :3] * alpha, alpha], axis=2)
    assert np.abs(seen - small).mean() < 2e-3
    assert np.quantile(np.abs(seen - small).max(axis=2), 0.999) < 0.1


def by_hand_of(sheets, mixings, shot):
    from tests.core import test_through

    size = test_through.WIDTH, test_through.HEIGHT
    test_through.WIDTH, test_through.HEIGHT = shot.width, shot.height
    try:
        return by_hand(sheets, mixings, shot)
    finally:
        test_through.WIDTH, test_through.HEIGHT = size


@pytest.mark.parametrize("seed", range(3))
def test_layers_of_what_is_mixed_add_up_to_the_picture(seed):
    sheets, mixings = stack(seed, 5)
    haze = Dress(haze=Haze((0.5, 0.6, 0.7), 0.1))
    seen = film(cast_of(sheets, mixings), MOVED, ("lanterns", "haze"), dress=haze)
    whole = seen.beauty[..., :3] * seen.beauty[..., 3:]
    assert np.abs(seen.lanterns[..., :3].sum(axis=0) + seen.haze[..., :3] - whole).max() < 1e-5


def test_more_layers_than_are_kept_lie_over_one_another():
    """No frame is broken by a swarm of sparks: the nearest are added, the rest lie over."""
    sheets = [sheet(3 + 0.1 * k, plain((0.1, 0.1, 0.1, 0.5))) for k in range(12)]
    frame = film(cast_of(sheets, ["sum"] * 12), LENS).beauty
    assert np.isfinite(frame).all()
    middle = frame[80, 120]
    assert middle[3] == pytest.approx(1 - 0.5**12, abs=1e-3)
    assert middle[0] > 0.05 * 8


def test_haze_dims_what_is_only_light_and_does_not_show_by_it():
    spark = sheet(4, plain((1.0, 0.5, 0.25, 1.0)))
    haze = Dress(haze=Haze((0.2, 0.9, 0.9), 0.25))
    seen = film(cast_of([spark], ["sum"]), LENS, ("depth",), dress=haze).beauty
    y, x = np.mgrid[0:160, 0:240] + 0.5
    rays = np.stack([x - 120, y - 80, np.full_like(x, 200.0)], axis=-1)
    far = 4 * np.linalg.norm(rays, axis=2) / 200.0
    expected = np.exp(-0.25 * far)[..., None] * [1.0, 0.5, 0.25]
    assert np.abs(seen[..., :3] - expected).max() < 1e-4


def lit_floor(picture, casters=None, mixing="over", unseen=None):
    """A white floor under a card that lies level above it, in the light of a sun."""
    corners = np.array([[-1.0, 1, -1], [1, 1, -1], [1, 1, -3], [-1, 1, -3]])
    card = sheet(1, picture)
    card.corners = corners
    high, wide = picture.shape[:2]
    laid = np.array([[0, high], [wide, high], [wide, 0], [0, 0]], float)[card.mesh.triangles]
    white = Thrower(EYE, pyramid(np.ones((8, 8, 3), np.float32)), "hold")
    thrown = [white, Thrower.laid_on(pyramid(picture), mixing=mixing)]
    targets = [Target(FLOOR), Target(card.mesh, (1,), 1, laid=laid)]
    light = Light("sun", (1.0, 1.0, 1.0), (0.0, 1.0, 0.0), does="replaces",
                  casters=None if casters is None else frozenset(casters))  # fmt: skip
    dress = Dress((light,), unseen=unseen or {})
    return film(Cast(targets, thrown), EYE, ("light", "id", "position"), dress=dress)


def test_the_shadow_of_a_card_is_that_of_its_picture():
    picture = np.ones((200, 200, 4), np.float32)
    picture[:, :100, 3] = 0.0  # its left half is clear
    picture[:60, 100:, 3] = 0.3  # and of its right one the far part lets most through
    seen = lit_floor(picture)
    floor = seen.id == 0
    x, _, z = np.moveaxis(seen.position, -1, 0)
    dark = (x > 0) & (x < 1) & (z < -1) & (z > -3 + 0.3 * 2)
    near = np.zeros_like(floor)
    for edge, across in ((0, x), (1, x), (-1, z), (-2.4, z)):
        near |= np.abs(across - edge) < 0.04
    sure = floor & ~near
    assert (sure & dark).sum() > 500
    assert seen.light[sure & dark].max() < 1e-3
    assert seen.light[sure & ~dark].min() > 0.999


def test_what_is_only_light_casts_no_shadow_and_what_is_unseen_can():
    solid = np.ones((4, 4, 4), np.float32)
    solid[..., 3] = 0.999
    for mixing in ("sum", "lighten"):
        seen = lit_floor(solid, mixing=mixing)
        assert seen.light[seen.id == 0].min() > 0.999
    from tests.core.test_light import box

    low, high = np.array([-0.4, 0.2, -1.6]), np.array([0.4, 0.6, -0.8])
    seen = lit_floor(solid, casters=[7], unseen={7: box(low, high)})
    floor = seen.id == 0
    hidden = in_box_way(seen.position + [0, 1e-6, 0], np.array([1e-9, 1.0, 1e-9]), low, high)
    edge = np.abs(np.diff(hidden, axis=1, append=0)) + np.abs(np.diff(hidden, axis=0, append=0))
    sure = floor & (edge == 0) & (np.roll(edge, 1, 0) == 0) & (np.roll(edge, 1, 1) == 0)
    assert (sure & hidden).sum() > 300
    assert seen.light[sure & hidden].max() < 1e-3
    assert seen.light[sure & ~hidden].min() > 0.999
    assert set(np.unique(seen.id)) == {-1, 0, 1}  # and it is not in the frame
