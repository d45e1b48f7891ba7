"""The flat plate made from a bent one, with the sighting carried over to it, and back again."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from ..picture.eight import white_of
from ..picture.premultiplied import premultiplied
from ..picture.premultiplied import straight as alpha_taken_out
from ..refusal import Refusal
from ..scene.edits import Edit, SwapPlate
from ..scene.gesture import PictureGesture
from ..scene.model import Scene, Sighting
from ..scene.pictures import Pictures, brought, require_one_picture
from ..scene.plate import Bend, Flattened, Plate
from .bend import bent, flat_frame, flattened, photographed, straight
from .lens import Unsettled
from .sighted import lens_of_scene

BYTES_A_PIXEL = 36.0  # of the plate: it and the flat one, in floats, and its cover


class Flatten(PictureGesture):
    """Make the flat plate by the lens that was found, and go on from it."""

    verb: Literal["Flatten"] = "Flatten"

    def memory_bytes(self, scene: Scene) -> float:
        return BYTES_A_PIXEL * scene.plate.width * scene.plate.height

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        require_one_picture(scene.plate, "flattening")
        by = lens_to_flatten(scene)
        flat = flat_pixels(pictures.deep(scene.plate), by)
        new = brought(pictures, scene.plate.name, flat)
        edit = flattening(scene, by, new.digest, new.width, new.height)
        kept = {"format": new.format, "bits": new.bits, "alpha": new.alpha}
        return edit.model_copy(update={"plate": edit.plate.model_copy(update=kept)})


class BendBack(PictureGesture):
    """Bring the bent plate back that this flat one was made from."""

    verb: Literal["BendBack"] = "BendBack"

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        edit = bending_back(scene)
        if not pictures.there(edit.plate.digest):
            raise Refusal("The bent plate is not in the project's folder, so this one was kept.")
        return edit


@dataclass(frozen=True)
class Mapping:
    """From pixels of the bent plate to the flat one's, and back."""

    by: Flattened

    def flat(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        by = self.by
        moved = straight(points, by.centre, by.focal_px, by.bend.k1, by.bend.k2)
        out: NDArray[np.float64] = moved - [by.left, by.top]
        return out

    def bent(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        by = self.by
        return bent(points + [by.left, by.top], by.centre, by.focal_px, by.bend.k1, by.bend.k2)


def lens_to_flatten(scene: Scene) -> Flattened:
    """The lens that the plate is to be flattened by.

    Raises Refusal where there is none, or where the plate is flat already.
    """
    plate = scene.plate
    if plate.flattened is not None:
        raise Refusal("This plate has been flattened already.")
    lens = lens_of_scene(scene)
    if isinstance(lens, Unsettled):
        raise Refusal(f"There is no lens to flatten by yet. {lens.reason}")
    if lens.bend == (0.0, 0.0):
        raise Refusal("The lens is taken as straight: there is nothing to flatten.")
    k1, k2 = lens.bend
    left, top, _, _ = flat_frame(plate.width, plate.height, lens.centre, lens.focal_px, k1, k2)
    return Flattened(
        digest=plate.digest, width=plate.width, height=plate.height, left=left, top=top,
        centre=lens.centre, focal_px=lens.focal_px, bend=Bend(k1=k1, k2=k2), alpha=plate.alpha,
    )  # fmt: skip


def flat_pixels(pixels: NDArray[Any], by: Flattened) -> NDArray[Any]:
    """The flat plate's pixels (h, w, 3 or 4) from the bent one's (H, W, 3 or 4), of any kind. Where
    the lens saw nothing the flat plate is clear."""
    lens = by.centre, by.focal_px, by.bend.k1, by.bend.k2
    frame = flat_frame(by.width, by.height, *lens)
    if pixels.shape[2] == 3:
        flat = flattened(pixels, *lens, frame)
    else:
        flat = alpha_taken_out(flattened(premultiplied(pixels), *lens, frame), pixels.dtype)
    seen = photographed(by.width, by.height, *lens, frame)
    if seen is None:
        return flat
    white = white_of(pixels.dtype)
    alpha = seen * (flat[..., 3] if flat.shape[2] == 4 else white)
    alpha += 0.5 if pixels.dtype.kind == "u" else 0.0
    return np.concatenate([flat[..., :3], alpha.astype(pixels.dtype)[..., None]], axis=2)


def flattening(scene: Scene, by: Flattened, digest: str, width: int, height: int) -> SwapPlate:
    """The edit that puts the flat plate, whose pixels are kept under digest, in its place."""
    plate = scene.plate
    flat = plate.model_copy(
        update={
            "digest": digest,
            "width": width,
            "height": height,
            "flattened": by,
            "format": "PNG",
        }
    )
    sighting = _carried(scene.sighting, Mapping(by).flat, width, height)
    # straight from here on; a principal point off the middle has moved with the frame
    centre = (by.centre[0] - by.left, by.centre[1] - by.top)
    held = None
    if abs(centre[0] - width / 2) > 0.01 or abs(centre[1] - height / 2) > 0.01:
        held = centre if scene.sighting.principal != "solve" else "solve"
    return SwapPlate(
        plate=flat, sighting=sighting.model_copy(update={"bend": None, "principal": held})
    )


def bending_back(scene: Scene) -> SwapPlate:
    """The edit that brings the bent plate back. Raises Refusal where the plate is not flattened."""
    by = scene.plate.flattened
    if by is None:
        raise Refusal("This plate was not flattened, so there is no other to bring back.")
    plate = Plate(
        name=scene.plate.name, width=by.width, height=by.height, digest=by.digest,
        format=scene.plate.format, bits=scene.plate.bits,
        alpha=scene.plate.alpha if by.alpha is None else by.alpha,
        profile=scene.plate.profile, lens=scene.plate.lens,
    )  # fmt: skip
    sighting = _carried(scene.sighting, Mapping(by).bent, by.width, by.height)
    held: Any = None
    if isinstance(sighting.principal, tuple):
        held = by.centre
    elif sighting.principal == "solve":
        held = "solve"
    return SwapPlate(
        plate=plate, sighting=sighting.model_copy(update={"bend": by.bend, "principal": held})
    )


def _carried(sighting: Sighting, move: Any, width: int, height: int) -> Sighting:
    """Every point of a sighting moved to another plate, kept inside it."""

    def points(ps: Any) -> Any:
        out = move(np.array(ps, float).reshape(-1, 2)).clip([0, 0], [width, height])
        return tuple((float(x), float(y)) for x, y in out)

    return sighting.model_copy(
        update={
            "traces": tuple(
                t.model_copy(update={"points": points(t.points)}) for t in sighting.traces
            ),
            "rectangles": tuple(
                r.model_copy(update={"points": points(r.points)}) for r in sighting.rectangles
            ),
            "tapes": tuple(
                t.model_copy(update={"points": points(t.points)}) for t in sighting.tapes
            ),
            "datum": None if sighting.datum is None else points([sighting.datum])[0],
        }
    )
