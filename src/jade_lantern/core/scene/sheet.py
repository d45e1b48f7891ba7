"""What is cast on proxies kept in step with the proxies: the cast sheet, and what is glazed."""

from __future__ import annotations

from ..proxy import Proxy, Solid
from .model import CastSheet, Lantern, Scene

Rows = dict[tuple[str, int | None], tuple[str, ...]]


def rows_of(scene: Scene) -> Rows:
    """The ids of lanterns by proxy and face; None for a proxy as a whole."""
    return {(row.proxy, row.face): row.lanterns for row in scene.sheet.rows}


def taken_by(rows: Rows, scene: Scene, proxy: str, face: int | None = None) -> tuple[str, ...]:
    """The ids of the lanterns that a proxy, or a face of it, takes, in order."""
    found = rows.get((proxy, face), rows.get((proxy, None)))
    return tuple(one.id for one in scene.lanterns[:1]) if found is None else found


def lanterns_of(scene: Scene, proxy: str, face: int | None = None) -> tuple[Lantern, ...]:
    """The lanterns that a proxy, or a face of it, takes, in order."""
    known = {one.id: one for one in scene.lanterns}
    return tuple(known[id] for id in taken_by(rows_of(scene), scene, proxy, face))


def in_step(before: Scene, after: Scene) -> Scene:
    """The scene with a sheet and a glaze that name only what is there: rows of proxies and faces
    that went are let go, and so are lanterns."""
    if after.glazed and after.proxies is not before.proxies:
        there = {p.id for p in after.proxies}
        kept = tuple(one for one in after.glazed if one.id in there)
        if len(kept) < len(after.glazed):
            after = after.model_copy(update={"glazed": kept})
    same = after.proxies is before.proxies and after.lanterns is before.lanterns
    if same or not after.sheet.rows:
        return after
    proxies = {p.id: p for p in after.proxies}
    lanterns = {one.id for one in after.lanterns}
    rows = []
    for row in after.sheet.rows:
        if not _there(proxies.get(row.proxy), row.face):
            continue
        if not lanterns.issuperset(row.lanterns):
            left = tuple(id for id in row.lanterns if id in lanterns)
            row = row.model_copy(update={"lanterns": left})
        rows.append(row)
    if rows == list(after.sheet.rows):
        return after
    return after.model_copy(update={"sheet": CastSheet(rows=tuple(rows))})


def _there(proxy: Proxy | None, face: int | None) -> bool:
    if proxy is None:
        return False
    return face is None or not isinstance(proxy, Solid) or face in {f[0] for f in proxy.faces}
