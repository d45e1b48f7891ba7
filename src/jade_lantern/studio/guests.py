"""Guests as views draw them: derived, never stored."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

import numpy as np
from ninja import Schema
from numpy.typing import NDArray

from ..core.arrays import Floats
from ..core.cache import Cache
from ..core.camera import Camera
from ..core.dress.guests import Stand, outward, stands
from ..core.dress.pieces import Piece, pieces_of, softened
from ..core.dress.standing import doubt_of
from ..core.mesh import Mesh
from ..core.refusal import Refusal
from ..core.scene.guests import Guest, GuestKind, PictureGuest
from ..core.scene.model import Scene
from ..core.scene.moment import moments, playing_guests
from ..core.sight.reading import camera_reading
from . import arrays, plates
from .shapes import LanternShown, ProxyShape

_meshes: Cache[tuple[int, int], tuple[arrays.MeshArrays, Mesh, Floats]] = Cache(
    64, lambda _: 1
)  # what is packed is held, so that its identity stays its own


class PieceShown(Schema):
    """A surface of a guest with what is laid on it."""

    shape: ProxyShape
    lantern: LanternShown


class GuestShown(Schema):
    """A guest. foot, top: where it can be taken hold of, in the world. doubt: why it may look too
    large or too small; trouble: why it is not shown."""

    id: str
    pieces: list[PieceShown]
    foot: tuple[float, float, float]
    top: tuple[float, float, float]
    doubt: str | None
    trouble: str | None


def guest_shown(scene: Scene, guest: Guest, sighted: Camera) -> GuestShown:
    """Raises Refusal where a guest cannot be drawn, unless for a file that is gone."""
    gone = not all(map(plates.there, guest.pictures()))
    turn, foot = guest.frame()
    top = foot + guest.height_m * turn[:, 1]
    pieces, trouble = [], None
    if gone:
        trouble = "Its file is not here any more. Bring it in again."
    else:
        shown = guest.model_copy(update={"hidden": False})
        alone = scene.model_copy(update={"guests": (shown,)})
        there = stands(alone, sighted.position, plates.deep, plates.original)
        pieces = [_piece(one) for one in there]
    return GuestShown(
        id=guest.id, pieces=pieces, foot=tuple(foot.tolist()), top=tuple(top.tolist()),
        doubt=doubt_of(scene, guest, sighted), trouble=trouble,
    )  # fmt: skip


def _piece(one: Stand) -> PieceShown:
    wide, high = one.piece.size
    view = Camera.centred(wide, high, float(max(wide, high)), np.eye(3), np.zeros(3))
    shape = ProxyShape.model_construct(
        id=one.id, frame=_rows(one), mesh=_packed(one.mesh, one.laid, one.normals), handles=[],
    )  # fmt: skip
    lantern = LanternShown.model_construct(
        id=one.id, camera=camera_reading(view), digest=digest_of(one.guest, one.piece), edge="hold",
        through=True, strength=one.strength, alpha=one.piece.alpha, laid=True,
        mixing=one.piece.mixing,
    )  # fmt: skip
    return PieceShown.model_construct(shape=shape, lantern=lantern)


def _rows(one: Stand) -> list[float]:
    out: list[float] = np.column_stack([one.turn, one.place]).ravel().tolist()
    return out


def _packed(mesh: Mesh, laid: Floats, normals: Floats | None) -> arrays.MeshArrays:
    """A mesh whose triangles have corners of their own, behind them where those are in its
    picture, and their normals (see `arrays.MeshArrays`)."""
    key = id(mesh), id(laid)
    found = _meshes.get(key)
    if found is None:
        corners = mesh.points[mesh.triangles].reshape(-1, 3)
        count = len(corners)
        places = laid.reshape(-1, 2)
        one = np.ones(count)
        rest = np.column_stack([one, places, one])
        data = (
            corners.astype("<f4").tobytes() + np.arange(count, dtype="<i4").tobytes()
            + rest.astype("<f4").tobytes()
        )  # fmt: skip
        if normals is not None:
            round_ = outward(mesh, normals)
            round_[np.isnan(normals).any(axis=(1, 2))] = 0.0
            data += round_.astype("<f4").tobytes()
        made = arrays.MeshArrays(
            digest=arrays.keep(data), points=count, triangles=count // 3, wire=0, rest=True,
            bent=normals is not None,
        )  # fmt: skip
        found = made, mesh, laid
        _meshes.put(key, found)
    if arrays.kept(found[0].digest) is None:  # let go meanwhile
        _meshes.drop(key)
        return _packed(mesh, laid, normals)
    return found[0]


def digest_of(guest: GuestKind, piece: Piece) -> str:
    """What a piece's picture is asked for by; of a clip, whichever of its pictures is shown."""
    if isinstance(guest, PictureGuest):
        if not guest.soft:
            return guest.plate.digest
        key: object = "soft", guest.plate.digest, guest.soft
    else:
        key = piece.picture.key
    return hashlib.sha256(repr(key).encode()).hexdigest()


def picture_of(scene: Scene, digest: str, number: int) -> Sequence[NDArray[np.uint8]] | None:
    """The levels of a picture that lies on one of a scene's guests; None where none is asked for by
    that digest. number: of its picture, of a clip."""
    for guest in scene.guests:
        if isinstance(guest, PictureGuest) and not guest.soft:
            continue
        try:
            pieces = pieces_of(guest, plates.deep, plates.original)
        except Refusal:
            continue  # its file is gone
        for piece in pieces:
            if digest_of(guest, piece) != digest:
                continue
            make = piece.picture.make
            if isinstance(guest, PictureGuest):
                shown = guest.plate.model_copy(update={"picture": number})
                now = guest.model_copy(update={"plate": shown})
                return plates.derived_levels(digest, number, lambda: softened(now, plates.deep))  # noqa: B023
            return plates.derived_levels(digest, 0, make)
    return None


def moving_guests(scene: Scene) -> tuple[Guest, ...]:
    """Those that are otherwise at other frames: tracked, playing, or facing a camera that moves."""
    tracked = {track.part for track in scene.tracks}
    plays = playing_guests(scene)
    return tuple(
        one for one in scene.guests
        if one.id in tracked or one.id in plays or (one.facing and scene.move.keyed)
    )  # fmt: skip


def stands_over_time(scene: Scene, shots: list[Camera]) -> tuple[list[str], list[list[float]]]:
    """The ids of pieces of guests, and at each frame of each its frame, its strength and the number
    of its picture (see `arrays.TimeArrays`). Hidden ones are told too; what cannot be read is
    not."""
    there = [one for one in scene.guests if all(map(plates.there, one.pictures()))]
    shown = tuple(one.model_copy(update={"hidden": False}) for one in there)
    if not shown:
        return [], [[] for _ in shots]
    alone = scene.model_copy(update={"guests": shown})
    told = hashlib.sha256(alone.model_dump_json(include={"guests", "tracks", "move"}).encode())
    told.update(np.array([shot.position for shot in shots]).tobytes())
    return _over_time.of(told.hexdigest(), lambda: _stands_over_time(alone, shots))


_over_time: Cache[str, tuple[list[str], list[list[float]]]] = Cache(
    8 << 20, lambda told: 40 * sum(map(len, told[1])) + 1000
)


def _stands_over_time(
    alone: Scene, shots: list[Camera]
) -> tuple[list[str], list[list[float]]]:  # fmt: skip
    rows: list[list[float]] = []
    ids: list[str] = []
    for moment, shot in zip(moments(alone, np.arange(len(shots), dtype=float)), shots, strict=True):
        row: list[float] = []
        ids = []
        for one in stands(moment, shot.position, plates.deep, plates.original):
            guest = one.guest
            picture = guest.plate.picture if isinstance(guest, PictureGuest) else 0
            row += [*_rows(one), one.strength, float(picture)]
            ids.append(one.id)
        rows.append(row)
    return ids, rows
