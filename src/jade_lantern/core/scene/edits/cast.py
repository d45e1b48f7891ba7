"""The verbs of Cast: lanterns, and which proxies take them."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, create_model

from ...refusal import Refusal
from ...value import NEW_ID, Id, Name, Value
from ..model import CastRow, CastSheet, Lantern, LanternView, Scene
from ..plate import Plate
from ..sheet import rows_of, taken_by
from .edit import Edit, Station, swapped, the_one, without

MOST_EARLIER = 40  # plates of a lantern that are kept behind the one that is thrown


class CastEdit(Edit):
    station: ClassVar[Station] = "cast"


class AddLantern(CastEdit):
    """Add a lantern that throws the still. A name that is taken gets a number. held: at a frame of
    footage (see `Lantern`)."""

    verb: Literal["AddLantern"] = "AddLantern"
    name: Name
    view: LanternView | None = None
    held: Annotated[int, Field(ge=0, le=100_000)] | None = None

    def on(self, scene: Scene) -> Scene:
        new = Lantern(id=NEW_ID, name=self.name, view=self.view, held=self.held)
        return with_lanterns(scene, (new,))

    def title(self, scene: Scene) -> str:
        return f"Add lantern {self.name}"


def with_lanterns(scene: Scene, lanterns: tuple[Lantern, ...]) -> Scene:
    """A scene with more lanterns, under ids of their own and names that are free."""
    out = list(scene.lanterns)
    for lantern in lanterns:
        name = free_lantern_name(lantern.name, {one.name for one in out})
        number = scene.next_id + len(out) - len(scene.lanterns)
        out.append(lantern.model_copy(update={"id": f"lantern-{number}", "name": name}))
    number = scene.next_id + len(lanterns)
    return scene.model_copy(update={"lanterns": tuple(out), "next_id": number})


def free_lantern_name(name: str, taken: set[str]) -> str:
    if name not in taken:
        return name
    return next(n for i in range(2, 10**6) if (n := f"{name[:70]} {i}") not in taken)


_ALTERABLE = ("name", "edge", "through", "strength", "view", "window", "mask", "stand_in", "held")
_LET_GO = ("view", "window", "mask", "held")
_FIELDS: dict[str, Any] = {
    n: (Lantern.model_fields[n].rebuild_annotation() | None, None) for n in _ALTERABLE
}
LanternFacts: Any = create_model("LanternFacts", __base__=Value, **_FIELDS)


class AlterLantern(CastEdit):
    """Change what is given of a lantern. What can be nothing (view, window, mask, held) is let go
    by being given as null."""

    verb: Literal["AlterLantern"] = "AlterLantern"
    lantern: Id
    to: LanternFacts

    def on(self, scene: Scene) -> Scene:
        one = the_one(scene.lanterns, self.lantern, "lantern")
        given = {n: getattr(self.to, n) for n in self.to.model_fields_set}
        empty = [n for n, v in given.items() if v is None and n not in _LET_GO]
        if empty:
            raise Refusal(f"A lantern's {empty[0]} cannot be nothing.")
        new = one.model_copy(update=given)
        return scene.model_copy(update={"lanterns": swapped(scene.lanterns, new)})

    def title(self, scene: Scene) -> str:
        name = the_one(scene.lanterns, self.lantern, "lantern").name
        facts: Any = self.to
        given = facts.model_fields_set
        if given == {"name"}:
            return f"Rename lantern {name} to {facts.name}"
        if given == {"held"}:
            if facts.held is None:
                return f"Lantern {name} goes along with its camera"
            return f"Hold lantern {name} at {scene.move.first + facts.held}"
        if given == {"edge"}:
            return f"Lantern {name}: {facts.edge} at the edge"
        return f"Change lantern {name}"


class DeleteLantern(CastEdit):
    verb: Literal["DeleteLantern"] = "DeleteLantern"
    lantern: Id

    def on(self, scene: Scene) -> Scene:
        return scene.model_copy(update={"lanterns": without(scene.lanterns, self.lantern)})

    def title(self, scene: Scene) -> str:
        return f"Delete lantern {the_one(scene.lanterns, self.lantern, 'lantern').name}"


class MoveLantern(CastEdit):
    """Put a lantern before another one; at the end without one. The first is the one that proxies
    without a row in the sheet take."""

    verb: Literal["MoveLantern"] = "MoveLantern"
    lantern: Id
    before: Id | None = None

    def on(self, scene: Scene) -> Scene:
        one = the_one(scene.lanterns, self.lantern, "lantern")
        rest = [other for other in scene.lanterns if other.id != one.id]
        at = len(rest)
        if self.before is not None:
            at = rest.index(the_one(rest, self.before, "lantern"))
        return scene.model_copy(update={"lanterns": (*rest[:at], one, *rest[at:])})

    def title(self, scene: Scene) -> str:
        return f"Move lantern {the_one(scene.lanterns, self.lantern, 'lantern').name}"


class CastOn(CastEdit):
    """Set rows of the cast sheet: which lanterns proxies or faces take, in order. cleared: rows
    that are let go, so that a proxy takes the first lantern again, or a face what its proxy
    takes; their lanterns do not matter."""

    verb: Literal["CastOn"] = "CastOn"
    rows: Annotated[tuple[CastRow, ...], Field(max_length=4000)] = ()
    cleared: Annotated[tuple[CastRow, ...], Field(max_length=4000)] = ()

    def on(self, scene: Scene) -> Scene:
        for row in self.rows:
            the_one(scene.proxies, row.proxy, "proxy")
        rows = {(row.proxy, row.face): row for row in scene.sheet.rows}
        for row in self.cleared:
            rows.pop((row.proxy, row.face), None)
        rows.update({(row.proxy, row.face): row for row in self.rows})
        return scene.model_copy(update={"sheet": CastSheet(rows=tuple(rows.values()))})

    def title(self, scene: Scene) -> str:
        rows = self.rows or self.cleared
        names = {p.id: p.name for p in scene.proxies}
        proxies = {names.get(row.proxy, "a proxy") for row in rows}
        onto = proxies.pop() if len(proxies) == 1 else f"{len(proxies)} proxies"
        lanterns = {one.id: one.name for one in scene.lanterns}
        taken = {row.lanterns for row in self.rows}
        if len(taken) != 1:
            return f"Cast sheet: {onto}"
        said = ", ".join(lanterns.get(id, "a lantern") for id in taken.pop()) or "nothing"
        return f"Cast {said} on {onto}"


class PutLanterns(CastEdit):
    """Lanterns that are added or changed, and the sheet with them, in one step. lanterns: one with
    an id that is there takes its place; others are added, and rows name them by the ids that they
    are given here."""

    verb: Literal["PutLanterns"] = "PutLanterns"
    lanterns: Annotated[tuple[Lantern, ...], Field(max_length=64)]
    sheet: CastSheet | None = None
    said: Name

    def on(self, scene: Scene) -> Scene:
        there = {one.id for one in scene.lanterns}
        new = [one for one in self.lanterns if one.id not in there]
        known = {one.id: one for one in self.lanterns}
        before = scene.model_copy(
            update={"lanterns": tuple(known.get(one.id, one) for one in scene.lanterns)}
        )
        after = with_lanterns(before, tuple(new))
        if self.sheet is None:
            return after
        first = len(scene.lanterns)
        ids = {a.id: b.id for a, b in zip(new, after.lanterns[first:], strict=True)}
        rows = tuple(
            row.model_copy(update={"lanterns": tuple(ids.get(id, id) for id in row.lanterns)})
            for row in self.sheet.rows
        )
        return after.model_copy(update={"sheet": CastSheet(rows=rows)})

    def title(self, scene: Scene) -> str:
        return self.said


def thrown_anew(one: Lantern, plate: Plate, stand_in: bool) -> Lantern:
    """A lantern with a new plate before the ones that it had."""
    earlier = one.earlier
    if one.plate is not None and not one.stand_in and one.plate.digest != plate.digest:
        earlier = (one.plate, *(p for p in earlier if p.digest != one.plate.digest))
    earlier = tuple(p for p in earlier if p.digest != plate.digest)[:MOST_EARLIER]
    return one.model_copy(update={"plate": plate, "earlier": earlier, "stand_in": stand_in})


class LayFootage(CastEdit):
    """Add a lantern that every proxy and face takes: before the lanterns that it takes already
    (over), or behind them."""

    verb: Literal["LayFootage"] = "LayFootage"
    lantern: Lantern
    over: bool = True

    def on(self, scene: Scene) -> Scene:
        after = with_lanterns(scene, (self.lantern,))
        new = after.lanterns[-1].id
        rows = rows_of(scene)
        for proxy in scene.proxies:
            rows.setdefault((proxy.id, None), taken_by(rows, scene, proxy.id))
        laid = tuple(
            CastRow(proxy=id, face=face, lanterns=(new, *takes) if self.over else (*takes, new))
            for (id, face), takes in rows.items()
        )
        return after.model_copy(update={"sheet": CastSheet(rows=laid)})

    def title(self, scene: Scene) -> str:
        return f"Lay {self.lantern.name} {'over' if self.over else 'under'} the trick"


class UseEarlier(CastEdit):
    """Throw a plate again that a lantern threw before; the one it throws now is kept behind it."""

    verb: Literal["UseEarlier"] = "UseEarlier"
    lantern: Id
    number: Annotated[int, Field(ge=0, lt=MOST_EARLIER)]

    def on(self, scene: Scene) -> Scene:
        one = the_one(scene.lanterns, self.lantern, "lantern")
        if self.number >= len(one.earlier):
            raise Refusal("This earlier plate is not there any more.")
        new = thrown_anew(one, one.earlier[self.number], False)
        return scene.model_copy(update={"lanterns": swapped(scene.lanterns, new)})

    def title(self, scene: Scene) -> str:
        return f"Earlier paint for {the_one(scene.lanterns, self.lantern, 'lantern').name}"
