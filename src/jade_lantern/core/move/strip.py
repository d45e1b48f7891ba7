"""The time strip: where the trick would show in every frame of a shot, worked out bit by bit and,
after a change, only where that shows."""

from __future__ import annotations

import time
from dataclasses import replace
from functools import partial
from operator import is_
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..arrays import Floats, Indices
from ..camera import Camera
from ..cast.ofscene import Known, Pixels, places_of, targets
from ..proxy import Proxy
from ..render.diagnose import DiagnosedCast, Diagnosis
from ..render.land import Target, near_limit
from ..render.parts import KINDS, WHOLE
from ..scene.model import Scene
from ..scene.moment import moments
from ..scene.shot import shot_cameras
from ..sight.measure import required_camera
from .diagnosis import BUFFER_WIDTH, standing
from .frames import render_request

STRIP_WIDTH = 128  # px, the width at which all frames are diagnosed for the strip
MOST_TOUCHED = 0.6  # of a frame; where a change touches more of it, it is looked at anew
GROWN_PX = 2  # by which what a change touches is grown, for lookups of whole pixels


Box = tuple[int, int, int, int]  # left, top, right and bottom of a part of a frame, px


class Maps(NamedTuple):
    """A frame's maps. owner: (H, W) which of the proxies shown, -1 for none. wrong: (4, H, W) how
    much of each pixel is what of KINDS, in parts of WHOLE. shares: (4,) of KINDS in the frame.
    by_proxy: (P,) of each that is wrong."""

    owner: NDArray[np.int16]
    wrong: NDArray[np.uint8]
    shares: Floats
    by_proxy: Floats


class Frames(NamedTuple):
    """Shares (F,) of each frame where the trick would show, NaN where it is not known yet; and by
    proxy, (P,) its share of the frame in which it is worst, and (P,) that frame."""

    leak: Floats
    spill: Floats
    stretch: Floats
    reveal: Floats
    proxy_most: Floats
    proxy_frame: Indices

    @property
    def worst(self) -> int:
        every = self.leak + self.spill + self.stretch + self.reveal
        return int(np.argmax(np.nan_to_num(every, nan=-1.0)))

    @property
    def known(self) -> bool:
        """Whether every frame is."""
        return not np.isnan(self.leak).any()


class Strip:
    """What is known of a scene's frames so far."""

    def __init__(self, scene: Scene, pixels: Pixels | None = None) -> None:
        self.scene, self.pixels = standing(scene), pixels
        self._count = max(sum(not p.hidden for p in scene.proxies), 1)
        asked = render_request(scene, STRIP_WIDTH)
        self.frames = np.arange(asked.first, asked.last + 1, dtype=float)
        self.sighted = required_camera(scene)
        shots = shot_cameras(self.scene, self.frames, self.sighted)
        looks = [asked.looked_at(c) for c in shots]
        self.cameras = [camera for camera, _, _ in looks]
        _, self.larger, self.size = looks[0]
        self.moments = moments(self.scene, self.frames)
        self.maps: list[Maps | None] = [None] * len(self.frames)
        self._left = coarse_to_fine(len(self.frames))
        self._known: dict[tuple[object, ...], Maps] = {}
        self._cast: tuple[Scene, list[Target], DiagnosedCast] | None = None
        self._targets: Known = {}
        self._still: dict[tuple[object, ...], Floats | None] = {}
        self._lights: list[Floats] = []
        # frames of which only a box has to be looked at, with what is known of the rest
        self._partly: dict[int, tuple[NDArray[np.int16], NDArray[np.uint8], Box]] = {}
        self._throw = partial(places_of, sighted=self.sighted, pixels=pixels, standing=self._still)

    @property
    def nbytes(self) -> int:
        """Of all its frames' maps, once they are known."""
        camera = self.cameras[0]
        return len(self.frames) * camera.width * camera.height * 6

    def work(self, seconds: float = np.inf) -> bool:
        """Look at frames that are not known yet, those that are far from known ones first, for
        about so many seconds. Whether all are known then."""
        until = time.monotonic() + seconds
        while self._left:
            self._look(self._left.pop())
            if time.monotonic() > until:
                break
        return not self._left

    def frames_so_far(self) -> Frames:
        shares = np.full((len(self.frames), len(KINDS)), np.nan)
        by_proxy = np.zeros((len(self.frames), self._count))
        for i, maps in enumerate(self.maps):
            if maps is not None:
                shares[i], by_proxy[i] = maps.shares, maps.by_proxy
        leak, spill, stretch, reveal = shares.T
        return Frames(leak, spill, stretch, reveal, by_proxy.max(axis=0), by_proxy.argmax(axis=0))

    def after(self, scene: Scene) -> Strip:
        """What is known of another scene's frames from this one's: of frames in which the same is
        seen by the same camera all; of frames in which some proxies are otherwise, what lies
        neither where they are seen nor where they stand before something in a lantern's light."""
        new = Strip(scene, self.pixels)
        if not _alike(self.scene, new.scene):
            return new
        new._still.update(self._still)
        new._lights = [one.camera.position for one in new._throw(new.scene)]
        if (new.cameras[0].width, new.cameras[0].height) != (
            self.cameras[0].width, self.cameras[0].height
        ):  # fmt: skip
            return new
        took: dict[tuple[int, int], tuple[Scene, list[int]]] = {}  # frames by what was there before
        for i in new._left:
            known = i < len(self.maps) and self.maps[i] is not None
            if known and _numbers(self.cameras[i]) == _numbers(new.cameras[i]):
                pair = id(self.moments[i]), id(new.moments[i])
                took.setdefault(pair, (self.moments[i], []))[1].append(i)
        for before, frames in took.values():
            new._take_over(before, frames, self.maps)
        new._left = [i for i in new._left if new.maps[i] is None]
        return new

    def _look(self, i: int) -> None:
        moment, camera = self.moments[i], self.cameras[i]
        key = (id(moment), *_numbers(camera))
        if key not in self._known:
            known = self._partly.pop(i, None)
            if known is None:
                told = self._cast_of(moment).from_(camera, self.larger, size=self.size)
                self._known[key] = self._counted(*_maps(told))
            else:
                self._known[key] = self._mended(*known, moment, camera)
        self.maps[i] = self._known[key]

    def _cast_of(self, moment: Scene) -> DiagnosedCast:
        if self._cast is None or self._cast[0] is not moment:
            there, thrown = targets(moment, self.sighted, self._targets), self._throw(moment)
            if self._cast is not None and all(map(is_, there, self._cast[1])):
                cast = self._cast[2].thrown_by(thrown)
            else:
                cast = DiagnosedCast(there, thrown, BUFFER_WIDTH)
            self._cast = moment, there, cast
        return self._cast[2]

    def _take_over(self, before: Scene, frames: list[int], maps: list[Maps | None]) -> None:
        """Take the maps of frames over from a scene at a moment in which some proxies were
        otherwise: whole where that does not show; of the others it is noted where it does."""
        moment = self.moments[frames[0]]
        other, numbers = _difference(before, moment)
        points = [p.mesh(self.sighted).points for p in other]
        cameras = [self.cameras[i] for i in frames]
        boxes = _touched(points, self._lights, cameras, near_limit([self.sighted]))
        for i, box in zip(frames, boxes, strict=True):
            old = maps[i]
            if box is None or old is None:
                continue
            owner = old.owner if numbers is None else numbers[old.owner]
            if box[0] != box[2] and box[1] != box[3]:
                self._partly[i] = owner, old.wrong, box
            elif numbers is None:
                self.maps[i] = old
            else:
                self.maps[i] = self._counted(owner, old.wrong)

    def _mended(
        self, owner: NDArray[np.int16], wrong: NDArray[np.uint8], box: Box, moment: Scene,
        camera: Camera,
    ) -> Maps:  # fmt: skip
        """A frame's maps with a box of it looked at anew."""
        x0, y0, x1, y1 = box
        part = replace(camera, width=x1 - x0, height=y1 - y0, cx=camera.cx - x0, cy=camera.cy - y0)
        owner, wrong = owner.copy(), wrong.copy()
        size = min(x1, self.size[0]) - x0, min(y1, self.size[1]) - y0
        told = self._cast_of(moment).from_(part, self.larger, size=size)
        owner[y0:y1, x0:x1], wrong[:, y0:y1, x0:x1] = _maps(told)
        return self._counted(owner, wrong)

    def _counted(self, owner: NDArray[np.int16], wrong: NDArray[np.uint8]) -> Maps:
        """Maps of a frame with their shares."""
        whole = WHOLE * self.size[0] * self.size[1]
        shares = wrong.sum(axis=(1, 2), dtype=np.int64) / whole
        most = wrong[1:].max(axis=0)  # a leak is nobody's
        mine = (most > 0) & (owner >= 0)
        by = np.bincount(owner[mine], weights=most[mine], minlength=self._count)[: self._count]
        return Maps(owner, wrong, shares, by / whole)


def whole_move(scene: Scene, pixels: Pixels | None = None) -> Frames:
    """Each frame of the shot looked at small."""
    strip = Strip(scene, pixels)
    strip.work()
    return strip.frames_so_far()


def coarse_to_fine(count: int) -> list[int]:
    """Numbers of frames, to be taken from the end of the list: the ends first, then ever finer
    between those that came before."""
    order, step = [0, count - 1], 1
    while step < count:
        step *= 2
    while step > 1:
        order += range(step // 2, count, step)
        step //= 2
    return list(dict.fromkeys(order))[::-1]


def _maps(diagnosis: Diagnosis) -> tuple[NDArray[np.int16], NDArray[np.uint8]]:
    """Owner and wrong, as in `Maps`."""
    return diagnosis.parts.owner.astype(np.int16), diagnosis.parts.wrong


def _alike(a: Scene, b: Scene) -> bool:
    """Whether nothing but proxies and the shot's camera can be otherwise in two scenes."""
    names = ("plate", "sighting", "lanterns", "sheet", "glazed", "move", "tracks")
    for name in names:
        one, two = getattr(a, name), getattr(b, name)
        if name == "move":
            one, two = one.frame, two.frame
        if one is not two and one != two:
            return False
    return True


def _numbers(camera: Camera) -> tuple[float, ...]:
    return (*camera.position.tolist(), *camera.rotation.ravel().tolist(), camera.focal_px)


def _difference(before: Scene, after: Scene) -> tuple[list[Proxy], NDArray[np.int16] | None]:
    """The proxies that one of two scenes shows and the other does not, or otherwise; and what the
    number of each proxy shown before is after, -1 being where there is none, last; None where all
    are the same."""
    old = {p.id: p for p in before.proxies if not p.hidden}
    new = {p.id: p for p in after.proxies if not p.hidden}
    other = [
        one
        for id in {**old, **new}
        if old.get(id) is not new.get(id) and old.get(id) != new.get(id)
        for one in (old.get(id), new.get(id))
        if one is not None
    ]
    if list(old) == list(new):
        return other, None
    places = {id: i for i, id in enumerate(new)}
    return other, np.array([*(places.get(id, -1) for id in old), -1], np.int16)


def _touched(
    others: list[Floats], lights: list[Floats], cameras: list[Camera], near_m: float
) -> list[Box | None]:
    """Of each camera, the box x0 y0 x1 y1 of its frame outside of which it makes no difference
    whether proxies are there; None where that is most of it. others: (N, 3) the points of each.
    lights: (3,) where the lanterns are.

    What a lantern sees behind a proxy lies in the cone from the lantern through it. The cone is
    convex, and spanned by the proxy's points and, infinitely far, the directions from the lantern
    to them: so its picture lies within theirs, if all of them are in front of the camera.
    """
    projections = np.array([camera.projection() for camera in cameras])
    places = np.array([camera.position for camera in cameras])
    size = np.array([cameras[0].width, cameras[0].height])
    low, high = np.full((len(cameras), 2), np.inf), np.full((len(cameras), 2), -np.inf)
    ahead = np.ones(len(cameras), bool)
    for points in others:
        if not len(points):
            continue
        spans = [np.einsum("fij,fnj->fni", projections, points - places[:, None])]
        spans += [np.einsum("fij,nj->fni", projections, points - light) for light in lights]
        for h in spans:
            least = np.maximum(1e-6 * np.abs(h).max(axis=(1, 2)), near_m)
            ahead &= h[..., 2].min(axis=1) > least
            pixels = h[..., :2] / np.maximum(h[..., 2:], 1e-12)
            low, high = np.minimum(low, pixels.min(axis=1)), np.maximum(high, pixels.max(axis=1))
    first = np.clip(np.floor(low) - GROWN_PX, 0, size)
    end = np.clip(np.ceil(high) + GROWN_PX, 0, size)
    end = np.maximum(end, first)
    few = (end - first).prod(axis=1) <= MOST_TOUCHED * size.prod()
    boxes = np.concatenate([first, end], axis=1).astype(int).tolist()
    return [
        (x0, y0, x1, y1) if fine else None
        for (x0, y0, x1, y1), fine in zip(boxes, (ahead & few).tolist(), strict=True)
    ]
