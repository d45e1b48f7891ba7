"""A scene at a moment: its tracked numbers put in, plates that play at their picture. What is
derived from a scene, such as a frame or a diagnosis, is derived from a scene at a moment and knows
no time."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cache
from itertools import islice
from typing import Any

import numpy as np
import scipy  # its submodules load on first use

from ..arrays import Floats
from ..camera import tilt_roll_yaw
from ..proxy.kind import Standing, angles_of
from ..refusal import Refusal
from ..track import values_at
from ..value import Value
from .guests import GuestKind, LetterAt, PictureGuest, WordsGuest
from .model import Lantern, LanternView, Scene
from .plate import Plate, Playing
from .timed import TURNS, Track

LETTER_TRACKS = set(LetterAt.model_fields)  # what letters go through one after another


def at(scene: Scene, frame: float) -> Scene:
    """The scene at a frame. What does not change is the same object as in the scene, and a scene in
    which nothing does is itself, so that what was worked out from them still holds."""
    return moments(scene, np.array([frame], float))[0]


def changes(scene: Scene) -> bool:
    """Whether anything but the shot camera is another one at other frames."""
    return bool(scene.tracks or playing_plates(scene) or playing_guests(scene))


def moments(scene: Scene, frames: Floats) -> list[Scene]:
    """The scene at each of some frames (F,)."""
    playing, clips = playing_plates(scene), playing_guests(scene)
    if not scene.tracks and not playing and not clips:
        return [scene for _ in frames]
    values = [values_at(t.keys, frames, t.of in TURNS) for t in scene.tracks]
    values += [pictures_at(one, frames, scene.move.fps) for one in playing.values()]
    values += [pictures_at(one, frames, scene.move.fps) for one in clips.values()]
    filmed = with_footage(scene)
    along = [one for one in filmed if one.held is None]
    last = 0 if scene.passed is None else len(scene.passed.frames) - 1
    values += [frames.round().clip(0, last)] * bool(along)
    letters = _letters(scene)
    values += [
        values_at(scene.tracks[k].keys, frames - late, scene.tracks[k].of in TURNS)
        for _, tracks, late in letters for k in tracks
    ]  # fmt: skip
    known: dict[tuple[float, ...], Scene] = {}  # where nothing changes it is one scene
    plates: dict[tuple[str, int], Plate] = {}
    out = []
    for row in np.array(values).T.tolist():
        moment = known.get(tuple(row))
        if moment is None:
            numbers = iter(row)
            tracked = list(islice(numbers, len(scene.tracks)))
            shown = dict(zip(playing, map(int, islice(numbers, len(playing))), strict=True))
            of_guests = dict(zip(clips, map(int, islice(numbers, len(clips))), strict=True))
            moment = _playing(_with(scene, tracked), shown, of_guests, plates)
            if filmed:
                number = int(next(numbers)) if along else 0
                moment = _thrown_from_its_camera(moment, {one.id for one in filmed}, number, plates)
            moment = known[tuple(row)] = _spelt(scene, moment, letters, numbers)
        out.append(moment)
    return out


Letters = list[tuple[str, list[int], float]]  # the guest, its tracks, and how late the letter is


def _letters(scene: Scene) -> Letters:
    """The letters of words that go through their tracks one after another, one by one."""
    out: Letters = []
    for guest in scene.guests:
        if isinstance(guest, WordsGuest) and guest.later:
            mine = [
                k
                for k, t in enumerate(scene.tracks)
                if t.part == guest.id and t.of in LETTER_TRACKS
            ]
            out += [(guest.id, mine, k * guest.later) for k in range(len(guest.text)) if mine]
    return out


def _spelt(whole: Scene, moment: Scene, letters: Letters, numbers: Iterator[float]) -> Scene:
    """A scene at a moment with its letters where their own time has them. whole: the scene.
    numbers: of each letter, of each of its tracks."""
    if not letters:
        return moment
    unmoved = {guest.id: guest for guest in whole.guests}
    by: dict[str, list[LetterAt]] = {}
    for id, tracks, _ in letters:
        to: dict[str, float] = {}
        for k, value in zip(tracks, numbers, strict=False):
            name = whole.tracks[k].of
            to[name] = min(max(value, 0.0), 1.0) if name == "strength" else value
        guest = unmoved[id]
        stands = {name: getattr(guest, name) for name in LetterAt.model_fields}
        by.setdefault(id, []).append(LetterAt.model_construct(**{**stands, **to}))
    guests = tuple(
        one.model_copy(update={"letters": tuple(by[one.id])}) if one.id in by else one
        for one in moment.guests
    )
    return moment.model_copy(update={"guests": guests})


def with_footage(scene: Scene) -> list[Lantern]:
    """The lanterns that throw footage of which the camera is known over time."""
    if scene.passed is None or scene.plate.playing is None:
        return []
    return [
        one for one in scene.lanterns
        if one.view is None and (one.plate is None or one.plate.digest == scene.plate.digest)
    ]  # fmt: skip


def view_at(scene: Scene, number: int) -> LanternView:
    """Where the footage was taken from at a frame of the shot."""
    assert scene.passed is not None
    frame = scene.passed.frames[min(number, len(scene.passed.frames) - 1)]
    tilt, roll, yaw = tilt_roll_yaw(np.array(frame.axes))
    given = scene.sighting.given
    return LanternView(
        position=frame.position, tilt_deg=tilt, roll_deg=roll, yaw_deg=yaw,
        focal_mm=frame.focal_mm, width=scene.plate.width, height=scene.plate.height,
        centre=None if given is None else given.centre,
    )  # fmt: skip


def _thrown_from_its_camera(
    moment: Scene, filmed: set[str], number: int, plates: dict[tuple[str, int], Plate]
) -> Scene:
    """The scene at a moment with the lanterns of its footage where that was taken from. plates: as
    of `_playing`."""

    def placed(one: Lantern) -> Lantern:
        if one.id not in filmed:
            return one
        at = number if one.held is None else one.held
        plate = one.plate or moment.plate
        if one.held is not None and plate.playing is not None:
            frame = np.array([float(one.held)])
            picture = int(pictures_at(plate.playing, frame, moment.move.fps)[0])
            key = plate.model_dump_json(exclude={"picture"}), picture
            if key not in plates:
                plates[key] = plate.model_copy(update={"picture": picture})
            plate = plates[key]
        return one.model_copy(update={"view": view_at(moment, at), "plate": plate})

    return moment.model_copy(update={"lanterns": tuple(map(placed, moment.lanterns))})


def playing_plates(scene: Scene) -> dict[str, Playing]:
    """How plates play that do, by their digest."""
    thrown = (plate for one in scene.lanterns for plate in (one.plate, one.mask))
    plates = (scene.plate, *(plate for plate in thrown if plate is not None))
    return {one.digest: one.playing for one in plates if one.playing is not None}


def playing_guests(scene: Scene) -> dict[str, Playing]:
    """How guests play that do, by their id: two of one clip can begin at other frames."""
    return {
        one.id: one.plate.playing for one in scene.guests
        if isinstance(one, PictureGuest) and one.plate.playing is not None
    }  # fmt: skip


def pictures_at(playing: Playing, frames: Floats, fps: float) -> Floats:
    """(F,) the numbers, from 0, of the pictures that are shown at frames (F,) of a shot."""
    since = np.asarray(frames, float) - playing.offset
    for rest in playing.rests:
        since = since - np.clip(frames - rest.frame, 0.0, rest.frames)
    # a picture begins on its frame, also where its time is a rounded number
    number = np.floor(since * (playing.rate / fps) + 1e-6)
    first, last = playing.span
    if playing.loops:
        number = np.where(number > 0, number % (last - first + 1), number)
    return np.asarray(first + np.clip(number, 0, last - first), float)


def _playing(
    scene: Scene, shown: dict[str, int], of_guests: dict[str, int],
    plates: dict[tuple[str, int], Plate],
) -> Scene:  # fmt: skip
    """The scene with its playing plates at their pictures. shown: by digest. of_guests: by the
    guest's id. plates: those that are made already, added to, so that one that rests is the same
    object."""
    if not shown and not of_guests:
        return scene

    def at_its_picture(plate: Plate | None, own: int | None = None) -> Plate | None:
        if plate is None:
            return None
        number = shown.get(plate.digest, 0) if own is None else own
        if plate.picture == number or (own is None and plate.digest not in shown):
            return plate
        key = plate.model_dump_json(exclude={"picture"}), number
        if key not in plates:
            plates[key] = plate.model_copy(update={"picture": number})
        return plates[key]

    def thrown(one: Lantern) -> Lantern:
        plate, mask = at_its_picture(one.plate), at_its_picture(one.mask)
        if plate is one.plate and mask is one.mask:
            return one
        return one.model_copy(update={"plate": plate, "mask": mask})

    def stood(one: GuestKind) -> GuestKind:
        number = of_guests.get(one.id)
        if number is None or not isinstance(one, PictureGuest):
            return one
        plate = at_its_picture(one.plate, number)
        return one if plate is one.plate else one.model_copy(update={"plate": plate})

    plate, lanterns = at_its_picture(scene.plate), tuple(map(thrown, scene.lanterns))
    guests = tuple(map(stood, scene.guests))
    return scene.model_copy(update={"plate": plate, "lanterns": lanterns, "guests": guests})


def _with(scene: Scene, values: Sequence[float]) -> Scene:
    """The scene with a value for each of its tracks; values may go on."""
    if not scene.tracks:
        return scene
    new: dict[str, dict[str, float]] = {}
    hinges: dict[str, tuple[float, tuple[Floats, Floats]]] = {}
    for track, value in zip(scene.tracks, values, strict=False):
        line = track.line
        if line is not None:
            hinges[track.part] = value, line
            continue
        if track.of in TURNS:
            value = (value + 180.0) % 360.0 - 180.0
        new.setdefault(track.part, {})[track.of] = value

    def put(part: Any) -> Any:
        if part is None:
            return None
        to = new.get(part.id)
        if to is not None:
            kind: type[Value] = type(part)
            to = {name: _within(kind, name, value) for name, value in to.items()}
        if part.id in hinges:
            to = _turned_about(part, to or {}, *hinges[part.id])
        same = to is None or all(getattr(part, name) == value for name, value in to.items())
        return part if same else part.model_copy(update=to)

    return scene.model_copy(
        update={
            "proxies": tuple(put(p) for p in scene.proxies),
            "lanterns": tuple(put(one) for one in scene.lanterns),
            "lights": tuple(put(one) for one in scene.lights),
            "guests": tuple(put(one) for one in scene.guests),
            "haze": put(scene.haze), "darkening": put(scene.darkening), "look": put(scene.look),
        }
    )  # fmt: skip


def _within(kind: type[Value], name: str, value: float) -> float:
    """A number as near to a value as its kind of part allows."""
    low, high = bounds_of(kind, name)
    return min(max(value, low), high)


@cache
def bounds_of(kind: type[Value], name: str) -> tuple[float, float]:
    """The least and the largest that a number of a kind of part can be."""
    low, high = -np.inf, np.inf
    for limit in kind.model_fields[name].metadata:
        low, high = getattr(limit, "ge", low), getattr(limit, "le", high)
    return low, high


def tracked_parts(scene: Scene) -> tuple[Any, ...]:
    """What can have a track: proxies, lanterns, guests, lights, the haze, the darkening and the
    look."""
    single = (part for part in (scene.haze, scene.darkening, scene.look) if part is not None)
    return (*scene.proxies, *scene.lanterns, *scene.guests, *scene.lights, *single)


def _turned_about(
    part: Standing, to: dict[str, float], degrees: float, line: tuple[Floats, Floats]
) -> dict[str, float]:
    """Where a proxy is that has been moved and is then turned about a line, which has moved along
    with it."""
    if degrees == 0.0:
        return to
    rest, foot = part.frame()
    turn, place = part.model_copy(update=to).frame()
    moved = turn @ rest.T
    through, way = moved @ (line[0] - foot) + place, moved @ line[1]
    after, there = turned_about(turn, place, through, way, degrees)
    return {**to, **standing_at(after, there)}


def turned_about(
    turn: Floats, place: Floats, through: Floats, way: Floats, degrees: float
) -> tuple[Floats, Floats]:
    """A frame (3, 3) and (3,) turned about the line through a place (3,) along a direction (3,) of
    length one."""
    by = scipy.spatial.transform.Rotation.from_rotvec(np.radians(degrees) * way).as_matrix()
    return by @ turn, through + by @ (place - through)


def standing_at(turn: Floats, place: Floats) -> dict[str, float]:
    """The numbers of a proxy that stands in a frame."""
    about_up, lean, roll = angles_of(turn)
    x, level, z = place.tolist()
    return {
        "x": x, "level_m": level, "z": z, "turn_deg": about_up, "lean_deg": lean, "roll_deg": roll
    }  # fmt: skip


def check_tracks(scene: Scene) -> None:
    """Raises Refusal where a track is of nothing, of a number that its part does not have, twice of
    the same, or not in the order of its frames."""
    parts: dict[str, Any] = {part.id: part for part in tracked_parts(scene)}
    seen = set()
    for track in scene.tracks:
        part = parts.get(track.part)
        if part is None:
            raise Refusal("A track is of a part that is not there.")
        needs = ("x", "z", "turn_deg") if track.of == "hinge_deg" else (track.of,)
        if not set(needs) <= type(part).model_fields.keys():
            raise Refusal(f"{part.name} has nothing that is called {track.of}, to be tracked.")
        if (track.part, track.of) in seen:
            raise Refusal(f"{part.name} has two tracks of {track.of}.")
        seen.add((track.part, track.of))
        frames = [key.frame for key in track.keys]
        if frames != sorted(set(frames)):
            raise Refusal(f"Two keys of {part.name} stand on one frame, or they are not in order.")
        if frames[-1] > scene.move.frames - 1:
            raise Refusal(
                f"{part.name} has a key at frame {frames[-1]}, past the end of a shot of "
                f"{scene.move.frames} frames. Make the shot longer first."
            )
        if track.of in needs and track.of not in TURNS:
            kind: type[Value] = type(part)
            low, high = bounds_of(kind, track.of)
            if not all(low <= key.value <= high for key in track.keys):
                called = track.of.split("_")[0]
                raise Refusal(f"The {called} of {part.name} goes from {low:g} to {high:g}.")


def tracks_in_step(before: Scene, after: Scene) -> Scene:
    """The scene without the tracks of parts that went."""
    names = ("proxies", "lanterns", "guests", "lights", "haze", "darkening", "look")
    same = all(getattr(after, name) is getattr(before, name) for name in names)
    if same or not after.tracks:
        return after
    there = {part.id for part in tracked_parts(after)}
    kept: tuple[Track, ...] = tuple(t for t in after.tracks if t.part in there)
    return after if len(kept) == len(after.tracks) else after.model_copy(update={"tracks": kept})
