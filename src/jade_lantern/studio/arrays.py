"""Meshes and other arrays as bytes, under their digest.

An answer names an array by its digest. Small ones that belong to what has changed travel with the
answer; large ones are fetched, once, for what a digest names never changes. All of them can be
worked out again, so only the last ones are kept.
"""

from __future__ import annotations

import base64
import hashlib
from typing import Any

import numpy as np
from ninja import Schema
from numpy.typing import NDArray

from ..core.arrays import Floats
from ..core.cache import Cache, cached
from ..core.mesh import Mesh

MOST_BYTES = 64 << 20
MOST_PACKED_BYTES = 24 << 20  # of meshes on their way there
SMALL_BYTES = 16 << 10


class MeshArrays(Schema):
    """A mesh: points (x, y, z as 32 bit floats), triangles and wire (3 and 2 32 bit whole numbers
    each), one after another, little-endian. The three are counts. rest: behind them, of each point,
    its weight and where it was when it was glazed, times the weight (4 32 bit floats). bent: behind
    that, of each point, its normal where the surface is to be lit as if it were round, else zeros
    (3 32 bit floats)."""

    digest: str
    points: int
    triangles: int
    wire: int
    rest: bool
    bent: bool


class ShotArrays(Schema):
    """The shot camera at frames of its own, in their order, the first and last among them; 64 bit
    floats, little-endian: frame (1), position (3), rotation rows world to camera (9) and focal
    length in pixels (1) of each. frames: how many the shot has."""

    digest: str
    frames: int


class TimeArrays(Schema):
    """What changes over the frames of a shot, 64 bit floats, little-endian, one row a frame: the
    frame of each of some proxies (12 numbers, as `ProxyShape` has it), the strength of each of some
    lanterns, the number of the picture that each of some lanterns throws, where each of some
    lanterns is thrown from (13: its place, its axes by rows, its focal length in pixels of its
    plate), the place and energy of each of some lights (6), the density of the haze where that
    changes (1), the exposure, contrast and saturation of the look where one of them does (3), and
    of each of some pieces of guests its frame (12), its strength and the number of its picture."""

    digest: str
    frames: int
    proxies: list[str]
    strengths: list[str]
    pictures: list[str]
    cameras: list[str]
    lights: list[str]
    haze: bool
    look: bool
    stands: list[str]


_kept: Cache[str, bytes] = Cache(MOST_BYTES)


def keep(data: bytes) -> str:
    """Keep bytes for whoever asks for them next; their digest."""
    digest = hashlib.sha256(data).hexdigest()
    if _kept.get(digest) is None:
        _kept.put(digest, data)
    return digest


def kept(digest: str) -> bytes | None:
    return _kept.get(digest)


def carried(digests: set[str]) -> dict[str, str]:
    """The small ones among some arrays, in base64, by digest."""
    found = {d: kept(d) for d in digests}
    return {
        d: base64.b64encode(data).decode()
        for d, data in found.items()
        if data is not None and len(data) <= SMALL_BYTES
    }


def of_mesh(mesh: Mesh, rest: Floats | None = None) -> MeshArrays:
    """rest: (N, 4) of each point of a glazed mesh, as `places_at_rest` has it."""
    data, wire = _packed(mesh)
    if rest is not None:
        data += np.roll(rest, 1, axis=1).astype("<f4").tobytes()
    return MeshArrays(
        digest=keep(data), points=len(mesh.points), triangles=len(mesh.triangles), wire=wire,
        rest=rest is not None, bent=False,
    )  # fmt: skip


@cached(MOST_PACKED_BYTES)
def _packed(mesh: Mesh) -> tuple[bytes, int]:
    """A mesh's bytes and the number of its wire's edges. Proxies of one size share their mesh."""
    wire = mesh.wire
    parts: tuple[tuple[NDArray[np.generic], str], ...] = (
        (mesh.points, "<f4"),
        (mesh.triangles, "<i4"),
        (wire, "<i4"),
    )
    return b"".join(a.astype(kind).tobytes() for a, kind in parts), len(wire)


def of_shot(frames: Floats, places: Floats, attitudes: Floats, focals: Floats) -> ShotArrays:
    columns = [frames[:, None], places, attitudes.reshape(-1, 9), focals[:, None]]
    rows = np.concatenate(columns, axis=1)
    return ShotArrays(digest=keep(rows.astype("<f8").tobytes()), frames=int(frames[-1]) + 1)


def of_times(rows: list[list[float]], **named: Any) -> TimeArrays:
    """named: whose numbers they are, as in `TimeArrays`."""
    digest = keep(np.array(rows, "<f8").tobytes())
    return TimeArrays(digest=digest, frames=len(rows), **named)
