"""Travel limits: how far the shot camera may go before the trick shows."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Annotated, Literal, NamedTuple, get_args

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..block.under import Surfaces
from ..camera import NEAREST, Camera, world_size
from ..cast.ofscene import Pixels
from ..deadline import check_time
from ..refusal import Refusal
from ..render.diagnose import DiagnosedCast
from ..scene.edits import Drive, Edit, PutShot
from ..scene.gesture import PictureGesture
from ..scene.model import Scene
from ..scene.moment import at, changes
from ..scene.pictures import Pictures
from ..scene.shot import shot_camera, shot_cameras
from ..scene.timed import MOST_AMOUNT, tracks_of
from ..sight.measure import required_camera
from ..value import Share, Value
from .diagnosis import diagnosed_cast, looked_at, standing
from .frames import RenderRequest, render_request
from .ready.base import key_at, nearest_depth

LOOKED_AT = 320  # px, the width of the frames that are looked at; shares and limits are those of
# the frame that is delivered
STEPS = 16  # of a way's reach that are looked at before the first break is closed in on
CLOSE = 0.005  # relative width at which a limit is known well enough
MOST_FRAMES = 33  # of a move that are looked at for how much of it stands up
SMALLEST = 0.02  # of what a move is, under which it is as good as none

Way = Literal["right", "left", "up", "down", "forward", "back", "longer", "shorter", "amount"]
WAYS: tuple[Way, ...] = get_args(Way)
Breaks = Literal["leak", "reveal", "stretch", "wall"]
SIDES: dict[str, tuple[float, float, float]] = {
    "right": (1, 0, 0), "left": (-1, 0, 0), "up": (0, 1, 0), "down": (0, -1, 0),
    "forward": (0, 0, -1), "back": (0, 0, 1),
}  # fmt: skip


class Tolerance(Value):
    """What may show before a limit is reached, beyond what the frame that is gone from shows
    already. most: the share of a frame that may be leak or reveal together, or be pulled by more
    than `stretch` pixels of the delivered frame per plate pixel."""

    most: Annotated[Share, Field(gt=0)] = 0.001
    stretch: Annotated[float, Field(gt=1, le=100)] = 2.0


class Limit(NamedTuple):
    """How far it may go one way: in metres; for `longer` and `shorter` the factor of the focal
    length; for `amount` how much of the keyed move. breaks: what shows first beyond that, None
    where nothing does as far as was looked. frame: of an amount, in which frame."""

    way: Way
    most: float
    breaks: Breaks | None
    frame: int | None = None


def limits(
    scene: Scene,
    frame: int,
    tolerance: Tolerance | None = None,
    ways: tuple[Way, ...] = WAYS,
    pixels: Pixels | None = None,
) -> list[Limit]:
    """How far the camera may go from where it is at a frame, along its own axes and in focal
    length; and how much of the keyed move stands up. pixels: for plates with an alpha."""
    tolerance = tolerance or Tolerance()
    asked = render_request(scene, LOOKED_AT, frame, frame)
    sighted = required_camera(scene)
    moment = standing(at(scene, float(frame)))
    cast = diagnosed_cast(moment, pixels)
    shot = shot_camera(scene, float(frame), sighted)
    out = []
    for way in ways:
        if way == "amount":
            out.append(amount_limit(scene, tolerance, pixels))
            continue
        start = _shows(cast, shot, asked, tolerance)
        reach, wall = _reach(moment, sighted, shot, way)

        def shows(by: float, way: Way = way, start: Floats = start) -> Shown:
            moved = _gone(shot, way, by)
            return _shown(_shows(cast, moved, asked, tolerance) - start, tolerance)

        most, breaks = first_break(shows, reach)
        breaks = breaks or ("wall" if wall else None)
        if way in ("longer", "shorter"):
            most = 2.0**most if way == "longer" else 0.5**most
        out.append(Limit(way, most, breaks))
    return out


def amount_limit(scene: Scene, tolerance: Tolerance, pixels: Pixels | None = None) -> Limit:
    """How much of the keyed move stands up, to MOST_AMOUNT: the largest amount at which no frame
    shows more than is allowed beyond what the lens itself shows."""
    if not scene.move.keyed:
        raise Refusal("There is no move yet: the shot stands at the lens.")
    sighted = required_camera(scene)
    numbers = np.arange(scene.move.frames, dtype=float)
    looks = _Looks(scene, sighted, tolerance, pixels)
    some = np.unique(np.round(np.linspace(0, numbers[-1], min(MOST_FRAMES, len(numbers)))))
    every = some.astype(int).tolist()
    frames = [every[-1], every[len(every) // 2]]  # where a move is mostly the farthest
    most, breaks, frame = MOST_AMOUNT, None, None
    while True:
        found: dict[str, int] = {}

        def shows(
            amount: float, frames: list[int] = frames, found: dict[str, int] = found
        ) -> Shown:
            number, shown = looks.worst(amount, frames)
            if shown.excess > 0:
                found["frame"] = number
            return shown

        most, why = first_break(shows, most)
        if why is not None:
            breaks, frame = why, found["frame"]
        # frames that were not among them may break sooner: the worst of them is closed in on
        if most <= 0:
            return Limit("amount", most, breaks, frame)
        number, shown = looks.worst(most, every)
        if shown.excess <= 0 or frames == [number]:
            return Limit("amount", most, breaks, frame)
        frames, breaks, frame = [number], shown.what, number


class Shown(NamedTuple):
    """What one look shows. excess: by how much more of the frame than is allowed, 0 or less where
    it stands up; what: what shows most of that."""

    excess: float
    what: Breaks


def first_break(shows: Callable[[float], Shown], reach: float) -> tuple[float, Breaks | None]:
    """The largest value from 0 to a reach up to which nothing shows too much, and what does beyond
    it; looked for at STEPS values that lie closer near 0, then closed in on. What shows only
    between two of the steps is not found.

    Closing in is by false position, with the end that stays weighted down (Illinois; Dowell &
    Jarratt 1971), since shares grow evenly with the way; by halves where they jump.
    """
    low, high, breaks = 0.0, None, None
    under = over = 0.0  # what is shown at low and at high; less than nought, and more
    for k in range(1, STEPS + 1):
        value = reach * (k / STEPS) ** 2
        found = shows(value)
        if found.excess > 0:
            high, over, breaks = value, found.excess, found.what
            break
        low, under = value, found.excess
    if high is None:
        return reach, None
    side = halves = 0
    while high - low > CLOSE * high and high > 1e-4 * reach:
        check_time()
        width = high - low
        if not np.isfinite(over) or under >= 0 or halves > 2:
            value, halves = (low + high) / 2, 0
        else:
            inset = min(0.8 * CLOSE * high, width / 2)
            value = low + width * under / (under - over)
            value = min(max(value, low + inset), high - inset)
        found = shows(value)
        if found.excess > 0:
            high, over, breaks = value, found.excess, found.what
            under, side = (under / 2 if side > 0 else under), 1
        else:
            low, under = value, found.excess
            over, side = (over / 2 if side < 0 else over), -1
        halves = halves + 1 if high - low > width / 2 else 0
    return low, breaks


class KeepWithin(PictureGesture):
    """Make a move fit what stands up: less of it, or slower, so that it only comes as far by its
    last frame as it may."""

    verb: Literal["KeepWithin"] = "KeepWithin"
    how: Literal["less", "slower"] = "less"
    tolerance: Tolerance = Tolerance()

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        return self.within(scene, pictures.deep)

    def within(self, scene: Scene, pixels: Pixels | None) -> Edit:
        """The edit that it comes to. pixels: for plates with an alpha."""
        if self.how == "less":
            limit = amount_limit(scene, self.tolerance, pixels)
            if limit.most < SMALLEST:
                raise Refusal(
                    f"Next to nothing of this move stands up: {limit.breaks} shows from its first "
                    "step on. Mend that first, or begin elsewhere."
                )
            return Drive(amount=float(np.floor(limit.most * 100) / 100))
        return self._slower(scene, pixels)

    def _slower(self, scene: Scene, pixels: Pixels | None) -> Edit:
        sighted = required_camera(scene)
        looks = _Looks(scene, sighted, self.tolerance, pixels)
        last = scene.move.frames - 1
        broken = looks.broken(scene.move.amount, list(range(last + 1)))
        if broken is None:
            raise Refusal("The whole move stands up as it is: there is nothing to slow down.")
        good = broken[0] - 1
        if good < SMALLEST * last or good < 1:
            raise Refusal(
                f"{broken[1].capitalize()} shows from frame {broken[0]} on, so there is nothing to "
                "slow down to. Mend that first, or begin elsewhere."
            )
        # the same path, taken so slowly that the last good frame is the last one
        source = np.unique(np.round(np.linspace(0, good, min(good + 1, 13))))
        frames = np.round(source * last / good)
        keys = [
            key_at(camera, int(f), sighted, end=f in (0, last))
            for f, camera in zip(frames, shot_cameras(scene, source, sighted), strict=True)
        ]
        return PutShot.model_validate({**tracks_of(keys), "called": "Slow the move down to fit"})


class _Looks:
    """Frames of a move made by any amount, looked at."""

    def __init__(
        self, scene: Scene, sighted: Camera, tolerance: Tolerance, pixels: Pixels | None
    ) -> None:
        self.scene, self.sighted, self.tolerance = standing(scene), sighted, tolerance
        self.pixels = pixels
        self.asked = render_request(scene, LOOKED_AT)
        self.moves = changes(self.scene)
        self.still = None if self.moves else diagnosed_cast(self.scene, pixels)
        self.starts: dict[int, Floats] = {}
        self.casts: dict[int, DiagnosedCast] = {}
        self.walls: dict[int, Surfaces] = {}

    def broken(self, amount: float, frames: list[int]) -> tuple[int, Breaks] | None:
        """The first of some frames, in their order, that shows more than is allowed at an amount,
        and what."""
        for number, shown in self._looked_at(amount, frames):
            if shown.excess > 0:
                return number, shown.what
        return None

    def worst(self, amount: float, frames: list[int]) -> tuple[int, Shown]:
        """The frame among some that shows most more than is allowed at an amount, and what."""
        out, most = frames[0], Shown(-np.inf, "reveal")
        for number, shown in self._looked_at(amount, frames):
            if shown.excess > most.excess:
                out, most = number, shown
            if most.excess == np.inf:
                break
        return out, most

    def _looked_at(self, amount: float, frames: list[int]) -> Iterator[tuple[int, Shown]]:
        """Each frame, and what it shows more than the lens does."""
        move = self.scene.move.model_copy(update={"amount": amount})
        scene = self.scene.model_copy(update={"move": move})
        cameras = shot_cameras(scene, np.array(frames, float), self.sighted)
        for number, camera in zip(frames, cameras, strict=True):
            check_time()
            if self._through_wall(number, self.sighted.position, camera.position):
                yield number, Shown(np.inf, "wall")
                continue
            cast = self._cast(number)
            told = _shows(cast, camera, self.asked, self.tolerance)
            yield number, _shown(told - self._start(number, cast), self.tolerance)

    def _cast(self, frame: int) -> DiagnosedCast:
        if self.still is not None:
            return self.still
        if frame not in self.casts:
            if len(self.casts) >= MOST_FRAMES:
                self.casts.clear()
            moment = at(self.scene, float(frame))
            self.casts[frame] = diagnosed_cast(moment, self.pixels)
        return self.casts[frame]

    def _start(self, frame: int, cast: DiagnosedCast) -> Floats:
        """What the lens itself shows at a frame."""
        key = frame if self.moves else 0
        if key not in self.starts:
            self.starts[key] = _shows(cast, self.sighted, self.asked, self.tolerance)
        return self.starts[key]

    def _through_wall(self, frame: int, a: Floats, b: Floats) -> bool:
        """Whether something stands between the lens and where the camera is."""
        way = b - a
        if np.linalg.norm(way) < 1e-9:
            return False
        hit = self._walls_at(frame).nearest(a, way)
        return hit is not None and hit.distance < float(np.linalg.norm(way))

    def _walls_at(self, frame: int) -> Surfaces:
        key = frame if self.moves else 0
        if key not in self.walls:
            self.walls[key] = _walls(at(self.scene, float(frame)), self.sighted)
        return self.walls[key]


def _walls(scene: Scene, sighted: Camera) -> Surfaces:
    return Surfaces(tuple(p for p in scene.proxies if not p.hidden), sighted)


def _reach(moment: Scene, sighted: Camera, shot: Camera, way: Way) -> tuple[float, bool]:
    """How far is looked one way, metres or octaves of focal length; whether a wall ends it."""
    if way in ("longer", "shorter"):
        return 2.0, False
    far = 3.0 * nearest_depth(moment, shot)
    ahead = shot.rotation.T @ np.array(SIDES[way], float)
    hit = _walls(moment, sighted).nearest(shot.position, ahead)
    room = NEAREST * world_size(sighted)
    if hit is None or hit.distance - room > far:
        return far, False
    return max(hit.distance - room, 0.0), True


def _gone(shot: Camera, way: Way, by: float) -> Camera:
    if way in ("longer", "shorter"):
        return replace(shot, focal_px=shot.focal_px * 2.0 ** (by if way == "longer" else -by))
    return replace(shot, position=shot.position + shot.rotation.T @ (by * np.array(SIDES[way])))


def _shows(
    cast: DiagnosedCast, camera: Camera, asked: RenderRequest, tolerance: Tolerance
) -> Floats:
    """(3,) shares of the frame's area that a camera shows of leak, of reveal, and of what is pulled
    too far in the frame that is delivered."""
    told = looked_at(cast, asked, camera, tolerance.stretch)
    return np.array([told.share(kind) for kind in ("leak", "reveal", "stretch")])


def _shown(more: Floats, tolerance: Tolerance) -> Shown:
    """What shares (3,) of leak, reveal and stretch beyond those of the start come to."""
    leak, reveal, stretch = more.tolist()
    bare = max(leak, 0.0) + max(reveal, 0.0)
    if bare >= stretch:
        return Shown(bare - tolerance.most, "leak" if leak >= reveal else "reveal")
    return Shown(stretch - tolerance.most, "stretch")
