"""A scene on another still: what is drawn over the picture stays where it is in the picture."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..value import Point2
from .model import EarlierStill, Lantern, Scene, Sighting, Stills, Window
from .plate import Plate
from .timed import Move

MOST_EARLIER = 40
SAME_SHAPE_PX = 1.0  # of the smaller picture: sides are whole pixels


@dataclass(frozen=True)
class Fit:
    """From pixels of one still to another's: ``(p - (left, top)) * scale``."""

    scale: float
    left: float = 0.0
    top: float = 0.0

    def point(self, p: Point2) -> Point2:
        return (p[0] - self.left) * self.scale, (p[1] - self.top) * self.scale

    def back(self) -> Fit:
        """From the other's to the one's."""
        return Fit(1.0 / self.scale, -self.left * self.scale, -self.top * self.scale)

    def then(self, after: Fit) -> Fit:
        """This one, and then another."""
        return Fit(
            self.scale * after.scale, self.left + after.left / self.scale,
            self.top + after.top / self.scale,
        )  # fmt: skip


def same_shape(old: Plate, new: Plate) -> bool:
    """Whether two pictures are of one shape, but for their sides being whole pixels."""
    scale = new.width / old.width
    off = abs(new.height - old.height * scale)
    return off <= SAME_SHAPE_PX * max(1.0, scale)


def whole_fit(old: Plate, new: Plate) -> Fit:
    """Where the new picture shows what the old one does: their middles are one."""
    return _middle_fit(old, new, new.width / old.width)


def around_fit(old: Plate, new: Plate) -> Fit:
    """Where a picture of another shape shows all of the old one in its middle, and more."""
    return _middle_fit(old, new, min(new.width / old.width, new.height / old.height))


def within_fit(old: Plate, new: Plate) -> Fit:
    """Where a picture of another shape shows the middle of the old one, as large as it goes in."""
    return _middle_fit(old, new, max(new.width / old.width, new.height / old.height))


def _middle_fit(old: Plate, new: Plate, scale: float) -> Fit:
    """At a scale, so that their middles are one."""
    return Fit(
        scale, (old.width - new.width / scale) / 2, (old.height - new.height / scale) / 2
    )  # fmt: skip


def on_another_still(scene: Scene, plate: Plate, fit: Fit) -> Scene:
    """The scene with another plate in the place of its still, which is kept among the earlier
    ones."""
    before = scene.plate
    # focal lengths in 35 mm terms are of the picture's longer side
    longer = fit.scale * max(before.width, before.height) / max(plate.width, plate.height)
    back = fit.back()
    earlier = [EarlierStill(plate=before, scale=back.scale, left=back.left, top=back.top)]
    if before.awaited:
        earlier = []
    for one in scene.stills.earlier:
        was = back.then(Fit(one.scale, one.left, one.top))
        new = {"scale": was.scale, "left": was.left, "top": was.top}
        earlier.append(one.model_copy(update=new))
    earlier = [one for one in earlier if one.plate.digest != plate.digest][:MOST_EARLIER]
    update: dict[str, Any] = {
        "plate": plate,
        "stills": Stills(earlier=tuple(earlier)),
        "sighting": _carried(scene.sighting, fit, plate),
        "kept_sightings": tuple(
            k.model_copy(update={"sighting": _carried(k.sighting, fit, plate)})
            for k in scene.kept_sightings
        ),
        "lanterns": tuple(_lantern(one, before, plate, fit) for one in scene.lanterns),
        "move": _move(scene.move, longer),
    }
    if scene.passed is not None:
        frames = (
            one.model_copy(update={"focal_mm": one.focal_mm * longer})
            for one in scene.passed.frames
        )
        update["passed"] = scene.passed.model_copy(update={"frames": tuple(frames)})
    if scene.built_on is not None:
        update["built_on"] = _carried(scene.built_on, fit, plate)
    return scene.model_copy(update=update)


def _carried(sighting: Sighting, fit: Fit, plate: Plate) -> Sighting:
    rim = SAME_SHAPE_PX * max(1.0, fit.scale)

    def inside(v: float, most: float) -> float:
        """What the sides' being whole pixels has put past the rim is put onto it."""
        return min(max(v, 0.0), most) if -rim <= v <= most + rim else v

    def points(ps: Any) -> Any:
        there = (fit.point(p) for p in ps)
        return tuple((inside(x, plate.width), inside(y, plate.height)) for x, y in there)

    def each(things: Any) -> Any:
        return tuple(t.model_copy(update={"points": points(t.points)}) for t in things)

    update: dict[str, Any] = {
        "traces": each(sighting.traces),
        "rectangles": each(sighting.rectangles),
        "tapes": each(sighting.tapes),
    }
    if sighting.datum is not None:
        update["datum"] = points([sighting.datum])[0]
    if isinstance(sighting.principal, tuple):
        update["principal"] = fit.point(sighting.principal)
    if sighting.focal is not None:
        focal = sighting.focal
        new = {"value": focal.value * fit.scale, "sigma": focal.sigma * fit.scale}
        update["focal"] = focal.model_copy(update=new)
    if sighting.by_eye is not None:
        focal_px = sighting.by_eye.focal_px * fit.scale
        update["by_eye"] = sighting.by_eye.model_copy(update={"focal_px": focal_px})
    if sighting.given is not None:
        given = sighting.given
        new_given = {"focal_px": given.focal_px * fit.scale, "centre": fit.point(given.centre)}
        update["given"] = given.model_copy(update=new_given)
    return sighting.model_copy(update=update)


def _lantern(one: Lantern, before: Plate, plate: Plate, fit: Fit) -> Lantern:
    """A lantern that is thrown from the sighted camera keeps its plate where it is: in the part of
    the new frame that the old one was."""
    if one.view is not None:
        return one
    window = one.window
    if window is None:
        if one.plate is None or same_shape(before, plate):
            return one
        window = Window(left=0.0, top=0.0, width=before.width, height=before.height)
    left, top = fit.point((window.left, window.top))
    size = {"width": window.width * fit.scale, "height": window.height * fit.scale}
    new = window.model_copy(update={"left": left, "top": top, **size})
    return one.model_copy(update={"window": new})


def _move(move: Move, by: float) -> Move:
    if by == 1.0 or not move.focal_mm:
        return move
    keys = tuple(k.model_copy(update={"value": k.value * by}) for k in move.focal_mm)
    return move.model_copy(update={"focal_mm": keys})
