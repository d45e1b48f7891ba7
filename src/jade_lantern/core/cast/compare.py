"""A photograph against the still, thrown and seen from where the photograph was taken: how far the
two are apart, by optical flow."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..arrays import Bytes, Flags, Floats, Floats32
from ..camera import Camera
from ..picture import tones
from ..picture.eight import in_eight_bit
from ..refusal import Refusal
from ..render.film import film
from ..render.land import Cast, Target, Thrower
from ..render.pyramid import pyramid
from ..scene.model import Lantern, Scene
from ..scene.pictures import require_one_picture
from ..sight.measure import required_camera
from .ofscene import Pixels, plate_camera, targets

LONGEST = 1600  # px, the longer side that pictures are matched at
MOST_FLOW = 12.0  # px; farther apart the two show different things there
LIKE = 0.5  # correlation, under which the two do not show the same wherever the flow has led
LEAST_GAIN, MOST_GAIN = 0.3, 3.5
STEPS_PX = (0.0, 2.0, 8.0)  # of the photograph; their tones are mixed between them
TONES = (tones.OWN, tones.STRETCH, tones.LEAK)
FAINT = 0.35  # how much of the photograph is seen beneath


@dataclass(frozen=True)
class Off:
    """shift: (h, w) px of the photograph, NaN where the two share nothing. photo: (h, w, 3) the
    photograph at that size."""

    shift: Floats32
    photo: Bytes

    @property
    def share(self) -> float:
        """Of the photograph, where it could be compared."""
        return float(np.isfinite(self.shift).mean())

    def within(self, share: float) -> float:
        """How far off so large a share of what was compared is at the most, px."""
        return float(np.nanquantile(self.shift, share))

    def picture(self) -> Bytes:
        """(h, w, 3) the photograph in grey, tinted by how far it is off."""
        grey = cv2.cvtColor(self.photo, cv2.COLOR_RGB2GRAY).astype(np.float32)
        out = np.repeat(FAINT * grey[..., None], 3, axis=2)
        known = np.isfinite(self.shift)
        for k in range(3):
            tint = np.interp(self.shift[known], STEPS_PX, [one[k] for one in TONES])
            out[known, k] += (1 - FAINT) * tint
        return out.round().clip(0, 255).astype(np.uint8)


def off(scene: Scene, lantern: Lantern, pixels: Pixels) -> Off:
    """How far a lantern's own plate is off where the still lands on what it sees too.

    Raises Refusal where it has none, or the two share nothing.
    """
    plate = lantern.plate
    if plate is None or lantern.view is None:
        raise Refusal(f"{lantern.name} throws no photograph from a place of its own.")
    require_one_picture(plate, "comparing")
    require_one_picture(scene.plate, "comparing")
    photo: NDArray[Any] = pixels(plate)
    cast = still_cast(scene, pixels(scene.plate))
    camera = plate_camera(lantern, required_camera(scene)).resized(photo.shape[1], photo.shape[0])
    shift, small, _ = compared(cast, camera, photo)
    if not np.isfinite(shift).any():
        raise Refusal(
            f"What {lantern.name} shows is nowhere like what the still throws there: it is off by "
            "more than can be measured, or the two share nothing."
        )
    return Off(shift, in_eight_bit(small))


def still_cast(scene: Scene, still: NDArray[Any]) -> Cast:
    """What stands, with the still thrown onto what its lens sees of it. Raises Refusal where
    nothing stands."""
    plate = pyramid(in_eight_bit(still)[..., :3])
    return Cast([only(t) for t in standing(scene)],
                [Thrower(required_camera(scene), plate, through=False)])  # fmt: skip


def standing(scene: Scene) -> list[Target]:
    there = [t for t in targets(scene, required_camera(scene)) if _stands(scene, t.proxy)]
    if not there:
        raise Refusal("Nothing stands that the photograph could be matched on.")
    return there


def _stands(scene: Scene, number: int) -> bool:
    """What hangs before the lens is wherever it was hung, and tells no place."""
    return bool([p for p in scene.proxies if not p.hidden][number].stands)


def only(target: Target) -> Target:
    return replace(target, lanterns=(0,))


def compared(
    cast: Cast, camera: Camera, photo: NDArray[Any]
) -> tuple[Floats32, Bytes, Floats]:  # fmt: skip
    """See `Placed`: the shift, px of the photograph, at a size that is matched at; the photograph
    (h, w, 3) at that size; and the gain."""
    theirs = _smaller(photo)
    camera = camera.resized(theirs.shape[1], theirs.shape[0])
    beauty, _ = seen_from(cast, camera)
    both = cv2.erode((beauty[..., 3] == 255).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    grey = cv2.cvtColor(theirs, cv2.COLOR_RGB2GRAY)
    flow, sure = steady(beauty, grey, both)
    shift = np.full(both.shape, np.nan, np.float32)
    scale = photo.shape[1] / camera.width
    shift[sure] = scale * np.linalg.norm(flow, axis=2)[sure]
    plain = sure & (theirs.min(axis=2) > 12) & (theirs.max(axis=2) < 245)
    plain &= (beauty[..., :3].min(axis=2) > 12) & (beauty[..., :3].max(axis=2) < 245)
    gain = np.ones(3)
    if plain.sum() > 100:
        ratio = np.median(beauty[plain][:, :3] / theirs[plain].astype(float), axis=0)
        gain = ratio.clip(LEAST_GAIN, MOST_GAIN)
    return shift, theirs, gain


def seen_from(cast: Cast, camera: Camera) -> tuple[Bytes, Floats32]:
    made = film(cast, camera, {"position"})
    assert made.position is not None
    return np.asarray(made.beauty), made.position


def steady(beauty: Bytes, theirs: Bytes, both: Flags) -> tuple[Floats32, Flags]:
    """(h, w, 2) the way from what is seen of the still to the same in the photograph, and (h, w)
    where that holds forth and back; nowhere if the two are not alike there."""
    ours = cv2.cvtColor(np.ascontiguousarray(beauty[..., :3]), cv2.COLOR_RGB2GRAY)
    equal = cv2.createCLAHE(2.0, (8, 8))
    ours = np.where(both, ours, theirs)
    first, second = equal.apply(ours), equal.apply(theirs)
    by = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    empty = np.zeros((*both.shape, 2), np.float32)
    forth = np.asarray(by.calc(first, second, empty.copy()), np.float32)
    back = np.asarray(by.calc(second, first, empty.copy()), np.float32)
    y, x = np.mgrid[0 : both.shape[0], 0 : both.shape[1]].astype(np.float32)
    again = cv2.remap(back, x + forth[..., 0], y + forth[..., 1], cv2.INTER_LINEAR)
    sure = both & (np.linalg.norm(forth + again, axis=2) < 0.5)
    sure &= np.linalg.norm(forth, axis=2) < MOST_FLOW
    shown = cv2.remap(second, x + forth[..., 0], y + forth[..., 1], cv2.INTER_LINEAR)
    if _likeness(first[sure], shown[sure]) < LIKE:
        sure[:] = False
    return forth, np.asarray(sure)


def _likeness(ours: Bytes, theirs: Bytes) -> float:
    """The correlation of two rows of numbers; 0 where one of them is flat."""
    if ours.size < 2 or not ours.std() > 0 or not theirs.std() > 0:
        return 0.0
    return float(np.corrcoef(ours, theirs)[0, 1])


def _smaller(picture: NDArray[Any]) -> Bytes:
    """(h, w, 3) a picture in eight bit at the size that is matched at."""
    small = in_eight_bit(picture)[..., :3]
    scale = min(LONGEST / max(small.shape[:2]), 1.0)
    size = max(round(small.shape[1] * scale), 1), max(round(small.shape[0] * scale), 1)
    return np.asarray(cv2.resize(small, size, interpolation=cv2.INTER_AREA), np.uint8)


def grey_of(picture: NDArray[Any]) -> Bytes:
    return cv2.cvtColor(_smaller(picture), cv2.COLOR_RGB2GRAY)
