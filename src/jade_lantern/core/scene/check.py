"""Whether a scene is sound as a whole. Every scene is checked before it is kept, so that what is
kept can be read, drawn and exported again.

Edits make the next scene with `model_copy`, which does not look at what it is given; so the parts
that an edit made anew are validated here, once, and then what must hold between parts.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from pydantic import ValidationError

from ..proxy import Solid
from ..refusal import Refusal
from ..track import PointKey, TrackKey
from ..value import Point2, Value
from .aim import check_aims
from .document import plainly
from .dressing import check_dressing
from .glaze import ANY_CAMERA, points_at_rest
from .guests import check_guests
from .kinds import MANY
from .model import Scene, Sighting
from .moment import check_tracks
from .plate import Plate
from .shot import check_shot

# of what a sighting holds, and of each kind of part
MOST = {
    "tapes": 200, "rectangles": 200, "corners": 400,
    **{kind.name: kind.most for kind in MANY if kind.most is not None},
}  # fmt: skip
MOST_REPEATED = 400_000  # triangles
MOST_TRACES = 400
MOST_TRACE_POINTS = 6000  # in all; the worst case of so many is still solved within a second or two


def checked(scene: Scene, before: Scene | None = None) -> Scene:
    """The scene, if it is sound. before: a scene that is known to be sound; what is the very same
    part in both is not looked at again.

    Raises Refusal, saying which thing is wrong and how.
    """
    _validate(scene, before)
    changed = {
        name for name in Scene.model_fields
        if before is None or getattr(scene, name) is not getattr(before, name)
    }  # fmt: skip
    if changed & {"sighting", "plate"}:
        _check_sighting(scene.sighting, scene.plate)
    for name in changed.intersection(MOST):
        _check_count(name, getattr(scene, name))
    if "proxies" in changed:
        _check_repeats(scene, before)
    if changed & {"proxies", "welds"}:
        _check_welds(scene)
    if changed & {"proxies", "lanterns", "sheet"}:
        _check_sheet(scene)
    if changed & {"proxies", "glazed"}:
        _check_glazed(scene, before)
    if changed & {"proxies", "lanterns", "move", "tracks", "guests", "lights", "haze", "darkening",
                  "look"}:  # fmt: skip
        check_tracks(scene)
    if "guests" in changed:
        check_guests(scene.guests)
    if changed & {"proxies", "guests", "lanterns", "lights", "haze", "darkening", "look"}:
        check_dressing(scene)
    if "move" in changed:
        check_shot(scene.move)
    if changed & {"move", "proxies"}:
        check_aims(scene)
    _check_numbers(scene)
    return scene


def _validate(new: Value, old: Any) -> None:
    """Validate a value and all in it that is not the very same object in an old one."""
    if new is old:
        return
    for name in type(new).model_fields:
        part = getattr(new, name)
        was = getattr(old, name, None)
        if isinstance(part, Value):
            _validate(part, was)
        elif isinstance(part, tuple) and part and isinstance(part[0], Value):
            known = {id(p) for p in was} if isinstance(was, tuple) else set()
            for one in part:
                if id(one) not in known:
                    _validate(one, None)
    try:
        type(new).model_validate(dict(new.__dict__))
    except ValidationError as error:
        raise Refusal(f"{_called(new)}{plainly(error)} Nothing was changed.") from error


def _called(value: Value) -> str:
    if isinstance(value, TrackKey | PointKey):
        return f"Key at {value.frame}: "
    named = getattr(value, "name", None) or getattr(value, "id", None)
    return f"{named}: " if named and not isinstance(value, Scene) else ""


def _check_sighting(sighting: Sighting, plate: Plate) -> None:
    if len(sighting.traces) > MOST_TRACES:
        raise Refusal(f"There are {MOST_TRACES} traces already: more would not help.")
    if sum(len(t.points) for t in sighting.traces) > MOST_TRACE_POINTS:
        raise Refusal(
            f"The traces have {MOST_TRACE_POINTS:,} points in all already, which is as many as can "
            "be solved while a hand drags. A bent edge needs no more than a dozen."
        )
    for name in ("tapes", "rectangles", "corners"):
        _check_count(name, getattr(sighting, name))
    lines: list[tuple[str, Sequence[Point2]]] = [("trace", t.points) for t in sighting.traces]
    lines += [("rectangle", r.points) for r in sighting.rectangles]
    lines += [("tape", t.points) for t in sighting.tapes]
    if sighting.datum is not None:
        lines.append(("datum", [sighting.datum]))
    for what, points in lines:
        check_inside(points, plate, what)
    traces = {t.id for t in sighting.traces}
    for corner in sighting.corners:
        if not traces.issuperset(corner.traces) or corner.traces[0] == corner.traces[1]:
            raise Refusal("A corner is marked by two traces that are there.")
    headings = [t.heading for t in sighting.trust]
    if len(set(headings)) < len(headings):
        raise Refusal("A heading is trusted in two ways at once.")


def check_inside(points: Sequence[Point2], plate: Plate, what: str) -> None:
    """Raises Refusal where a point, in pixels, lies outside the plate."""
    for x, y in points:
        if not (0 <= x <= plate.width and 0 <= y <= plate.height):
            raise Refusal(f"This {what} leaves the picture. Keep it inside the plate.")


def _check_count(name: str, things: Sequence[Any]) -> None:
    if len(things) > MOST[name]:
        said = name.replace("_", " ")
        raise Refusal(f"There are {MOST[name]:,} {said} already, which is the most there can be.")


def _check_repeats(scene: Scene, before: Scene | None) -> None:
    """No proxy repeats itself to more triangles than can be drawn and sent while a hand drags."""
    known = set() if before is None else {id(p) for p in before.proxies}
    for proxy in scene.proxies:
        row, mirror = getattr(proxy, "row", None), getattr(proxy, "mirror", None)
        if id(proxy) in known or (row is None and mirror is None):
            continue
        times = (row.count if row is not None else 1) * (2 if mirror is not None else 1)
        count = times * len(proxy.own_mesh(ANY_CAMERA).triangles)
        if count > MOST_REPEATED:
            raise Refusal(
                f"{proxy.name} would repeat itself to {count:,} triangles; up to {MOST_REPEATED:,} "
                "can be worked with. Repeat it less often, or make it simpler."
            )


def _check_welds(scene: Scene) -> None:
    if not scene.welds:
        return
    solids = {p.id: {c[0] for c in p.corners} for p in scene.proxies if isinstance(p, Solid)}
    held = [(c.proxy, c.corner) for w in scene.welds for c in w.corners]
    if any(corner not in solids.get(proxy, ()) for proxy, corner in held):
        raise Refusal("A weld holds a corner that is not there.")
    if len(set(held)) < len(held):
        raise Refusal("A corner is welded twice.")


def _check_sheet(scene: Scene) -> None:
    names = [lantern.name for lantern in scene.lanterns]
    if len(set(names)) < len(names):
        raise Refusal("Two lanterns have the same name. Paint finds its lantern by its name.")
    proxies, lanterns = {p.id for p in scene.proxies}, {one.id for one in scene.lanterns}
    rows = [(row.proxy, row.face) for row in scene.sheet.rows]
    if len(set(rows)) < len(rows) or not proxies.issuperset(row[0] for row in rows):
        raise Refusal("The cast sheet has a row twice, or one of a proxy that is not there.")
    for row in scene.sheet.rows:
        if not lanterns.issuperset(row.lanterns) or len(set(row.lanterns)) < len(row.lanterns):
            raise Refusal("The cast sheet names a lantern twice in a row, or one that is gone.")


def _check_glazed(scene: Scene, before: Scene | None) -> None:
    """Each glazed proxy still has the points that its picture is fixed to."""
    proxies = {p.id: p for p in scene.proxies}
    ids = [one.id for one in scene.glazed]
    if len(set(ids)) < len(ids) or not proxies.keys() >= set(ids):
        raise Refusal("A proxy is glazed twice, or one that is not there.")
    known = set() if before is None else {id(p) for p in (*before.proxies, *before.glazed)}
    for one in scene.glazed:
        proxy = proxies[one.id]
        if not known.issuperset((id(proxy), id(one))):
            points_at_rest(proxy, one.rest)


def ids_in(scene: Scene) -> list[str]:
    """The ids of all things in a scene that have one of their own; a glaze has its proxy's."""
    sighting = scene.sighting
    things: Iterable[Sequence[Any]] = (
        sighting.traces, sighting.rectangles, sighting.corners, sighting.tapes,
        *(getattr(scene, kind.name) for kind in MANY if kind.name != "glazed"),
    )  # fmt: skip
    return [thing.id for many in things for thing in many]


def _check_numbers(scene: Scene) -> None:
    """Every thing has a number of its own, and new ones are given higher ones."""
    ids = ids_in(scene)
    if len(set(ids)) < len(ids):
        raise Refusal("Two things have the same number.")
    if ids and max(int(i.rpartition("-")[2]) for i in ids) >= scene.next_id:
        raise Refusal("A thing has a number that is yet to be given.")
