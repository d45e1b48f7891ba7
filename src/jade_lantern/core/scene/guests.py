"""Guests: what stands in a place with a picture of its own, without being thrown there: models,
pictures and clips on cards, and words."""

from __future__ import annotations

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..proxy import Similarity
from ..proxy.kind import Standing
from ..proxy.repeat import Row, turned
from ..refusal import Refusal
from ..value import Digest, Id, Length, Mixing, Name, Number, Share, Value
from .dressing import Colour
from .plate import Plate

MOST_GUEST_TRIANGLES = 1_000_000  # of all guests
MOST_FACING = 400  # repeats of one that faces the camera, each of which is turned by itself


class Scatter(Value):
    """The same again, strewn by a seed over a rectangle round its foot, in the plane that it stands
    on. turn_deg: how far each is turned at the most; size: how much larger or smaller each can
    be."""

    count: Annotated[int, Field(ge=2, le=2000)]
    width_m: Length
    depth_m: Length
    seed: Annotated[int, Field(ge=0, le=10**6)] = 0
    turn_deg: Annotated[float, Field(ge=0, le=180)] = 180.0
    size: Annotated[float, Field(ge=0, le=0.9)] = 0.0

    def places(self) -> list[tuple[Floats, float, float]]:
        """Of each, the place (3,) in the guest's own frame, its turn in degrees, and how many times
        as large it is. The first is the guest itself."""
        drawn = np.random.Generator(np.random.PCG64(self.seed)).random((self.count, 4)) * 2 - 1
        drawn[0] = 0.0
        x, z = 0.5 * self.width_m * drawn[:, 0], 0.5 * self.depth_m * drawn[:, 1]
        at = np.stack([x, np.zeros(self.count), z], axis=1)
        turns, sizes = self.turn_deg * drawn[:, 2], 1.0 + self.size * drawn[:, 3]
        return list(zip(at, turns.tolist(), sizes.tolist(), strict=True))

    def carried(self, scale: float) -> Self:
        new = {"width_m": self.width_m * scale, "depth_m": self.depth_m * scale}
        return self.model_copy(update=new)


class GuestKind(Standing):
    """A guest. height_m: how high it is; of words, how high a capital letter is. strength: how much
    of it is seen. facing: it turns about Up to where the shot camera is."""

    kind: str
    id: Id
    name: Name
    hidden: bool = False
    height_m: Length
    strength: Share = 1.0
    facing: bool = False
    row: Row | None = None
    scatter: Scatter | None = None

    @property
    def mixes(self) -> Mixing:
        """How it is laid over what is behind it."""
        return "over"

    def carried(self, by: Similarity) -> Self:
        """After the world's zero or size has changed: it stays as large in the picture."""
        x, level, z = by.moved((self.x, self.level_m, self.z))
        new: dict[str, object] = {
            "x": x, "level_m": level, "z": z, "turn_deg": turned(self.turn_deg, by.turn_deg),
            "height_m": self.height_m * by.scale,
        }  # fmt: skip
        if self.row is not None:
            new["row"] = self.row.carried(by.scale, by.turn_deg)
        if self.scatter is not None:
            new["scatter"] = self.scatter.carried(by.scale)
        return self.model_copy(update=new)

    def pictures(self) -> set[str]:
        """The digests of the files that it needs."""
        return set()

    def repeats(self) -> list[tuple[Floats, Floats]]:
        """Turn (3, 3), with its size in it, and place (3,) of each of its repeats, in its own
        frame."""
        steps = [np.zeros(3)]
        if self.row is not None:
            steps = [self.frame()[0].T @ step for step in self.row.steps()]
        each = [(np.zeros(3), 0.0, 1.0)] if self.scatter is None else self.scatter.places()
        return [
            (size * _turn(turn), at + step) for step in steps for at, turn, size in each
        ]  # fmt: skip


def _turn(degrees: float) -> Floats:
    return Standing(turn_deg=degrees).frame()[0]


class ModelFile(Value):
    """A model's file, kept as it came. triangles: how many it has. size: width, height and depth in
    its own units. pictures: how many its surfaces have."""

    name: Name
    digest: Digest
    format: Literal["glb", "obj", "zip", "usd", "usda", "usdc", "usdz"]
    triangles: Annotated[int, Field(ge=1, le=MOST_GUEST_TRIANGLES)]
    pictures: Annotated[int, Field(ge=0, le=256)] = 0
    size: tuple[Number, Number, Number]


class ModelGuest(GuestKind):
    """A model with surfaces of its own. It stands on the middle of its base."""

    kind: Literal["model"] = "model"
    file: ModelFile

    def pictures(self) -> set[str]:
        return {self.file.digest}


class PictureGuest(GuestKind):
    """A picture or a clip on a card. mixing: how it is laid over what is behind it. soft: over how
    much of its shorter side it fades out at its edges. feet: which place of the picture stands on
    the foot, in widths and heights."""

    kind: Literal["picture"] = "picture"
    plate: Plate
    mixing: Mixing = "over"
    soft: Annotated[float, Field(ge=0, le=0.5)] = 0.0
    feet: tuple[Share, Share] = (0.5, 1.0)

    @property
    def mixes(self) -> Mixing:
        return self.mixing

    @property
    def width_m(self) -> float:
        return self.height_m * self.plate.width / self.plate.height

    def pictures(self) -> set[str]:
        return self.plate.pictures()


class LetterAt(Value):
    """Where a letter stands at a moment that goes through its guest's tracks later than others."""

    x: Number
    z: Number
    level_m: Number
    turn_deg: Number
    strength: Share


Face = Literal["grotesk", "serif"]


class WordsGuest(GuestKind):
    """Words. face: the letters' shapes, shipped with the application; font: those of a font file
    that was brought, where there is one. weight: from thin to fat. thick_m: how deep letters are.
    colour: in the picture's own numbers. soft: over how much of a capital letter's height edges
    fade; glow: how strongly they shine around, over as much as glow_m. apart: how much farther
    apart letters stand, in capital letters' heights. later: how many frames later each letter goes
    through the tracks than the one before it."""

    kind: Literal["words"] = "words"
    text: Annotated[str, Field(min_length=1, max_length=200)]
    face: Face = "grotesk"
    font: Digest | None = None
    weight: Annotated[float, Field(ge=100, le=900)] = 600.0
    thick_m: Annotated[float, Field(ge=0, le=1e5)] = 0.0
    colour: Colour = (1.0, 1.0, 1.0)
    soft: Annotated[float, Field(ge=0, le=0.5)] = 0.0
    glow: Share = 0.0
    apart: Annotated[float, Field(ge=-0.5, le=5)] = 0.0
    later: Annotated[float, Field(ge=-1000, le=1000)] = 0.0
    letters: tuple[LetterAt, ...] = ()  # of a scene at a moment only

    def carried(self, by: Similarity) -> Self:
        new = {"thick_m": self.thick_m * by.scale}
        return super().carried(by).model_copy(update=new)

    def pictures(self) -> set[str]:
        return set() if self.font is None else {self.font}


Guest = Annotated[ModelGuest | PictureGuest | WordsGuest, Field(discriminator="kind")]
GUEST_KINDS: tuple[type[GuestKind], ...] = (ModelGuest, PictureGuest, WordsGuest)


def check_guests(guests: tuple[GuestKind, ...]) -> None:
    """Raises Refusal where two guests have one name, or all of them have too many triangles."""
    names = [one.name for one in guests]
    if len(set(names)) < len(names):
        raise Refusal("Two guests have one name.")
    total = 0
    for one in guests:
        times = (1 if one.row is None else one.row.count) * (
            1 if one.scatter is None else one.scatter.count
        )
        if one.facing and times > MOST_FACING:
            raise Refusal(
                f"{one.name} faces the camera {times:,} times; each is turned by itself, and "
                f"{MOST_FACING} is the most. Repeat it less often, or let it stand."
            )
        if isinstance(one, WordsGuest) and one.letters:
            raise Refusal("Where letters stand follows from their tracks.")
        each = one.file.triangles if isinstance(one, ModelGuest) else 2
        total += times * each
        if total > MOST_GUEST_TRIANGLES:
            raise Refusal(
                f"With {one.name} the guests have {total:,} triangles; {MOST_GUEST_TRIANGLES:,} "
                "can be worked with. Repeat it less often, or make it simpler."
            )
