"""A scene's guests as the renderer takes them: targets with a picture laid on each."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from ..arrays import Floats
from ..cache import Cache
from ..camera import Camera
from ..cast.ofscene import Pixels, Source
from ..mesh import Mesh
from ..refusal import Refusal
from ..render.land import Target
from ..scene.guests import GuestKind, LetterAt, WordsGuest
from ..scene.model import Scene
from .pieces import Files, Piece, pieces_of


class Stand(NamedTuple):
    """A piece of a guest where it stands. id: the guest's, and a number. turn: (3, 3) with its size
    in it, and place: (3,), that take the piece's mesh to the world. normals: as of a `Piece`, with
    its repeats."""

    id: str
    guest: GuestKind
    piece: Piece
    mesh: Mesh
    laid: Floats
    strength: float
    turn: Floats
    place: Floats
    normals: Floats | None


def no_files(digest: str) -> bytes:
    """Where no files are kept."""
    raise Refusal("A file that a guest needs is not here.")


def stands(scene: Scene, eye: Floats, pixels: Pixels, files: Files = no_files) -> list[Stand]:
    """The pieces of the guests that are shown, where they stand at the scene's moment. eye: (3,)
    where the shot camera is, for those that face it. Raises Refusal where a file is gone."""
    out = []
    for guest in scene.guests:
        if guest.hidden:
            continue
        number = 0
        for piece in pieces_of(guest, pixels, files):
            letter = _letter_at(guest, piece)
            strength = guest.strength if letter is None else letter.strength
            if guest.facing:
                frames = _facing(guest, letter, eye, piece.at)
                placed = [(piece.mesh, piece.laid, piece.normals, *frame) for frame in frames]
            else:
                turn, place = _frame(guest, letter)
                line = guest.height_m * guest.frame()[0]  # letters turn, each about its own foot
                placed = [(*_repeated(guest, piece), turn, place + line[:, :2] @ piece.at)]
            for mesh, laid, normals, turn, place in placed:
                id = f"{guest.id}/{number}"
                out.append(Stand(id, guest, piece, mesh, laid, strength, turn, place, normals))
                number += 1
    return out


def _letter_at(guest: GuestKind, piece: Piece) -> LetterAt | None:
    if not isinstance(guest, WordsGuest) or piece.letter is None:
        return None
    return guest.letters[piece.letter] if guest.letters else None


def _frame(guest: GuestKind, letter: LetterAt | None) -> tuple[Floats, Floats]:
    """The frame of a guest, or of a letter of it."""
    if letter is not None:
        guest = guest.model_copy(update=letter.model_dump(exclude={"strength"}))
    turn, place = guest.frame()
    return guest.height_m * turn, place


def _facing(
    guest: GuestKind, letter: LetterAt | None, eye: Floats, in_text: tuple[float, float]
) -> list[tuple[Floats, Floats]]:  # fmt: skip
    """The frame of each repeat of a guest that faces an eye (3,): each is turned by itself.
    in_text: (2,) where a letter is in its text, which is turned as a whole."""
    turn, foot = _frame(guest, letter)
    out = []
    for by, at in guest.repeats():
        place = turn @ at / guest.height_m + foot
        towards = math.degrees(math.atan2(eye[0] - place[0], eye[2] - place[2]))
        size = float(np.cbrt(np.linalg.det(by)))
        faced = guest.model_copy(update={"turn_deg": towards + guest.turn_deg})
        faces = guest.height_m * size * faced.frame()[0]
        out.append((faces, place + faces[:, :2] @ in_text))
    return out


# What was repeated is held too, so that its identity stays its own.
_repeats: Cache[tuple[object, ...], tuple[Mesh, Floats, Floats | None, Mesh]] = Cache(
    256 << 20,
    lambda m: (
        m[0].points.nbytes
        + m[0].triangles.nbytes
        + m[1].nbytes
        + (0 if m[2] is None else m[2].nbytes)
    ),
)


def _repeated(guest: GuestKind, piece: Piece) -> tuple[Mesh, Floats, Floats | None]:
    """A piece's mesh with its repeats, in the guest's own frame for a height of one, where it is
    laid, and its normals."""
    if guest.row is None and guest.scatter is None:
        return piece.mesh, piece.laid, piece.normals

    def make() -> tuple[Mesh, Floats, Floats | None, Mesh]:
        own, points, normals = piece.mesh, [], []
        each = guest.repeats()
        for by, at in each:
            points.append(own.points @ by.T + at / guest.height_m)
            if piece.normals is not None:  # repeats are turned and sized alike every way
                normals.append(piece.normals @ (by.T / np.cbrt(np.linalg.det(by))))
        faces = int(own.faces.max(initial=-1)) + 1
        begin = np.arange(len(each)).repeat(len(own.triangles))
        triangles = np.tile(own.triangles, (len(each), 1)) + len(own.points) * begin[:, None]
        numbered = np.tile(own.faces, len(each)) + faces * begin
        mesh = Mesh(np.concatenate(points), triangles.astype(np.int32), numbered.astype(np.int32))
        laid = np.tile(piece.laid, (len(each), 1, 1))
        return mesh, laid, np.concatenate(normals) if normals else None, own

    turn = (guest.turn_deg, guest.lean_deg, guest.roll_deg)
    row = None if guest.row is None else (guest.row, turn)
    return _repeats.of((id(piece.mesh), guest.height_m, row, guest.scatter), make)[:3]


def outward(mesh: Mesh, normals: Floats) -> Floats:
    """(M, 3, 3) the normals of corners (see `Piece`) on the side from which triangles go
    anticlockwise; those of flat triangles are their own."""
    a, b, c = (mesh.points[mesh.triangles[:, k]] for k in range(3))
    own = np.cross(b - a, c - a)
    own /= np.maximum(np.linalg.norm(own, axis=1, keepdims=True), np.finfo(float).tiny)
    flat = np.asarray(np.isnan(normals).any(axis=(1, 2)))
    whole = np.where(flat[:, None, None], own[:, None], normals)
    along = (whole.sum(axis=1) * own).sum(axis=1)
    return np.asarray(whole * np.where(along < 0, -1.0, 1.0)[:, None, None])


class Laid(NamedTuple):
    """What lies on guests: pictures, in the order of their throwers, and which of them each stand
    takes. owners: the ids of the guests that they are of."""

    sources: list[Source]
    of: list[int]
    owners: list[str]


def laid_on(there: Sequence[Stand]) -> Laid:
    """The pictures that lie on pieces: one for each guest, picture and strength."""
    sources: list[Source] = []
    owners: list[str] = []
    known: dict[object, int] = {}
    of = []
    for one in there:
        picture = one.piece.picture
        key = (one.guest.id, picture.key, one.strength, one.piece.mixing)
        if key not in known:
            known[key] = len(sources)
            sources.append(picture._replace(strength=one.strength, mixing=one.piece.mixing))
            owners.append(one.guest.id)
        of.append(known[key])
    return Laid(sources, of, owners)


Known = dict[tuple[str, bytes], tuple[Stand, Target]]


def numbers_of(scene: Scene) -> dict[str, int]:
    """What proxies and guests are counted by in a cast: proxies that are shown, then guests that
    are, and then hidden proxies, which only lights can see."""
    parts = [p.id for p in scene.proxies if not p.hidden]
    parts += [one.id for one in scene.guests if not one.hidden]
    parts += [p.id for p in scene.proxies if p.hidden]
    return {id: i for i, id in enumerate(parts)}


def guest_targets(
    scene: Scene, there: Sequence[Stand], known: Known | None = None
) -> list[Target]:  # fmt: skip
    """Targets of a scene's stands; their throwers follow those of its lanterns. known: those of
    other moments, added to; what stands as it stood there is the same object."""
    known = {} if known is None else known
    numbers = numbers_of(scene)
    out = []
    for one, k in zip(there, laid_on(there).of, strict=True):
        takes, number = (len(scene.lanterns) + k,), numbers[one.guest.id]
        key = one.id, one.turn.tobytes() + one.place.tobytes()
        found = known.get(key)
        if found is None or found[0].mesh is not one.mesh:
            mesh = one.mesh.moved(one.turn, one.place)
            normals = one.normals
            if normals is not None:  # guests are as large every way
                normals = normals @ (one.turn.T / np.cbrt(np.linalg.det(one.turn)))
            found = (
                one,
                Target(
                    mesh, takes, number, laid=one.laid, normals=normals, outward=one.piece.outward
                ),
            )
        known[key], target = found, found[1]
        if (target.lanterns, target.proxy) != (takes, number) or target.laid is not one.laid:
            target = replace(target, lanterns=takes, proxy=number, laid=one.laid)
            known[key] = one, target
        out.append(target)
    return out


class GuestsOverTime:
    """The guests of a scene at one moment after another; what stays as it is, is the same object.
    pixels, files: where plates and other files are read from."""

    def __init__(self, pixels: Pixels, files: Files = no_files) -> None:
        self.pixels, self.files = pixels, files
        self._known: Known = {}

    def stands(self, moment: Scene, eye: Floats) -> list[Stand]:
        return stands(moment, eye, self.pixels, self.files)

    def pictures(self, moment: Scene) -> list[Source]:
        """What lies on them; it does not hang on where they are seen from."""
        return laid_on(self.stands(moment, np.zeros(3))).sources

    def owners(self, moment: Scene) -> list[str]:
        """The ids of the guests that those pictures are of."""
        return laid_on(self.stands(moment, np.zeros(3))).owners

    def targets(self, moment: Scene, shot: Camera) -> list[Target]:
        there, before = self.stands(moment, shot.position), self._known
        out = guest_targets(moment, there, before)
        used = {id(target) for target in out}
        self._known = {key: one for key, one in before.items() if id(one[1]) in used}
        return out
