"""The quay dressed for the evening: a lantern-maker's cart, a heron that takes off, the quay's name
in letters on the stones, a lamp that goes on, and haze over the water."""

from __future__ import annotations

from hashlib import sha256
from typing import NamedTuple

from ..core.change import changed
from ..core.dress.pieces import model_in
from ..core.scene.dressing import Amount, Darkening, Haze, Lamp, Look
from ..core.scene.edits import AddGuest, AddLight, Edit, SetDarkening, SetHaze, SetLook, SetTrack
from ..core.scene.guests import ModelFile, ModelGuest, PictureGuest, WordsGuest
from ..core.scene.model import Scene
from ..core.scene.plate import Plate, Playing
from ..core.scene.timed import TrackedNumber
from ..core.track import TrackKey
from ..core.value import NEW_ID
from .cart import HEIGHT_M, cart
from .heron import HEIGHT, PICTURES, WIDTH, heron

TAKES_OFF = 30  # the frame at which the heron begins to go


class Dressed(NamedTuple):
    """The steps that dress a scene, and the files that they bring: pictures, and models."""

    steps: list[tuple[Edit, Scene]]
    pictures: list[bytes]
    files: list[bytes]


def dressed(scene: Scene) -> Dressed:
    """scene: the quay, carried through to its move."""
    model, clip = cart(), heron()
    steps: list[tuple[Edit, Scene]] = []

    def make(edit: Edit) -> str:
        """Make an edit; the id that it gave."""
        nonlocal scene
        number = scene.next_id
        _, scene = changed(scene, edit)
        steps.append((edit, scene))
        return f"{'light' if isinstance(edit, AddLight) else 'guest'}-{number}"

    def track(part: str, of: TrackedNumber, *keys: tuple[int, float]) -> None:
        ends = tuple(TrackKey(frame=frame, value=value) for frame, value in keys)
        make(SetTrack(part=part, of=of, keys=ends))

    make(AddGuest(guest=_cart(model)))
    make(AddGuest(guest=_name()))
    bird = make(AddGuest(guest=_heron(clip)))
    last = scene.move.frames - 1
    track(bird, "x", (TAKES_OFF, -5.07), (last, -2.6))
    track(bird, "level_m", (TAKES_OFF + 4, 0.78), (last, 4.6))
    track(bird, "z", (TAKES_OFF, -9.2), (last, -15.0))
    lamp = make(AddLight(light=_lamp()))
    track(lamp, "strength", (26, 0.0), (38, 1.0))
    hung = next(p.id for p in scene.proxies if p.name.startswith("backdrop"))
    make(SetHaze(haze=Haze(
        colour=(0.43, 0.31, 0.40), density=0.028, start_m=5.0, fall_m=3.0,
        amounts=(Amount(proxy=hung, share=0.12),),
    )))  # fmt: skip
    make(SetDarkening(darkening=Darkening(strength=0.55, reach_m=0.6)))
    make(SetLook(look=Look(contrast=1.06, saturation=1.05, grain=0.12)))
    return Dressed(steps, [clip], [model])


def _cart(data: bytes) -> ModelGuest:
    model = model_in(data, "glb", "cart.glb")
    wide, high, deep = (model.points.max(axis=0) - model.points.min(axis=0)).tolist()
    file = ModelFile(
        name="lantern-cart.glb", digest=sha256(data).hexdigest(), format="glb",
        triangles=len(model.triangles),
        pictures=sum(one.picture is not None for one in model.surfaces), size=(wide, high, deep),
    )  # fmt: skip
    return ModelGuest(
        id=NEW_ID,
        name="lantern cart",
        height_m=HEIGHT_M,
        x=-2.0,
        z=-4.5,
        turn_deg=-58.0,
        file=file,
    )


def _name() -> WordsGuest:
    return WordsGuest(
        id=NEW_ID, name="the quay’s name", text="LANTERN\nQUAY", face="serif", weight=650.0,
        height_m=0.58, thick_m=0.13, colour=(0.93, 0.78, 0.46), apart=0.06, x=-3.6, z=-10.6,
        turn_deg=4.0,
    )  # fmt: skip


def _heron(clip: bytes) -> PictureGuest:
    plate = Plate(
        name="heron", width=WIDTH, height=HEIGHT, digest=sha256(clip).hexdigest(), bits=8,
        format="sequence", alpha=True,
        playing=Playing(count=PICTURES, rate=24.0, offset=TAKES_OFF - 12),
    )  # fmt: skip
    return PictureGuest(
        id=NEW_ID, name="heron", height_m=1.1, x=-5.07, z=-9.2, level_m=0.78, facing=True,
        plate=plate, feet=(225 / WIDTH, 340 / HEIGHT),
    )  # fmt: skip


def _lamp() -> Lamp:
    return Lamp(
        id=NEW_ID, name="the cart’s lamp", colour=(1.0, 0.74, 0.42), x=-1.9, level_m=1.25, z=-3.2,
        reach_m=3.0, radius_m=0.07,
    )  # fmt: skip
