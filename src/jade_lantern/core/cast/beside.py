"""Footage of the very view that a clean still shows: thrown from the same camera, over the trick or
under it, by its own alpha or a matte."""

from __future__ import annotations

from pathlib import PurePath
from typing import Literal, NamedTuple

import numpy as np

from ..budget import Budget
from ..picture.footage import is_movie
from ..refusal import Refusal
from ..scene.edits import Edit, LayFootage, PutLanterns
from ..scene.edits.cast import thrown_anew
from ..scene.edits.edit import the_one
from ..scene.gesture import PictureGesture
from ..scene.model import Lantern, Scene, Window
from ..scene.moment import at
from ..scene.pictures import Pictures, brought, playing_plate
from ..scene.plate import Plate
from ..value import NEW_ID, Id, name_of
from .ofscene import plate_of
from .paint import MOST_PIXELS, Keep, first_of, mask_for, over_time

SAME_SHAPE = 0.01  # share by which two aspect ratios may differ for one to fill the other


class FootageAsked(NamedTuple):
    """How footage lies beside the still. over: before what is thrown already, or behind it.
    overscan: it is larger than the still's frame and shows the same pixel for pixel in its middle;
    else it fills that frame."""

    over: bool = True
    overscan: bool = False


class FootageLaid(NamedTuple):
    """The edit that lays footage, and what is odd about it, in words."""

    edit: LayFootage
    said: list[str]


def footage_laid(
    scene: Scene, name: str, data: bytes, matte: bytes | None, keep: Keep,
    asked: FootageAsked = FootageAsked(), most_pixels: int = MOST_PIXELS,
    budget: Budget | None = None,
) -> FootageLaid:  # fmt: skip
    """A movie or a numbered sequence of the still's own view as a lantern that all proxies take.
    matte: a movie, a sequence or a picture by which it is seen: white is. keep: keeps a file and
    gives its digest. Raises Refusal where it shows another view, or would hide everything."""
    budget = budget or Budget()
    if not is_movie(data) and not over_time(data):
        raise Refusal(f"{name_of(name, 'This')} is neither a movie nor a numbered sequence.")
    if scene.passed is not None:
        raise Refusal(
            "The sighted camera moves here, and this footage would be thrown along with it. Bring "
            "it as a clip on a card, or into a project on the clean still."
        )
    said: list[str] = []
    stem = name_of(PurePath(name).stem, "footage")
    _, facts = first_of(data, most_pixels, budget, said)
    still = scene.plate
    window = None
    if asked.overscan:
        if facts.width < still.width or facts.height < still.height:
            raise Refusal(
                f"{stem} is {facts.width} × {facts.height}, no larger than the still: it has no "
                "overscan."
            )
        left, top = (still.width - facts.width) / 2, (still.height - facts.height) / 2
        window = Window(left=left, top=top, width=facts.width, height=facts.height)
    elif abs(facts.width / facts.height / (still.width / still.height) - 1) > SAME_SHAPE:
        raise Refusal(
            f"{stem} is {facts.width} × {facts.height}, and the still {still.width} × "
            f"{still.height}: it is no footage of the same view, unless it has overscan."
        )
    if asked.over and matte is None and not facts.alpha:
        raise Refusal(
            f"{stem} has no alpha, so over the trick it would hide everything. Bring its matte "
            "too, or lay it under."
        )
    plate = playing_plate(stem, keep(data), facts, scene.move.fps)
    mask = None
    if matte is not None:
        mask = mask_for(
            plate, f"{stem} matte"[:80], matte, keep, scene.move.fps, most_pixels, budget, said
        )  # fmt: skip
    if not asked.over and not any(_clear_somewhere(scene, one) for one in scene.lanterns):
        said.append(
            "It lies under the trick, and nothing of that is clear yet: it is seen where a plate "
            "has alpha or a mask, or where only this lantern reaches."
        )
    lantern = Lantern(id=NEW_ID, name=stem, plate=plate, mask=mask, window=window)
    return FootageLaid(LayFootage(lantern=lantern, over=asked.over), said)


def _clear_somewhere(scene: Scene, lantern: Lantern) -> bool:
    return plate_of(scene, lantern).alpha or lantern.mask is not None or not lantern.through


class TakePicture(PictureGesture):
    """Throw one picture of a plate that plays, the one at a frame of the shot, as a still; the
    plate is kept behind it."""

    verb: Literal["TakePicture"] = "TakePicture"
    lantern: Id
    frame: int = 0

    def memory_bytes(self, scene: Scene) -> float:
        return 12.0 * scene.plate.width * scene.plate.height

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        lantern = the_one(scene.lanterns, self.lantern, "lantern")
        plate = _own_plate(lantern)
        moment = at(scene, float(np.clip(self.frame, 0, scene.move.frames - 1)))
        shown = _own_plate(the_one(moment.lanterns, self.lantern, "lantern"))
        assert plate.playing is not None
        number = plate.playing.first + shown.picture
        new = brought(pictures, f"{plate.name[:70]} {number}", pictures.deep(shown))
        mask = lantern.mask
        if mask is not None and mask.playing is not None:
            now = the_one(moment.lanterns, self.lantern, "lantern").mask
            assert now is not None
            mask = brought(pictures, f"{mask.name[:70]} {number}", pictures.deep(now))
        put = thrown_anew(lantern, new, stand_in=False).model_copy(update={"mask": mask})
        return PutLanterns(lanterns=(put,), said=f"Take picture {number} of {plate.name}"[:80])


def _own_plate(lantern: Lantern) -> Plate:
    plate = lantern.plate
    if plate is None or plate.playing is None:
        raise Refusal(f"{lantern.name} throws no plate of its own that plays.")
    return plate
