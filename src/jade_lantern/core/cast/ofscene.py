"""A scene's proxies and lanterns as the targets and throwers of a `land.Cast`."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from typing import Any, NamedTuple

import numpy as np

from ..arrays import Flags, Floats
from ..cache import Cache
from ..camera import Camera, focal_px_from_35mm, rotation_of
from ..mesh import Mesh
from ..picture.eight import eight_bit, white_of
from ..proxy import Proxy, Solid
from ..refusal import Refusal
from ..render.land import Cast, Target, Thrower
from ..render.pyramid import DEPTHS, Depth, Picture, Pyramid, deepest, pyramid
from ..scene.glaze import places_at_rest
from ..scene.model import Lantern, Scene
from ..scene.plate import Plate
from ..scene.sheet import lanterns_of, rows_of, taken_by
from ..sight.measure import required_camera
from ..solid.shape import taken_apart
from ..value import Mixing

# a plate's own pixels, with what depth and alpha they have; of one that plays, its picture's
Pixels = Callable[[Plate], Picture]
MOST_PLAYED_BYTES = 512 << 20
TONED = "toned"  # what keys of pictures begin with that something is done to


class Source(NamedTuple):
    """A picture that is laid on a thing, not thrown. key: what tells it from others. plays: whether
    it is one of several, which are all kept in one kind, at least `depth`."""

    key: tuple[object, ...]
    make: Callable[[], Picture]
    plays: bool = False
    depth: Depth = "eight"
    strength: float = 1.0
    mixing: Mixing = "over"


class Tone(NamedTuple):
    """What is done to the pictures of some lanterns before they are thrown. key: what tells it from
    others. apply: to a picture (h, w, 3 or 4), in its kind."""

    key: tuple[object, ...]
    lanterns: frozenset[str]
    apply: Callable[[Picture], Picture]

    def key_of(self, own: tuple[object, ...]) -> tuple[object, ...]:
        """The key of a picture that this is done to."""
        return (TONED, *self.key, *own)


_played: Cache[tuple[Any, ...], Pyramid] = Cache(MOST_PLAYED_BYTES, lambda p: p.pixels.nbytes)


def lantern_camera(lantern: Lantern, sighted: Camera) -> Camera:
    """The camera that a lantern's frame is thrown from, of its frame's size."""
    view = lantern.view
    if view is None:
        return sighted
    focal = focal_px_from_35mm(view.focal_mm, view.width, view.height)
    turn = rotation_of(view.tilt_deg, view.roll_deg, view.yaw_deg)
    cx, cy = view.centre or (view.width / 2, view.height / 2)
    return Camera(view.width, view.height, focal, turn, np.array(view.position), cx, cy)


def plate_camera(lantern: Lantern, sighted: Camera) -> Camera:
    """The camera of the part of the frame that its plate fills, of the window's size, px of the
    frame; of the frame's where it fills that."""
    camera = lantern_camera(lantern, sighted)
    window = lantern.window
    if window is None:
        return camera
    return replace(
        camera, width=max(round(window.width), 1), height=max(round(window.height), 1),
        cx=camera.cx - window.left, cy=camera.cy - window.top,
    )  # fmt: skip


def dark(lantern: Lantern) -> bool:
    """Whether a lantern has nothing to throw yet: it sees other than the still does, and nobody has
    painted what."""
    return lantern.view is not None and lantern.plate is None


def plate_of(scene: Scene, lantern: Lantern) -> Plate:
    return lantern.plate or scene.plate


Known = dict[int, tuple[Proxy, list[Target]]]


def targets(scene: Scene, sighted: Camera, known: Known | None = None) -> list[Target]:
    """What is cast on: each proxy that is not hidden, or the parts of it that take lanterns of
    their own. Proxies are counted among those that are not hidden. Lanterns that have nothing to
    throw yet are left out: what takes only those is bare. known: targets by the identity of their
    proxy, of the same scene at other moments; added to."""
    places = {one.id: i for i, one in enumerate(scene.lanterns) if not dark(one)}
    faced = {row.proxy for row in scene.sheet.rows if row.face is not None}
    rows = rows_of(scene)
    glazed = {one.id: one for one in scene.glazed}

    def made(i: int, proxy: Proxy) -> list[Target]:
        mesh = proxy.mesh(sighted)
        rest = places_at_rest(proxy, glazed[proxy.id], sighted) if proxy.id in glazed else None
        if proxy.id not in faced:
            takes = tuple(places[id] for id in taken_by(rows, scene, proxy.id) if id in places)
            return [Target(mesh, takes, i, rest)]
        out = []
        for ids, mine in parts_by_face(scene, proxy, sighted):
            part = Mesh(mesh.points, mesh.triangles[mine], mesh.faces[mine])
            takes = tuple(places[id] for id in ids if id in places)
            out.append(Target(part, takes, i, rest))
        return out

    known = {} if known is None else known
    for i, proxy in enumerate(p for p in scene.proxies if not p.hidden):
        if id(proxy) not in known:
            known[id(proxy)] = proxy, made(i, proxy)  # held, so that its identity stays its own
    return [t for p in scene.proxies if not p.hidden for t in known[id(p)][1]]


def cast_meshes(scene: Scene, sighted: Camera, proxies: list[Proxy]) -> list[Mesh]:
    """Proxies' surfaces as lanterns meet them: of a glazed one, as it was when it was glazed."""
    glazed = {one.id: one for one in scene.glazed}
    out = []
    for proxy in proxies:
        mesh = proxy.mesh(sighted)
        if proxy.id in glazed:
            rest = places_at_rest(proxy, glazed[proxy.id], sighted)
            mesh = Mesh(rest[:, :3] / rest[:, 3:], mesh.triangles, mesh.faces)
        out.append(mesh)
    return out


def parts_by_face(
    scene: Scene, proxy: Proxy, sighted: Camera
) -> list[tuple[tuple[str, ...], Flags]]:
    """The parts of a proxy that take the same lanterns: their ids, and (M,) which triangles."""
    numbers = face_numbers(proxy, proxy.full_mesh(sighted), sighted)
    rows = rows_of(scene)
    by: dict[tuple[str, ...], list[int]] = {}
    for face in np.unique(numbers).tolist():
        by.setdefault(taken_by(rows, scene, proxy.id, face), []).append(face)
    return [(ids, np.isin(numbers, faces)) for ids, faces in by.items()]


def face_numbers(proxy: Proxy, mesh: Mesh, sighted: Camera) -> np.ndarray:
    """(M,) the number of the face that each of a proxy's triangles belongs to, as its parts are
    numbered; live repeats have their original's."""
    own = proxy.own_mesh(sighted)
    if isinstance(proxy, Solid):
        numbers = np.array([f[0] for f in proxy.faces], np.int64)[own.faces]
    else:
        numbers = np.array(taken_apart(own)[1], np.int64)
    times = len(mesh.triangles) // max(len(numbers), 1)
    return np.tile(numbers, times)


Made = dict[tuple[object, ...], Pyramid]


def throwers(
    scene: Scene,
    sighted: Camera,
    pixels: Pixels,
    depth: Depth = "eight",
    standing: Made | None = None,
    laid: Sequence[Source] = (),
    tone: Tone | None = None,
) -> list[Thrower]:
    """The lanterns with their plates ready, and behind them what is laid on things; all in the kind
    of the deepest that anything takes, and at least in the given one. standing: plates that do not
    play, of the same scene at other moments, by their picture's key; added to. tone: what is done
    to them first."""

    def key_of(one: Lantern) -> tuple[object, ...]:
        own = _picture_key(scene, one)
        return own if tone is None or one.id not in tone.lanterns else tone.key_of(own)

    def picture_of(one: Lantern) -> Picture:
        picture = masked(scene, one, pixels)
        return picture if tone is None or one.id not in tone.lanterns else tone.apply(picture)

    used = {one.id for p in scene.proxies for one in _takes(scene, p)}
    thrown = [one for one in scene.lanterns if one.id in used and not dark(one)]
    keys = {one.id: key_of(one) for one in thrown}
    still = {keys[one.id]: one for one in thrown if not _plays(scene, one)}
    standing = {} if standing is None else standing
    pictures = {key: picture_of(one) for key, one in still.items() if key not in standing}
    lies = {one.key: one for one in laid if not one.plays}
    pictures |= {key: one.make() for key, one in lies.items() if key not in standing}
    kinds = [depth, deepest(list(pictures.values()))]
    kinds += [standing[key].depth for key in (*still, *lies) if key in standing]
    # plates that play are of the kind that they are said to be, so that all their pictures are
    kinds += [_named_depth(scene, one) for one in thrown if _plays(scene, one)]
    kinds += [one.depth for one in laid if one.plays]
    kind = max(kinds, key=DEPTHS.index)
    standing.update({key: pyramid(picture, kind) for key, picture in pictures.items()})
    # a look that is another one at each frame would leave all of them here
    for key in [one for one in standing if one[0] == TONED and one not in still | lies]:
        del standing[key]
    ready = dict(standing)
    for one in thrown:
        if keys[one.id] not in still:
            make = partial(_at_its_picture, picture_of, one, kind)
            ready[keys[one.id]] = _played.of((*keys[one.id], kind), make)
    for source in laid:
        if source.plays:
            ready[source.key] = _played.of((*source.key, kind), partial(_laid_at_its, source, kind))
    blank = pyramid(np.zeros((1, 1, 3), np.uint8), kind)
    lanterns = [
        Thrower(
            plate_camera(one, sighted), ready[keys[one.id]] if one.id in keys else blank, one.edge,
            one.through, one.strength,
        )
        for one in scene.lanterns
    ]  # fmt: skip
    return lanterns + [
        Thrower.laid_on(ready[one.key], strength=one.strength, mixing=one.mixing) for one in laid
    ]


def _picture_key(scene: Scene, lantern: Lantern) -> tuple[object, ...]:
    """What tells pictures of lanterns apart."""
    plate, mask = plate_of(scene, lantern), lantern.mask
    own = (plate.digest, plate.picture)
    return own if mask is None else (*own, mask.digest, mask.picture)


def _plays(scene: Scene, lantern: Lantern) -> bool:
    mask = lantern.mask
    return plate_of(scene, lantern).playing is not None or (
        mask is not None and mask.playing is not None
    )


def _named_depth(scene: Scene, lantern: Lantern) -> Depth:
    plate = plate_of(scene, lantern)
    if plate.bits > 16:
        return "float"
    return "sixteen" if plate.bits > 8 or plate.alpha or lantern.mask is not None else "eight"


def _at_its_picture(
    picture_of: Callable[[Lantern], Picture], lantern: Lantern, kind: Depth
) -> Pyramid:
    """What a lantern throws whose plate plays, ready in the kind that all its pictures are in, also
    where this one is deeper."""
    return _in_kind(picture_of(lantern), kind)


def _laid_at_its(source: Source, kind: Depth) -> Pyramid:
    return _in_kind(source.make(), kind)


def _in_kind(picture: Picture, kind: Depth) -> Pyramid:
    return pyramid(eight_bit(picture)[..., :3] if kind == "eight" else picture, kind)


def _takes(scene: Scene, proxy: Proxy) -> tuple[Lantern, ...]:
    whole = lanterns_of(scene, proxy.id)
    known = {one.id: one for one in scene.lanterns}
    by_face = [
        known[id] for row in scene.sheet.rows
        if row.proxy == proxy.id and row.face is not None for id in row.lanterns
    ]  # fmt: skip
    return (*whole, *by_face)


def places_of(
    scene: Scene,
    sighted: Camera,
    pixels: Pixels | None = None,
    standing: dict[tuple[object, ...], Floats | None] | None = None,
) -> list[Thrower]:
    """The lanterns without their plates: enough to tell where they land. pixels: for how far
    plates with an alpha or a mask cover. standing: how far those cover that do not play, of the
    same scene at other moments, by their picture's key; added to."""
    standing = {} if standing is None else standing
    out = []
    for one in scene.lanterns:
        clear = None
        soft = plate_of(scene, one).alpha or one.mask is not None
        if pixels is not None and soft and not dark(one):
            key = _picture_key(scene, one)
            clear = standing[key] if key in standing else alpha_of(masked(scene, one, pixels))
            if not _plays(scene, one):
                standing[key] = clear
        camera = plate_camera(one, sighted)
        out.append(Thrower(camera, None, one.edge, one.through, one.strength, clear))
    return out


def alpha_of(picture: Picture) -> Floats | None:
    """(H, W) 0 to 1, how much a picture covers; None where it covers everything."""
    if picture.shape[2] < 4:
        return None
    return np.asarray(picture[..., 3] / white_of(picture.dtype), float)


def masked(scene: Scene, lantern: Lantern, pixels: Pixels) -> Picture:
    """A lantern's plate, with its mask multiplied into its alpha."""
    picture = pixels(plate_of(scene, lantern))
    if lantern.mask is None:
        return picture
    mask = pixels(lantern.mask)
    if mask.shape[:2] != picture.shape[:2]:
        raise Refusal(
            f"The mask of {lantern.name} is {mask.shape[1]} × {mask.shape[0]}, and its plate "
            f"{picture.shape[1]} × {picture.shape[0]}. Give it one of the plate's size."
        )
    share = mask[..., :3].mean(axis=2) / white_of(mask.dtype)
    own, inner = alpha_of(picture), alpha_of(mask)
    share = share * (1 if own is None else own) * (1 if inner is None else inner)
    white = white_of(picture.dtype)
    round_ = 0.5 if picture.dtype.kind == "u" else 0.0
    alpha = (share.clip(0, 1) * white + round_).astype(picture.dtype)
    return np.concatenate([picture[..., :3], alpha[..., None]], axis=2)


def cast_of(scene: Scene, pixels: Pixels) -> Cast:
    """A scene with its lanterns thrown onto it. pixels: where their plates' come from."""
    sighted = required_camera(scene)
    return Cast(targets(scene, sighted), throwers(scene, sighted, pixels))
