"""What a place is dressed with: lights that fall on it, haze in it, and the look of it all. Scenes
that have none of this are rendered as what is cast alone, to the bit."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import Annotated, Any, ClassVar, Literal, Protocol, Self, get_args

from pydantic import Field, model_validator

from ..proxy import Similarity
from ..proxy.repeat import turned
from ..refusal import Refusal
from ..value import Digest, Id, Length, Name, Number, Point3, Share, Value

HAZE, LOOK = "haze-0", "look-0"  # there is one of each; tracks know them by these
Colour = tuple[Share, Share, Share]  # red, green and blue in the picture's own numbers
Strength = Annotated[float, Field(ge=0, le=1000)]
Does = Literal["adds", "replaces", "shades"]


class Amount(Value):
    """How much of a light or of haze a proxy or a guest takes, where that is not all of it."""

    proxy: Id
    share: Annotated[float, Field(ge=0, le=4)]


Amounts = Annotated[tuple[Amount, ...], Field(max_length=2000)]


class LightKind(Value):
    """A light. does: "adds" to the light in the picture; "replaces" it, so that the picture is
    taken for how things look in plain white light; "shades": only its shadow is seen. casters: the
    proxies and guests that cast its shadow, also hidden ones; None for all that stand in the world
    and are shown. blockers: proxies that cast its shadow besides, also hidden ones. What hangs
    before or round the lens, such as a sky, takes none of it unless an amount says so. At strength
    1 a white light makes a white surface that faces it as bright as white."""

    DOES: ClassVar[tuple[Does, ...]] = get_args(Does)

    kind: str
    id: Id
    name: Name
    on: bool = True
    colour: Colour = (1.0, 1.0, 1.0)
    strength: Strength = 1.0
    does: Does = "adds"
    amounts: Amounts = ()
    casters: Annotated[tuple[Id, ...], Field(max_length=2000)] | None = None
    blockers: Annotated[tuple[Id, ...], Field(max_length=2000)] = ()

    def carried(self, by: Similarity) -> Self:
        """After the world's zero or size has changed."""
        return self

    def pictures(self) -> set[str]:
        """The digests of the files that it needs."""
        return set()


class SpreadKind(LightKind):
    """A light that comes from all sides, so that nothing casts a shadow of it."""

    @model_validator(mode="after")
    def _without_shadow(self) -> Self:
        if self.does == "shades":
            raise ValueError("light from all sides casts no shadow that could be shown alone")
        return self


class Sun(LightKind):
    """A light so far away that its rays are parallel. turn_deg: where it stands, anticlockwise
    from above; at 0 towards the lens along Away. height_deg: above the horizon. size_deg: how wide
    it is in the sky, which says how soft its shadows are."""

    kind: Literal["sun"] = "sun"
    turn_deg: Annotated[float, Field(ge=-360, le=360)] = -40.0
    height_deg: Annotated[float, Field(ge=-90, le=90)] = 35.0
    size_deg: Annotated[float, Field(ge=0, le=60)] = 0.53

    def carried(self, by: Similarity) -> Self:
        return self.model_copy(update={"turn_deg": turned(self.turn_deg, by.turn_deg)})

    def way(self) -> Point3:
        """Towards it, of length one."""
        turn, height = math.radians(self.turn_deg), math.radians(self.height_deg)
        level = math.cos(height)
        return level * math.sin(turn), math.sin(height), level * math.cos(turn)


class Lamp(LightKind):
    """A light at a place, that falls off with the square of the distance. reach_m: how far from it
    a surface is lit by its strength. radius_m: its size, which says how soft its shadows are."""

    kind: Literal["lamp"] = "lamp"
    x: Number = 0.0
    level_m: Number = 2.0
    z: Number = 0.0
    reach_m: Length = 1.0
    radius_m: Annotated[float, Field(ge=0, le=1000)] = 0.05

    def carried(self, by: Similarity) -> Self:
        x, level, z = by.moved((self.x, self.level_m, self.z))
        new = {
            "x": x, "level_m": level, "z": z, "reach_m": self.reach_m * by.scale,
            "radius_m": self.radius_m * by.scale,
        }  # fmt: skip
        return self.model_copy(update=new)


class Sky(SpreadKind):
    """Light from the whole sky above: what looks up takes all of it, an upright wall half."""

    kind: Literal["sky"] = "sky"


class Surroundings(SpreadKind):
    """The light of a panorama, a picture of all that is around (equirectangular). picture: its
    file, as it came, and picture_name: what that is called. turn_deg: anticlockwise from above; at
    0 its middle is along Away."""

    kind: Literal["surroundings"] = "surroundings"
    picture: Digest
    picture_name: Name
    turn_deg: Annotated[float, Field(ge=-360, le=360)] = 0.0

    def carried(self, by: Similarity) -> Self:
        return self.model_copy(update={"turn_deg": turned(self.turn_deg, by.turn_deg)})

    def pictures(self) -> set[str]:
        return {self.picture}


LIGHT_KINDS: tuple[type[LightKind], ...] = (Sun, Lamp, Sky, Surroundings)
Light = Annotated[Sun | Lamp | Sky | Surroundings, Field(discriminator="kind")]


class Haze(Value):
    """Haze between near and far. density: how thick it is, per metre: after 1 / density metres a
    share of 1 / e of what is behind comes through. start_m: how far from the camera it begins.
    fall_m: metres of height in which it thins to 1 / e above level_m; None where it is as thick at
    any height."""

    id: Literal["haze-0"] = "haze-0"
    colour: Colour = (0.74, 0.77, 0.8)
    density: Annotated[float, Field(ge=0, le=1000)] = 0.02
    start_m: Annotated[float, Field(ge=0, le=1e6)] = 0.0
    fall_m: Length | None = None
    level_m: Number = 0.0
    amounts: Amounts = ()

    @property
    def name(self) -> str:
        return "haze"

    def carried(self, by: Similarity) -> Self:
        """After the world's zero or size has changed."""
        new: dict[str, Any] = {
            "density": self.density / by.scale, "start_m": self.start_m * by.scale,
            "level_m": by.moved((0.0, self.level_m, 0.0))[1],
        }  # fmt: skip
        if self.fall_m is not None:
            new["fall_m"] = self.fall_m * by.scale
        return self.model_copy(update=new)


class Darkening(Value):
    """Darkening where surfaces meet: near what stands there less light from all sides comes.
    strength: how dark it gets where all of that is hidden. reach_m: what is farther away hides
    nothing."""

    id: Literal["darkening-0"] = "darkening-0"
    strength: Share = 0.6
    reach_m: Length = 1.0
    amounts: Amounts = ()

    @property
    def name(self) -> str:
        return "darkening"

    def carried(self, by: Similarity) -> Self:
        """After the world's zero or size has changed."""
        return self.model_copy(update={"reach_m": self.reach_m * by.scale})


class Relief(Value):
    """By what a lantern's picture answers to light as if it had heights: its outline stays. by: its
    own bright and dark, a picture of heights (bright is high), or one of normals (red to the right,
    green up, blue towards the lantern); the latter two from a file, with what it is called. depth:
    how strong it is; below nothing, bright is low. soft: over how much of the picture's longer side
    heights are smoothed."""

    by: Literal["picture", "heights", "normals"] = "picture"
    picture: Digest | None = None
    picture_name: Name | None = None
    depth: Annotated[float, Field(ge=-10, le=10)] = 1.0
    soft: Annotated[float, Field(ge=0, le=0.1)] = 0.002

    @model_validator(mode="after")
    def _has_its_picture(self) -> Self:
        if (self.by == "picture") != (self.picture is None):
            raise ValueError("heights and normals have a file, and bright and dark have none")
        return self


CurvePoint = tuple[Share, Share]
Curve = Annotated[tuple[CurvePoint, ...], Field(max_length=16)]


class Look(Value):
    """The grade over a frame, in this order. exposure: stops, in linear light. contrast: about
    middle grey. saturation: 0 is grey. curves: what 0 to 1 becomes, by points with a smooth curve
    through them, for all channels and then for each; none for no change. sharpen: how much of what
    is finer than about two pixels is added. grain: how strong it is. space: whose numbers contrast,
    saturation and curves are done in: the picture's own, or linear light. table: a .cube file by
    whose 3D table the picture's numbers are taken after that, and what it is called.

    of: what it is over: the whole frame; what lanterns throw, before light and haze; or only the
    pictures of some lanterns and guests, which are named. Of the latter two nothing is sharpened
    and nothing has grain."""

    id: Literal["look-0"] = "look-0"
    on: bool = True
    space: Literal["picture", "linear"] = "picture"
    exposure: Annotated[float, Field(ge=-12, le=12)] = 0.0
    contrast: Annotated[float, Field(ge=0, le=4)] = 1.0
    saturation: Annotated[float, Field(ge=0, le=4)] = 1.0
    every: Curve = ()
    red: Curve = ()
    green: Curve = ()
    blue: Curve = ()
    sharpen: Annotated[float, Field(ge=0, le=4)] = 0.0
    grain: Share = 0.0
    table: Digest | None = None
    table_name: Name | None = None
    of: Literal["frame", "thrown", "only"] = "frame"
    only: Annotated[tuple[Id, ...], Field(max_length=300)] = ()

    @property
    def name(self) -> str:
        return "the look"

    def pictures(self) -> set[str]:
        """The digests of the files that it needs."""
        return set() if self.table is None else {self.table}

    @model_validator(mode="after")
    def _curves(self) -> Self:
        for curve in (self.every, self.red, self.green, self.blue):
            places = [x for x, _ in curve]
            if len(curve) == 1 or any(b - a < LEAST_STEP for a, b in pairwise(places)):
                raise ValueError("a curve has at least two points, each to the right of the last")
        return self

    @property
    def plain(self) -> bool:
        """Whether it changes nothing."""
        same = {"on": self.on, "space": self.space, "of": self.of, "only": self.only}
        return self == Look(**same) or not self.on


LEAST_STEP = 1e-3  # between two points of a curve


class Dressed(Protocol):
    """What of a scene is spoken of here."""

    @property
    def proxies(self) -> Sequence[Any]: ...
    @property
    def guests(self) -> Sequence[Any]: ...
    @property
    def lights(self) -> Sequence[Any]: ...
    @property
    def haze(self) -> Haze | None: ...
    @property
    def darkening(self) -> Darkening | None: ...
    @property
    def lanterns(self) -> Sequence[Any]: ...
    @property
    def look(self) -> Look | None: ...


def check_dressing(scene: Dressed) -> None:
    """Raises Refusal where a light, the haze or the darkening speaks of a proxy or guest that is
    not there, or twice of the same, or where two lights have one name."""
    there = {part.id for part in (*scene.proxies, *scene.guests)}
    single = [part for part in (scene.haze, scene.darkening) if part is not None]
    for part in (*scene.lights, *single):
        named = [amount.proxy for amount in part.amounts]
        if len(set(named)) < len(named):
            raise Refusal(f"The {part.name} has two amounts of one proxy.")
        hides = (*(getattr(part, "casters", None) or ()), *getattr(part, "blockers", ()))
        if not there.issuperset((*named, *hides)):
            raise Refusal(f"The {part.name} speaks of a proxy that is not there.")
    layers = {part.id for part in (*scene.lanterns, *scene.guests)}
    if scene.look is not None and not layers.issuperset(scene.look.only):
        raise Refusal("The look speaks of a lantern or a guest that is not there.")
    names = [light.name for light in scene.lights]
    if len(set(names)) < len(names):
        raise Refusal("Two lights have one name.")


def dressing_in_step(before: Any, after: Any) -> Any:
    """The scene with nothing in it that speaks of proxies, lanterns or guests that went."""
    parts = ("proxies", "guests", "lanterns")
    if all(getattr(after, name) is getattr(before, name) for name in parts):
        return after
    layers = {part.id for part in (*after.lanterns, *after.guests)}
    if after.look is not None and not layers.issuperset(after.look.only):
        only = tuple(id for id in after.look.only if id in layers)
        look = after.look.model_copy(update={"only": only})
        after = after.model_copy(update={"look": look})
    there = {part.id for part in (*after.proxies, *after.guests)}

    def kept(part: Any) -> Any:
        if part is None:
            return None
        new: dict[str, Any] = {}
        if not there.issuperset(amount.proxy for amount in part.amounts):
            new["amounts"] = tuple(a for a in part.amounts if a.proxy in there)
        casters = getattr(part, "casters", None)
        if casters is not None and not there.issuperset(casters):
            new["casters"] = tuple(id for id in casters if id in there)
        blockers = getattr(part, "blockers", ())
        if not there.issuperset(blockers):
            new["blockers"] = tuple(id for id in blockers if id in there)
        return part.model_copy(update=new) if new else part

    new = {"haze": kept(after.haze), "darkening": kept(after.darkening)}
    lights = tuple(kept(light) for light in after.lights)
    same = all(getattr(after, name) is part for name, part in new.items())
    if same and all(a is b for a, b in zip(lights, after.lights, strict=True)):
        return after
    return after.model_copy(update={"lights": lights, **new})
