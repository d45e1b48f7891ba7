"""The Lantern Quay: an invented river town at dusk, as surfaces in the world, and the camera
that the demo still was taken with. All of it is known exactly, so that the demo is also a test."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..core.arrays import Floats, Indices
from ..core.camera import Camera, focal_px_from_35mm, rotation_of

WIDTH, HEIGHT = 1920, 1280
FOCAL_35MM = 32.0
TILT_DEG, ROLL_DEG, YAW_DEG = 4.2, 0.9, 21.0
EYE_HEIGHT_M = 1.6

FACADE_X = 4.2
QUAY_EDGE_X = -1.3
WATER_Y = -1.0

# what a shape is and what it is painted with: these numbers are shared with paint.py
SHEET, TRIANGLE, CYLINDER, BALL = 0, 1, 2, 3
SLABS, FACADE, GABLE, ROOF, CRATE, POST, WATER, TIMBER, AWNING, LAMP, KERB, BARREL, SIGN = range(13)


@dataclass(frozen=True)
class Workshop:
    """One house of the row: from near to far along the quay, its height, and its own look."""

    near_z: float
    far_z: float
    height_m: float
    roof_m: float
    tone: int


WORKSHOPS = (
    Workshop(-1.0, -6.2, 5.2, 2.2, 0),
    Workshop(-6.2, -11.0, 6.4, 2.0, 1),
    Workshop(-11.0, -15.2, 4.6, 2.3, 2),
    Workshop(-15.2, -20.6, 5.9, 1.9, 3),
    Workshop(-20.6, -25.0, 4.9, 2.4, 4),
    Workshop(-25.0, -30.4, 6.6, 2.0, 0),
    Workshop(-30.4, -36.0, 5.0, 2.3, 2),
    Workshop(-36.0, -43.0, 6.0, 2.0, 1),
    Workshop(-43.0, -52.0, 5.2, 2.2, 3),
)
# middle of the foot x, z; width, depth, height
CRATES = (
    (2.75, -6.3, 0.95, 0.8, 0.85),
    (1.75, -8.1, 0.8, 0.8, 0.6),
    (3.3, -12.6, 1.0, 0.9, 0.9),
    (0.2, -14.0, 0.7, 0.7, 0.55),
)
STACKED = (2.8, -6.32, 0.55, 0.5, 0.45, 0.85)
# foot x, z; radius, height
BARREL_AT = (3.45, -9.1, 0.33, 0.92)
POSTS = tuple((-0.85, z, 0.13, 0.78) for z in (-6.4, -10.6, -15.4, -21.0, -28.0, -37.0))
LAMPS = tuple((FACADE_X - 0.62, 2.75, (w.near_z + w.far_z) / 2 + 0.9) for w in WORKSHOPS)


@dataclass
class Shapes:
    """Surfaces as rows: kind, corner, two spans (or axis and radius), paint, owner and seed."""

    kind: list[int] = field(default_factory=list)
    corner: list[Floats] = field(default_factory=list)
    span: list[Floats] = field(default_factory=list)
    rise: list[Floats] = field(default_factory=list)
    paint: list[int] = field(default_factory=list)
    owner: list[int] = field(default_factory=list)
    seed: list[int] = field(default_factory=list)
    names: list[str] = field(default_factory=list)

    def named(self, name: str) -> int:
        self.names.append(name)
        return len(self.names) - 1

    def add(
        self, kind: int, a: object, b: object, c: object, paint: int, owner: int, seed: int = 0
    ) -> None:
        self.kind.append(kind)
        self.corner.append(np.asarray(a, float))
        self.span.append(np.asarray(b, float))
        self.rise.append(np.asarray(c, float))
        self.paint.append(paint)
        self.owner.append(owner)
        self.seed.append(seed)

    def box(
        self,
        x: float,
        y: float,
        z: float,
        w: float,
        h: float,
        d: float,
        paint: int,
        owner: int,
        seed: int = 0,
    ) -> None:
        """An upright box on the middle of its foot."""
        x0, z0 = x - w / 2, z + d / 2
        X, Y, Z = np.array([w, 0, 0]), np.array([0, h, 0]), np.array([0, 0, -d])
        near, far = np.array([x0, y, z0]), np.array([x0, y, z0 - d])
        self.add(SHEET, near, X, Y, paint, owner, seed)
        self.add(SHEET, far, X, Y, paint, owner, seed + 1)
        self.add(SHEET, far, -Z, Y, paint, owner, seed + 2)
        self.add(SHEET, near + X, Z, Y, paint, owner, seed + 3)
        self.add(SHEET, near + Y, X, Z, paint, owner, seed + 4)

    def arrays(self) -> tuple[Indices, Floats, Floats, Floats, Indices, Indices, Indices]:
        return (
            np.array(self.kind, np.int64),
            np.array(self.corner),
            np.array(self.span),
            np.array(self.rise),
            np.array(self.paint, np.int64),
            np.array(self.owner, np.int64),
            np.array(self.seed, np.int64),
        )


def lens(width: int = WIDTH, height: int = HEIGHT) -> Camera:
    """The camera that took the demo still, exactly. Its foot is the world's zero."""
    return Camera.centred(
        width,
        height,
        focal_px_from_35mm(FOCAL_35MM, width, height),
        rotation_of(TILT_DEG, ROLL_DEG, YAW_DEG),
        np.array([0.0, EYE_HEIGHT_M, 0.0]),
    )


def quay() -> Shapes:
    """Every surface of the Lantern Quay, metres, the camera's foot at zero."""
    s = Shapes()
    floor = s.named("quay")
    s.add(SHEET, (QUAY_EDGE_X + 0.45, 0, 3), (14, 0, 0), (0, 0, -400), SLABS, floor)
    s.add(SHEET, (QUAY_EDGE_X, 0, 3), (0.45, 0, 0), (0, 0, -400), KERB, floor)
    s.add(SHEET, (QUAY_EDGE_X, WATER_Y, 3), (0, 1.0, 0), (0, 0, -400), KERB, s.named("quay side"))
    s.add(
        SHEET, (-400, WATER_Y, 3), (400 + QUAY_EDGE_X, 0, 0), (0, 0, -400), WATER, s.named("water")
    )
    for i, w in enumerate(WORKSHOPS):
        _workshop(s, i, w)
    for i, (x, z, wide, deep, high) in enumerate(CRATES):
        s.box(x, 0, z, wide, high, deep, CRATE, s.named(f"crate {i + 1}"), 10 * i)
    x, z, wide, deep, high, y = STACKED
    s.box(x, y, z, wide, high, deep, CRATE, s.named("crate on top"), 90)
    x, z, radius, high = BARREL_AT
    s.add(CYLINDER, (x, 0, z), (radius, 0, 0), (0, high, 0), BARREL, s.named("barrel"))
    for i, (x, z, radius, high) in enumerate(POSTS):
        s.add(CYLINDER, (x, 0, z), (radius, 0, 0), (0, high, 0), POST, s.named(f"post {i + 1}"), i)
    _lamps(s)
    _footbridge(s)
    return s


def _workshop(s: Shapes, i: int, w: Workshop) -> None:
    depth = w.near_z - w.far_z
    back = 6.0
    ridge = back / 2
    near = np.array([FACADE_X, 0, w.near_z])
    along, up = np.array([0, 0, -depth]), np.array([0, w.height_m, 0])
    seed = 16 * i + w.tone
    s.add(SHEET, near, along, up, FACADE, s.named(f"workshop {i + 1}"), seed)
    side = s.named(f"gable {i + 1}")
    for z in (w.near_z, w.far_z):
        foot = np.array([FACADE_X, 0, z])
        s.add(SHEET, foot, (back, 0, 0), up, GABLE, side, seed)
        eave = foot + up
        s.add(TRIANGLE, eave, (ridge, w.roof_m, 0), (back, 0, 0), GABLE, side, seed)
    roof = s.named(f"roof {i + 1}")
    eave = near + up + [-0.35, -0.35 * w.roof_m / ridge, 0.12]
    s.add(
        SHEET,
        eave,
        along - [0, 0, 0.24],
        (ridge + 0.35, w.roof_m * (1 + 0.35 / ridge), 0),
        ROOF,
        roof,
        seed,
    )
    if i % 2 == 0:
        z = w.near_z - 0.52 * depth
        s.add(
            SHEET, (FACADE_X, 2.72, z + 1.25), (0, 0, -2.5), (-0.95, -0.5, 0), AWNING,
            s.named(f"awning {i + 1}"), i,
        )  # fmt: skip
    z = w.near_z - 0.2 * depth
    s.add(SHEET, (FACADE_X, 2.95, z), (-0.75, 0, 0), (0, 0.5, 0), SIGN, s.named(f"sign {i + 1}"), i)


def _lamps(s: Shapes) -> None:
    for i, (x, y, z) in enumerate(LAMPS):
        lamp = s.named(f"lantern {i + 1}")
        s.add(BALL, (x, y, z), (0.17, 0, 0), (0, 0, 0), LAMP, lamp, i)
        s.box(x, y + 0.15, z, 0.16, 0.07, 0.16, TIMBER, lamp)
        s.box((x + FACADE_X) / 2, y + 0.3, z, FACADE_X - x + 0.1, 0.05, 0.05, TIMBER, lamp)
        s.box(x, y + 0.2, z, 0.025, 0.12, 0.025, TIMBER, lamp)


def _footbridge(s: Shapes) -> None:
    """An arched bridge of eight straight lengths, with posts and a rail, on two piers."""
    bridge = s.named("footbridge")
    z0, wide, x0, x1, n = -33.0, 1.8, QUAY_EDGE_X - 0.2, -13.0, 10
    xs = np.linspace(x0, x1, n + 1)
    t = (xs - x0) / (x1 - x0)
    ys = 0.05 + 4 * 1.5 * t * (1 - t)
    for k in range(n):
        a, b = np.array([xs[k], ys[k], 0]), np.array([xs[k + 1], ys[k + 1], 0])
        span = b - a
        for z in (z0, z0 - wide):
            s.add(SHEET, a + [0, -0.32, z], span, (0, 0.32, 0), TIMBER, bridge, k)
            s.add(SHEET, a + [0, 0.86, z], span, (0, 0.09, 0), TIMBER, bridge, k)
            s.add(SHEET, a + [0, 0.46, z], span, (0, 0.05, 0), TIMBER, bridge, k)
            s.box(xs[k], ys[k], z, 0.1, 1.0, 0.1, TIMBER, bridge, k)
        s.add(SHEET, a + [0, 0, z0], span, (0, 0, -wide), TIMBER, bridge, k)
    for k in (3, 7):
        for z in (z0, z0 - wide):
            s.box(xs[k], WATER_Y - 0.5, z, 0.28, ys[k] + 1.3, 0.28, TIMBER, bridge, k)
