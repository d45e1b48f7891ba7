"""One picture, as a lantern sees the place, of all that the frames of a moving shot saw: each place
from the frame that sees it best, with seams where the frames agree, exposure evened out, and what
passes by left out.

What a place looks like is the median of all frames that see it; a frame that shows it otherwise has
something before it that is not in the blocking. Which frame each place is taken from is chosen for
all of them together by belief propagation (see `choose`), a seam costing what it shows.
"""

from __future__ import annotations

from collections.abc import Callable
from copy import copy
from dataclasses import dataclass, replace
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ..arrays import Bytes, Flags, Floats32, Indices
from ..camera import Camera
from ..deadline import check_time
from ..picture.eight import in_eight_bit, white_of
from ..refusal import Refusal
from ..render.film import film
from ..render.land import Cast, Target, Thrower
from ..render.pyramid import pyramid
from ..scene.edits import Edit, PutLanterns
from ..scene.edits.cast import thrown_anew
from ..scene.edits.edit import the_one
from ..scene.gesture import PictureGesture
from ..scene.model import Lantern, Scene
from ..scene.pictures import Pictures, brought
from ..scene.sheet import lanterns_of
from ..sight.measure import required_camera
from ..value import Id
from .choose import chosen
from .footage import Frame, footage_of
from .ofscene import Pixels, lantern_camera, plate_camera, targets

COARSE = 4  # px of the picture for one of what is chosen on
MOST_CHOSEN = 16  # frames that places are taken from
WORTH = 2e-3  # of all places: less gain than that by one more frame is none
OTHER = 22.0  # of 255: how far a frame may be off the median; and of the contrast round a place
ROUND = 0.8
GROWN = 2  # coarse px by which what passes by is made larger
BLUR = 0.5  # of a frame's time, that its shutter is open
BY_SHARPNESS = 400.0  # cost of half of e times the pixels, beside that of a seam (see `choose`)
AT_A_RIM = 500.0  # cost of a place beside what hides it in that frame
NEVER = 1e7
LEAST_GAIN, MOST_GAIN = 0.4, 2.5
EVEN = 0.01  # a step of exposure that is not one
LEAST_SHIFT = 24  # px a side; smaller pictures are not looked at for shifts


@dataclass(frozen=True)
class Gathered:
    """picture: (H, W, 4) in the kind of the footage, its alpha not multiplied in: 0 where no frame
    saw anything. which: (H, W) the number of the frame that each place is from, -1 for none.
    shift: (H, W) how far another frame shows it elsewhere, px; NaN where only one saw it. frames:
    those that places are from. gains: by frame, what its colours were multiplied by. thrown: what a
    frame by itself throws, as the picture is."""

    picture: NDArray[Any]
    which: Indices
    shift: Floats32
    frames: list[int]
    gains: dict[int, tuple[float, float, float]]
    thrown: Callable[[int], NDArray[Any]]

    @property
    def covered(self) -> float:
        """The share of the picture that some frame saw."""
        return float((self.which >= 0).mean())

    @property
    def shift_px(self) -> float:
        """The median shift; NaN where nothing was seen twice."""
        known = self.shift[np.isfinite(self.shift)]
        return float(np.median(known)) if len(known) else float("nan")


class Gather(PictureGesture):
    """Fill a lantern's plate with all that the footage saw of what the lantern sees."""

    verb: Literal["Gather"] = "Gather"
    lantern: Id

    def memory_bytes(self, scene: Scene) -> float:
        lantern = the_one(scene.lanterns, self.lantern, "lantern")
        view = lantern_camera(lantern, required_camera(scene))
        count = 1 if scene.passed is None else len(scene.passed.frames)
        return view.width * view.height * (20.0 * MOST_CHOSEN + 8.0 * count / COARSE**2)

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        lantern = the_one(scene.lanterns, self.lantern, "lantern")
        made = gathered(scene, lantern, pictures.deep)
        plate = brought(pictures, f"{lantern.name} gathered", made.picture)
        new = thrown_anew(lantern, plate, stand_in=False)
        shift = "" if np.isnan(made.shift_px) else f", {made.shift_px:.1f} px apart"
        said = f"Gather {lantern.name} from {len(made.frames)} frames{shift}"
        return PutLanterns(lanterns=(new,), said=said[:80])


def gathered(
    scene: Scene, lantern: Lantern, pixels: Pixels, after_each: Callable[[], None] = check_time
) -> Gathered:
    """What the footage saw of what a lantern sees: of the proxies that take it, or of all where
    none does. pixels: of a plate at its picture. after_each: called for each frame; may raise to
    stop.

    Raises Refusal where there is no footage with a camera, or it sees nothing of that.
    """
    sighted, footage = required_camera(scene), footage_of(scene)
    view = plate_camera(lantern, sighted)
    if lantern.view is None and lantern.window is None and lantern.plate is None:
        raise Refusal(
            f"{lantern.name} throws the footage itself. Add a wide lantern, and gather into that."
        )
    every = [replace(one, lanterns=(0,)) for one in targets(scene, sighted)]
    shown = [p for p in scene.proxies if not p.hidden]
    takes = {i for i, p in enumerate(shown) if lantern in lanterns_of(scene, p.id)}
    mine = [one for one in every if one.proxy in takes] or every
    if not mine:
        raise Refusal("Nothing stands that the footage could be gathered on.")
    small = view.resized(max(view.width // COARSE, 1), max(view.height // COARSE, 1))
    looks = _Looks(mine, every, small, footage, pixels, after_each)
    if not looks.seen.any():
        raise Refusal(f"No frame of the footage sees anything of what {lantern.name} sees.")
    use = _used(looks.worth)
    label = _labels(looks, use)
    return _laid_together(looks, use, label, view)


class _Looks:
    """All frames as the lantern sees what they throw, small. colours: (F, h, w, 3). seen: (F, h, w)
    whether a frame shows a place as it is. rim: (F, h, w) whether it is beside what hides it there.
    sharp: (F, h, w) log pixels a metre. worth: the same relative to the best frame of all, where it
    is seen, and below that of any other. gains: (F, 3)."""

    def __init__(
        self, mine: list[Target], every: list[Target], small: Camera, footage: list[Frame],
        pixels: Pixels, after_each: Callable[[], None],
    ) -> None:  # fmt: skip
        self.mine, self.every, self.footage = mine, every, footage
        self.pixels, self.after_each = pixels, after_each
        place, normal, there = _surfaces(mine, small, footage[0].camera)
        colours, seen, rim, sharp = [], [], [], []
        for k, frame in enumerate(footage):
            after_each()
            made = in_eight_bit(self.thrown(frame, small))
            whole = made[..., 3] > 250
            colours.append(np.ascontiguousarray(made[..., :3]))
            seen.append(whole & there)
            inner = cv2.erode(whole.astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=1)
            rim.append(~inner.astype(bool))
            beside = footage[k + 1 if k + 1 < len(footage) else max(k - 1, 0)].camera
            sharp.append(_sharpness(frame.camera, beside, place, normal))
        self.colours, self.sharp = np.stack(colours), np.stack(sharp)
        self.seen, self.rim = np.stack(seen), np.stack(rim)
        self.gains = self._evened()
        self.seen &= ~self._passing()
        sharp_seen = np.where(self.seen, self.sharp, -np.inf)
        best = sharp_seen.max(axis=0)
        relative = sharp_seen - np.where(np.isfinite(best), best, 0.0)
        self.worth = np.where(self.seen, relative.clip(-5, 0), -6.0).astype(np.float32)

    def thrown(self, frame: Frame, view: Camera) -> NDArray[Any]:
        """A frame's picture thrown onto what is gathered, seen from a view; what anything hides
        from the frame is clear."""
        plate = pyramid(self.pixels(frame.plate))
        one = Thrower(frame.camera, plate, "stop", through=False)
        cast = Cast(self.mine, [one])
        if self.every is not self.mine:
            hides = Cast(self.every, [one])  # what is not gathered hides too
            cast = copy(cast)
            cast.buffers, cast.visibility = hides.buffers, hides.visibility
        return film(cast, view).beauty

    def _evened(self) -> NDArray[np.float64]:
        """What each frame's colours are multiplied by, so that it is as bright as the others where
        they see the same."""
        median = _median(self.colours, self.seen)
        sure = (_least(median) > 12) & (_most(median) < 245)
        out = np.ones((len(self.colours), 3))
        for k, (colour, seen) in enumerate(zip(self.colours, self.seen, strict=True)):
            plain = seen & sure & (_least(colour) > 12) & (_most(colour) < 245)
            if plain.sum() < 64:
                continue
            ratio = np.median(median[plain] / colour[plain].astype(float), axis=0)
            even = abs(ratio - 1) < EVEN
            out[k] = np.where(even, 1.0, ratio.clip(LEAST_GAIN, MOST_GAIN))
            if not even.all():
                scaled = colour * out[k].astype(np.float32)
                self.colours[k] = np.round(scaled.clip(0, 255)).astype(np.uint8)
        return out

    def _passing(self) -> Flags:
        """(F, h, w) where a frame shows something else than most of those that see the place."""
        count = self.seen.sum(axis=0)
        median = _median(self.colours, self.seen)
        kernel = np.ones((3, 3), np.uint8)
        contrast = _most(cv2.subtract(cv2.dilate(median, kernel), cv2.erode(median, kernel)))
        most = OTHER + ROUND * contrast
        out = np.zeros(self.seen.shape, bool)
        grown = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * GROWN + 1, 2 * GROWN + 1))
        speck = np.ones((2, 2), np.uint8)
        for k, colour in enumerate(self.colours):
            off = _most(cv2.absdiff(colour, median)) > most
            off &= self.seen[k] & (count >= 3)
            whole = cv2.morphologyEx(off.astype(np.uint8), cv2.MORPH_OPEN, speck)
            out[k] = cv2.dilate(whole, grown).astype(bool)
        left = (self.seen & ~out).any(axis=0)
        return np.asarray(out & left)


def _surfaces(
    mine: list[Target], small: Camera, lens: Camera
) -> tuple[Floats32, Floats32, Flags]:  # fmt: skip
    """(h, w, 3) the places and normals that a view sees, and (h, w) where it sees any."""
    blank = Thrower(lens, pyramid(np.zeros((2, 2, 3), np.uint8)))
    made = film(Cast(mine, [blank]), small, ("position", "normal", "id"))
    assert made.position is not None
    assert made.normal is not None
    assert made.id is not None
    return made.position, made.normal, np.asarray(made.id >= 0)


def _sharpness(
    camera: Camera, beside: Camera, place: Floats32, normal: Floats32
) -> Floats32:  # fmt: skip
    """(h, w) log of how many pixels a metre of a surface takes in a frame, along the direction in
    which they are fewest; fewer by as many as it moves by while the shutter is open. beside: the
    camera of the next frame."""
    way = camera.position - place
    far = np.maximum(np.sqrt(np.einsum("hwk,hwk->hw", way, way)), 1e-6)
    facing = np.maximum(np.abs(np.einsum("hwk,hwk->hw", way, normal)) / far, 1e-6)
    shape = place.shape[:2]
    points = place.reshape(-1, 3).astype(float)
    moved = beside.project(points)[0] - camera.project(points)[0]
    blur = BLUR * np.hypot(moved[:, 0], moved[:, 1]).reshape(shape).clip(0, 1e4)
    return np.log(camera.focal_px * facing / far / (1.0 + blur)).astype(np.float32)


def _least(colour: Bytes) -> Bytes:
    """(h, w) the least of each pixel's three numbers; `min(axis=2)` takes five times as long."""
    return np.minimum(np.minimum(colour[..., 0], colour[..., 1]), colour[..., 2])


def _most(colour: Bytes) -> Bytes:
    return np.maximum(np.maximum(colour[..., 0], colour[..., 1]), colour[..., 2])


def _median(colours: Bytes, seen: Flags) -> Bytes:
    """(h, w, 3) the median of the frames that see a place, the lower one of two."""
    count = seen.sum(axis=0)
    middle = (np.maximum(count, 1) - 1) // 2
    out = np.zeros(colours.shape[1:], np.uint8)
    for channel in range(3):
        there = np.where(seen, colours[..., channel], np.uint8(255))
        there.sort(axis=0)
        out[..., channel] = np.take_along_axis(there, middle[None], axis=0)[0]
    return out


def _used(worth: Floats32) -> list[int]:
    """The frames that places are taken from: one after another the one that adds most."""
    best = np.full(worth.shape[1:], -6.0, np.float32)
    use: list[int] = []
    while len(use) < MOST_CHOSEN:
        gains = np.maximum(worth - best, 0).sum(axis=(1, 2))
        most = int(gains.argmax())
        if gains[most] <= WORTH * best.size and use:
            break
        if gains[most] <= 0:
            break
        use.append(most)
        best = np.maximum(best, worth[most])
    return use


def _labels(looks: _Looks, use: list[int]) -> Indices:
    """(2, h, w) which of the used frames each place is from, and which is the next best; -1 for
    none."""
    seen = looks.seen[use]
    cost = np.where(seen, -BY_SHARPNESS * looks.worth[use], np.float32(NEVER))
    cost += np.where(seen & looks.rim[use], np.float32(AT_A_RIM), 0.0)
    any_seen = seen.any(axis=0)
    grid = np.where(any_seen, np.cumsum(any_seen.ravel()).reshape(any_seen.shape) - 1, -1)
    at = np.nonzero(any_seen)
    flat_cost = np.ascontiguousarray(cost[:, at[0], at[1]].T, np.float32)
    colour = looks.colours[use][:, at[0], at[1]].astype(np.float32).transpose(1, 2, 0)
    best = chosen(grid, flat_cost, np.ascontiguousarray(colour))
    rows = np.arange(len(best))
    unseen = flat_cost[rows, best] >= NEVER  # never, but where nothing else is near
    best = np.where(unseen, flat_cost.argmin(axis=1), best)
    rest = flat_cost.copy()
    rest[rows, best] = np.inf
    second = rest.argmin(axis=1)
    second = np.where(rest[rows, second] < NEVER, second, -1)
    out = np.full((2, *any_seen.shape), -1, np.int64)
    out[0][at], out[1][at] = best, second
    return out


def _laid_together(looks: _Looks, use: list[int], label: Indices, view: Camera) -> Gathered:
    size = view.width, view.height
    sums = np.zeros((2, view.height, view.width, 3), np.float32)
    weights = np.zeros((2, view.height, view.width), np.float32)
    spare = np.zeros((view.height, view.width, 3), np.float32)
    spare_of = np.full((view.height, view.width), -1, np.int64)
    cover = np.zeros((view.height, view.width), np.float32)
    most = np.zeros((view.height, view.width), np.float32)
    which = np.full((view.height, view.width), -1, np.int64)
    kind: Any = None
    for i, k in enumerate(use):
        looks.after_each()
        frame = looks.footage[k]
        box = _box(label == i, view)
        if box is None:
            continue
        rows, columns = box
        part = replace(
            view, width=columns.stop - columns.start, height=rows.stop - rows.start,
            cx=view.cx - columns.start, cy=view.cy - rows.start,
        )  # fmt: skip
        made = looks.thrown(frame, part)
        kind = made.dtype
        alpha = made[..., 3].astype(np.float32) / np.float32(white_of(kind))
        colour = made[..., :3].astype(np.float32) * looks.gains[k].astype(np.float32)
        np.maximum(cover[box], alpha, out=cover[box])
        for n in range(2):
            mask = (label[n] == i).astype(np.float32)
            weight = _larger(mask, size, box) * alpha
            sums[(n, *box)] += weight[..., None] * colour
            weights[(n, *box)] += weight
            if n == 0:
                mine = weight > most[box]
                which[box][mine], most[box][mine] = frame.number, weight[mine]
        new = (spare_of[box] < 0) & (alpha > 0)
        spare[box][new], spare_of[box][new] = colour[new], frame.number
    picture = np.where(
        weights[0][..., None] > 1e-3, sums[0] / np.maximum(weights[0], 1e-3)[..., None], spare
    )
    which = np.where(which >= 0, which, spare_of)
    white = white_of(kind)
    if kind.kind == "u":
        picture = np.round(picture.clip(0, white))
    whole = np.dstack([picture, cover * np.float32(white) + (0.5 if kind.kind == "u" else 0.0)])
    shift = _shift(sums, weights, white)
    numbers = [looks.footage[k].number for k in use]
    gains = {looks.footage[k].number: _three(looks.gains[k]) for k in use}

    def thrown(number: int) -> NDArray[Any]:
        k = use[numbers.index(number)]
        made = looks.thrown(looks.footage[k], view)
        light = made[..., :3] * looks.gains[k].astype(np.float32)
        if kind.kind == "u":
            light = np.round(light.clip(0, white))
        return np.dstack([light.astype(kind), made[..., 3]])

    return Gathered(whole.astype(kind), which, shift, numbers, gains, thrown)


def _box(where: Flags, view: Camera) -> tuple[slice, slice] | None:
    """The rows and columns of a view that may take something from places (n, h, w); None where
    there are none."""
    rows, columns = (np.nonzero(where.any(axis=axes))[0] for axes in ((0, 2), (0, 1)))
    if not len(rows):
        return None
    out = []
    for found, small, large in (
        (rows, where.shape[1], view.height), (columns, where.shape[2], view.width)
    ):  # fmt: skip
        scale = large / small
        first, last = int(found[0] * scale), int(np.ceil((found[-1] + 1) * scale))
        out.append(slice(max(first - 2 * COARSE, 0), min(last + 2 * COARSE, large)))
    return out[0], out[1]


def _larger(mask: Floats32, size: tuple[int, int], box: tuple[slice, slice]) -> Floats32:
    """A part of a coarse mask (h, w) at the size of the picture, straight between its places."""
    rows, columns = box
    across, down = mask.shape[1] / size[0], mask.shape[0] / size[1]
    x = ((np.arange(columns.start, columns.stop) + 0.5) * across - 0.5).astype(np.float32)
    y = ((np.arange(rows.start, rows.stop) + 0.5) * down - 0.5).astype(np.float32)
    by = np.array(
        [[across, 0, float(x[0])], [0, down, float(y[0])]], np.float64
    )  # from pixels of the part to places of the mask
    return np.asarray(
        cv2.warpAffine(
            mask, by, (len(x), len(y)), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REPLICATE,
        )
    )  # fmt: skip


def _three(gain: NDArray[np.float64]) -> tuple[float, float, float]:
    return float(gain[0]), float(gain[1]), float(gain[2])


def _shift(sums: Floats32, weights: Floats32, white: float) -> Floats32:
    """(H, W) how far what the second frame of each place shows is from what the first does, px, by
    optical flow (Kroeger et al. 2016); NaN where there is no second."""
    height, width = weights.shape[1:]
    both = (weights > 0.5).all(axis=0)
    out = np.full((height, width), np.nan, np.float32)
    if min(height, width) < LEAST_SHIFT or not both.any():
        return out
    greys: list[Bytes] = []
    for n in range(2):
        plain = sums[n] / np.maximum(weights[n], 1e-3)[..., None] / np.float32(white)
        greys.append((plain.clip(0, 1).mean(axis=2) * 255).astype(np.uint8))
    greys[1] = np.where(both, greys[1], greys[0])
    by = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    flow = by.calc(greys[0], greys[1], np.zeros((height, width, 2), np.float32))
    out[both] = np.linalg.norm(flow, axis=2)[both]
    return out
