"""What follows from a scene and is drawn: derived, never stored. Told like the scene itself: what
is otherwise than before, and what is gone."""

from __future__ import annotations

import logging
from typing import NamedTuple

import numpy as np
from ninja import Schema

from ..core.arrays import Floats
from ..core.block.labels import value_of
from ..core.block.miss import Misses, misses_under
from ..core.camera import Camera
from ..core.cast.ofscene import dark, parts_by_face, plate_camera, plate_of
from ..core.proxy import Proxy
from ..core.refusal import Refusal
from ..core.scene.difference import same
from ..core.scene.glaze import places_at_rest
from ..core.scene.model import Lantern, Scene
from ..core.scene.moment import at, changes, moments, playing_plates, with_footage
from ..core.scene.sheet import rows_of, taken_by
from ..core.scene.shot import as_driven, key_frames, keyed_path, shot_cameras, shot_keys
from ..core.scene.timed import Key
from ..core.sight.measure import camera_of
from ..core.sight.reading import Reading, camera_reading, reading
from . import arrays, plates
from .dressed import DressShown, dress_shown, numbers_over_time
from .guests import GuestShown, guest_shown, moving_guests, stands_over_time
from .shapes import HandleShown, LanternShown, ProxyShape

log = logging.getLogger("jade_lantern")


class KeptReading(Schema):
    """What a sighting that was put by comes to."""

    id: str
    reading: Reading


class LabelRead(Schema):
    """What a label reads: metres, degrees or square metres."""

    id: str
    value: float


class TakenPart(Schema):
    """lanterns: ids, the topmost first. triangles: which of the proxy's own take them; None for
    all."""

    lanterns: list[str]
    triangles: list[int] | None = None


class Taken(Schema):
    """What is cast on a proxy. lanterns: what it takes but for faces with a row of their own."""

    id: str
    lanterns: list[str]
    parts: list[TakenPart]


class Follows(Schema):
    """None where it is as it was before; of what there are many, only what is otherwise. keys: the
    shot camera at each frame at which any part of it has a key."""

    reading: Reading | None = None
    misses: Misses | None = None
    kept: list[KeptReading] | None = None
    shapes: list[ProxyShape] | None = None
    shot: arrays.ShotArrays | None = None
    times: arrays.TimeArrays | None = None
    keys: list[Key] | None = None
    labels: list[LabelRead] | None = None
    lanterns: list[LanternShown] | None = None
    takes: list[Taken] | None = None
    dress: DressShown | None = None
    guests: list[GuestShown] | None = None

    def digests(self) -> set[str]:
        """Of all arrays that are named here."""
        out = {shape.mesh.digest for shape in self.shapes or ()}
        out |= {piece.shape.mesh.digest for one in self.guests or () for piece in one.pieces}
        table = self.dress and self.dress.look and self.dress.look.table
        named = (self.shot, self.times, table or None)
        return out | {one.digest for one in named if one is not None}


class Following(NamedTuple):
    """What follows from a scene otherwise than from another, and the names of what does not follow
    any more: misses, shapes, lanterns, takes (all of them), shot, keys, times."""

    differs: Follows
    gone: list[str]


MOST_TRIED_FRAMES = 120  # of a long shot, told of a change that is only tried: one small array


def worked_out(before: Scene | None, after: Scene, looked_at: int | None = None) -> Following:
    """What follows from a scene otherwise than from the one before it. looked_at: the frame that is
    drawn, of a change that is only tried: of a long shot no more than what is seen of its path is
    told then.

    Raises Refusal where it cannot be worked out, for whatever reason: a scene of which nothing
    can be drawn is not kept. The reason goes to the log.
    """
    try:
        return follows(before, after, looked_at)
    except (Refusal, MemoryError):
        raise
    except Exception as error:
        log.exception("what follows from a scene cannot be worked out")
        raise Refusal("What follows from it cannot be worked out.") from error


def follows(before: Scene | None, after: Scene, looked_at: int | None = None) -> Following:
    """See `worked_out`; raises whatever went wrong."""
    out, gone = Follows(), []
    sighted = before is None or not _same(before, after, "sighting", "plate")
    if sighted:
        out.reading = reading(after)
    if before is None or not _same(before, after, "sighting", "plate", "built_on", "proxies"):
        out.misses = misses_under(after)
        if out.misses is None and before is not None and before.built_on is not None:
            gone.append("misses")
    out.kept = _kept_readings(before, after) or None

    if before is None or not same(after.labels, before.labels):
        out.labels = [LabelRead(id=label.id, value=value_of(label)) for label in after.labels]

    was, now = _camera(before) if before is not None else None, _camera(after)
    if now is None:
        more = (
            ["shapes", "shot", "keys", "lanterns", "takes", "dress", "guests"]
            if was is not None
            else []
        )
        if was is not None and before is not None and _over_time(before):
            more.append("times")
        return Following(out, [*gone, *more])
    if was is None:
        out.shapes = [_shape(after, p, now) for p in after.proxies]
    elif (
        sighted or before is None or before.proxies is not after.proxies
        or before.glazed is not after.glazed
    ):  # fmt: skip
        old = {p.id: p for p in before.proxies} if before is not None else {}
        fixed = {one.id: one for one in after.glazed}
        was_fixed = {one.id: one for one in before.glazed} if before is not None else {}
        out.shapes = [
            _shape(after, p, now) for p in after.proxies
            if not same(p, old.get(p.id)) or (sighted and not p.stands)
            or not same(fixed.get(p.id), was_fixed.get(p.id))
        ] or None  # fmt: skip
    if (
        was is None or sighted or before is None
        or not _same(before, after, "lanterns", "passed")
    ):  # fmt: skip
        # where those are that go along with their footage, or are held
        filmed = {one.id for one in with_footage(after)}
        shown = at(after, float(after.passed.reference)) if after.passed and filmed else after
        out.lanterns = [
            _lantern(shown, one, now, one.id in filmed) for one in shown.lanterns
        ]  # fmt: skip
    out.takes = _takes(None if was is None else before, after, now) or None
    if was is None or sighted or before is None or _shot_differs(before, after):
        frames = _told_frames(after, looked_at)
        path = keyed_path(after, frames, now)
        out.shot = arrays.of_shot(frames, *as_driven(after.move, now, path))
        places, turns, focals = path
        keyed = np.searchsorted(frames, key_frames(after.move))
        out.keys = shot_keys(after, now, (places[keyed], turns[keyed], focals[keyed]))
    old_times = before is not None and was is not None and _over_time(before)
    if _over_time(after):
        if before is None or not old_times or sighted or not same(_timed(before), _timed(after)):
            out.times = _times(after, now)
    elif old_times:
        gone.append("times")
    told = None if before is None or was is None or sighted else before
    out.guests = _guests(told, after, now) or None
    of = (*DRESSING, "proxies") if after.lights else DRESSING  # what hides may cast a shadow
    if before is None or was is None or not _same(before, after, *of):
        out.dress = dress_shown(after)
    return Following(out, gone)


DRESSING = ("lights", "lanterns", "haze", "look", "tracks", "guests")


def _guests(before: Scene | None, after: Scene, sighted: Camera) -> list[GuestShown]:
    """The guests that are otherwise than before."""
    old = {} if before is None else {one.id: one for one in before.guests}
    return [
        guest_shown(after, one, sighted) for one in after.guests if not same(one, old.get(one.id))
    ]


def _over_time(scene: Scene) -> bool:
    """Whether anything that is drawn is otherwise at other frames, besides where it is seen
    from."""
    return changes(scene) or bool(moving_guests(scene))


def _told_frames(scene: Scene, looked_at: int | None) -> Floats:
    """The frames that the shot camera is told at: all, or some with that one and the keys'."""
    move = scene.move
    if looked_at is None or move.frames <= MOST_TRIED_FRAMES:
        return np.arange(move.frames, dtype=float)
    some = np.linspace(0, move.frames - 1, MOST_TRIED_FRAMES).round()
    shown = min(looked_at, move.frames - 1)
    return np.unique(np.concatenate([some, [shown], key_frames(move)]))


def _shot_differs(before: Scene, after: Scene) -> bool:
    """Whether the shot camera may go another way: it has other keys, or follows a proxy that may be
    elsewhere."""
    if not same(after.move, before.move):
        return True
    follows_one = any(key.proxy is not None for key in after.move.aim)
    return follows_one and not _same(before, after, "proxies", "tracks")


def _timed(scene: Scene) -> Scene:
    """A scene with nothing in it but what may change over time."""
    moving = {t.part for t in scene.tracks}
    return Scene(
        name="over time", plate=scene.plate, lanterns=scene.lanterns, move=scene.move,
        tracks=scene.tracks, proxies=tuple(p for p in scene.proxies if p.id in moving),
        lights=scene.lights, haze=scene.haze, look=scene.look,
        sighting=scene.sighting, guests=moving_guests(scene), passed=scene.passed,
    )  # fmt: skip


def _times(whole: Scene, sighted: Camera) -> arrays.TimeArrays:
    scene = _timed(whole)
    shots = shot_cameras(whole, np.arange(whole.move.frames, dtype=float), sighted)
    named, stand_rows = stands_over_time(scene, shots)
    frames = np.arange(scene.move.frames, dtype=float)
    at = moments(scene, frames)
    moving = {t.part for t in scene.tracks}
    proxies = range(len(scene.proxies))
    strengths = [i for i, one in enumerate(scene.lanterns) if one.id in moving]
    plays = playing_plates(scene)
    playing = [
        i for i, one in enumerate(scene.lanterns)
        if plate_of(scene, one).digest in plays or (one.mask and one.mask.digest in plays)
    ]  # fmt: skip
    along = {one.id for one in with_footage(scene) if one.held is None}
    filmed = [i for i, one in enumerate(scene.lanterns) if one.id in along]
    lights = [i for i, one in enumerate(scene.lights) if one.id in moving]
    haze, look = (part is not None and part.id in moving for part in (scene.haze, scene.look))
    rows: dict[int, list[float]] = {}  # by moment, which is one where nothing changes

    def row(moment: Scene) -> list[float]:
        out: list[float] = []
        for i in proxies:
            turn, place = moment.proxies[i].frame()
            out += np.column_stack([turn, place]).ravel().tolist()
        out += [moment.lanterns[i].strength for i in strengths]
        shown = [moment.lanterns[i] for i in playing]
        out += [float(plates.thrown_number(plate_of(moment, one), one.mask)) for one in shown]
        for i in filmed:
            plate = plate_of(moment, moment.lanterns[i])
            camera = plate_camera(moment.lanterns[i], sighted).resized(plate.width, plate.height)
            out += [*camera.position.tolist(), *camera.rotation.ravel().tolist(), camera.focal_px]
        return out + numbers_over_time(moment, lights, haze, look)

    for moment in at:
        if id(moment) not in rows:
            rows[id(moment)] = row(moment)
    return arrays.of_times(
        [rows[id(moment)] + more for moment, more in zip(at, stand_rows, strict=True)],
        stands=named, proxies=[scene.proxies[i].id for i in proxies],
        strengths=[scene.lanterns[i].id for i in strengths],
        pictures=[scene.lanterns[i].id for i in playing],
        cameras=[scene.lanterns[i].id for i in filmed],
        lights=[scene.lights[i].id for i in lights], haze=haze, look=look,
    )  # fmt: skip


def _same(before: Scene, after: Scene, *names: str) -> bool:
    return all(same(getattr(after, n), getattr(before, n)) for n in names)


def _camera(scene: Scene) -> Camera | None:
    try:
        return camera_of(scene)
    except Refusal:
        return None


def _kept_readings(before: Scene | None, after: Scene) -> list[KeptReading]:
    old = {k.id: k for k in before.kept_sightings} if before is not None else {}
    moved = before is not None and not same(after.plate, before.plate)
    return [
        KeptReading(
            id=kept.id, reading=reading(after.model_copy(update={"sighting": kept.sighting}))
        )
        for kept in after.kept_sightings
        if moved or not same(kept, old.get(kept.id))
    ]


def _shape(scene: Scene, proxy: Proxy, camera: Camera) -> ProxyShape:
    glazed = next((one for one in scene.glazed if one.id == proxy.id), None)
    rest = None if glazed is None else places_at_rest(proxy, glazed, camera)
    turn, place = proxy.frame()
    return ProxyShape.model_construct(
        id=proxy.id,
        frame=np.column_stack([turn, place]).ravel().tolist(),
        mesh=arrays.of_mesh(proxy.full_mesh(camera), rest),
        handles=[HandleShown.model_construct(role=h.role, at=h.at) for h in proxy.handles()],
    )


def _lantern(scene: Scene, one: Lantern, sighted: Camera, filmed: bool = False) -> LanternShown:
    """filmed: whether it throws footage of which the camera is known over time: the picture that it
    throws is named behind its plate."""
    plate = plate_of(scene, one)
    camera = plate_camera(one, sighted)
    if not dark(one):
        camera = camera.resized(plate.width, plate.height)
    return LanternShown.model_construct(
        id=one.id, camera=camera_reading(camera),
        digest=plates.thrown_digest(scene, one) + (f"@{plate.picture}" if filmed and plate.picture
                                                   else ""), edge=one.edge, through=one.through, 
        strength=0.0 if dark(one) else one.strength,
        alpha=plate.alpha or one.mask is not None,
    )  # fmt: skip


def _takes(before: Scene | None, after: Scene, sighted: Camera) -> list[Taken]:
    """What is cast on each proxy, where it is otherwise than before."""
    as_before = (
        before is not None and same(before.sheet, after.sheet)
        and [one.id for one in before.lanterns] == [one.id for one in after.lanterns]
    )  # fmt: skip
    if as_before and before is not None and before.proxies is after.proxies:
        return []
    faced = {row.proxy for row in after.sheet.rows if row.face is not None}
    old = {p.id: p for p in before.proxies} if as_before and before is not None else {}
    whole = rows_of(after)
    out = []
    for proxy in after.proxies:
        there = old.get(proxy.id)
        if there is not None and (proxy.id not in faced or same(proxy, there)):
            continue
        takes = list(taken_by(whole, after, proxy.id))
        parts = [TakenPart.model_construct(lanterns=takes)]
        if proxy.id in faced:
            parts = [
                TakenPart(lanterns=list(ids), triangles=np.nonzero(mine)[0].tolist())
                for ids, mine in parts_by_face(after, proxy, sighted)
            ]
        out.append(Taken.model_construct(id=proxy.id, lanterns=takes, parts=parts))
    return out
