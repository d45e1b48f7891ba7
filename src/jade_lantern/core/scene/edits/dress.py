"""The verbs of Dress: lights, haze, darkening, relief and the look."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, create_model

from ...refusal import Refusal
from ...value import Id, Value
from ..dressing import LIGHT_KINDS, Darkening, Haze, Light, Look, Relief, SpreadKind
from ..model import Scene
from .block import free_name, given_in
from .edit import Edit, Station, numbered, swapped, the_one, without


class DressEdit(Edit):
    station: ClassVar[Station] = "dress"


class AddLight(DressEdit):
    """Add a sun, a lamp, the light of the sky or of surroundings. Its id is given by the scene,
    and a number is put behind a name that is taken."""

    verb: Literal["AddLight"] = "AddLight"
    light: Light

    def on(self, scene: Scene) -> Scene:
        name = free_name(self.light.name, {one.name for one in scene.lights})
        new = self.light.model_copy(update={"id": f"light-{scene.next_id}", "name": name})
        return numbered(scene.model_copy(update={"lights": (*scene.lights, new)}))

    def title(self, scene: Scene) -> str:
        return f"Light {self.light.name}"


def _all_facts() -> dict[str, Any]:
    """What lights have that can be changed, by name, each optional."""
    return {
        name: (field.rebuild_annotation() | None, None)
        for kind in LIGHT_KINDS
        for name, field in kind.model_fields.items()
        if name not in ("id", "kind")
    }


# What can be changed on a light; only what is given changes.
LightFacts: Any = create_model("LightFacts", __base__=Value, **_all_facts())


def facts_of(facts: dict[str, Any]) -> Any:
    """Some facts as what can be changed on a light."""
    return LightFacts(**facts)


class AlterLight(DressEdit):
    """Change what is given of a light. Given as null, casters are all proxies again."""

    verb: Literal["AlterLight"] = "AlterLight"
    light: Id
    to: LightFacts

    def on(self, scene: Scene) -> Scene:
        old, given = the_one(scene.lights, self.light, "light"), given_in(self.to)
        foreign = [name for name in given if name not in type(old).model_fields]
        if foreign:
            raise Refusal(f"A {old.kind} has no {foreign[0].split('_')[0]}.")
        empty = [name for name, value in given.items() if value is None and name != "casters"]
        if empty:
            raise Refusal(f"A light's {empty[0].split('_')[0]} cannot be nothing.")
        if any(one.name == given.get("name") and one.id != old.id for one in scene.lights):
            raise Refusal(f"There is a {given['name']} already. Give it another name.")
        new = type(old).model_validate({**old.model_dump(), **given})
        return scene.model_copy(update={"lights": swapped(scene.lights, new)})

    def title(self, scene: Scene) -> str:
        name, given = the_one(scene.lights, self.light, "light").name, given_in(self.to)
        if set(given) == {"on"}:
            return f"Put {name} {'on' if given['on'] else 'out'}"
        if "name" in given:
            return f"Name {name} “{given['name']}”"
        what = " and ".join(dict.fromkeys(n.split("_")[0] for n in given))
        return f"Change the {what} of {name}"


class DeleteLight(DressEdit):
    verb: Literal["DeleteLight"] = "DeleteLight"
    light: Id

    def on(self, scene: Scene) -> Scene:
        return scene.model_copy(update={"lights": without(scene.lights, self.light)})

    def title(self, scene: Scene) -> str:
        return f"Take {the_one(scene.lights, self.light, 'light').name} away"


class SetHaze(DressEdit):
    """Fill the place with haze, in place of what there is; with null, clear it."""

    verb: Literal["SetHaze"] = "SetHaze"
    haze: Haze | None

    def on(self, scene: Scene) -> Scene:
        if self.haze is None and scene.haze is None:
            raise Refusal("There is no haze, so there is nothing to clear.")
        return scene.model_copy(update={"haze": self.haze})

    def title(self, scene: Scene) -> str:
        return "Clear the haze" if self.haze is None else "Set the haze"


class SetDarkening(DressEdit):
    """Darken surfaces where they meet, in place of how they are; with null, not."""

    verb: Literal["SetDarkening"] = "SetDarkening"
    darkening: Darkening | None

    def on(self, scene: Scene) -> Scene:
        if self.darkening is None and scene.darkening is None:
            raise Refusal("Nothing is darkened, so there is nothing to take back.")
        return scene.model_copy(update={"darkening": self.darkening})

    def title(self, scene: Scene) -> str:
        return "Leave no darkening" if self.darkening is None else "Darken where surfaces meet"


class SetRelief(DressEdit):
    """Let what a lantern throws answer to light as if it had heights, in place of how it does; with
    null, as what is flat."""

    verb: Literal["SetRelief"] = "SetRelief"
    lantern: Id
    relief: Relief | None

    def on(self, scene: Scene) -> Scene:
        lantern = the_one(scene.lanterns, self.lantern, "lantern")
        if self.relief is None and lantern.relief is None:
            raise Refusal(f"{lantern.name} has no relief, so there is none to take away.")
        new = lantern.model_copy(update={"relief": self.relief})
        return scene.model_copy(update={"lanterns": swapped(scene.lanterns, new)})

    def title(self, scene: Scene) -> str:
        name = the_one(scene.lanterns, self.lantern, "lantern").name
        return f"{'Flatten' if self.relief is None else 'Give relief to'} {name}"


class Block(DressEdit):
    """Let proxies only take a light away: they are hidden, and cast its shadow besides what casts
    it already."""

    verb: Literal["Block"] = "Block"
    light: Id
    proxies: Annotated[tuple[Id, ...], Field(min_length=1, max_length=2000)]

    def on(self, scene: Scene) -> Scene:
        light = the_one(scene.lights, self.light, "light")
        if isinstance(light, SpreadKind):
            raise Refusal(f"{light.name} comes from all sides, so that nothing blocks it.")
        for id in self.proxies:
            if not the_one(scene.proxies, id, "proxy").stands:
                raise Refusal("What hangs before the lens or round it blocks no light.")
        blockers = tuple(dict.fromkeys((*light.blockers, *self.proxies)))
        new = light.model_copy(update={"blockers": blockers})
        hidden = tuple(
            p.model_copy(update={"hidden": True}) if p.id in self.proxies and not p.hidden else p
            for p in scene.proxies
        )
        lights = swapped(scene.lights, new)
        return scene.model_copy(update={"lights": lights, "proxies": hidden})

    def title(self, scene: Scene) -> str:
        return f"Block {the_one(scene.lights, self.light, 'light').name}"


class SetLook(DressEdit):
    """Give the frame a look, in place of what it has; with null, none."""

    verb: Literal["SetLook"] = "SetLook"
    look: Look | None

    def on(self, scene: Scene) -> Scene:
        if self.look is None and scene.look is None:
            raise Refusal("There is no look, so there is nothing to let go.")
        return scene.model_copy(update={"look": self.look})

    def title(self, scene: Scene) -> str:
        return "Let the look go" if self.look is None else "Set the look"
