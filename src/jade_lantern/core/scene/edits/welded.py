"""Welds: corners of solids that stay together."""

from __future__ import annotations

import numpy as np

from ...arrays import Floats
from ...proxy import Proxy, Solid
from ...refusal import Refusal
from ..model import Scene, SolidCorner

STILL_M = 1e-9  # a corner that moved less has not moved


def place_of_corner(proxy: Solid, corner: int) -> Floats:
    """(3,) in the world. Raises Refusal where there is no such corner."""
    own = proxy.shape.points.get(corner)
    if own is None:
        raise Refusal("This corner is not there any more. Choose another one.")
    turn, place = proxy.frame()
    out: Floats = turn @ own + place
    return out


def held_together(before: Scene, after: Scene) -> Scene:
    """The scene with welded corners where the one of them that moved has gone. Welds of corners
    that are not there any more are let go."""
    if not after.welds or after.proxies is before.proxies:
        return after
    was = {p.id: p for p in before.proxies}
    now = {p.id: p for p in after.proxies}
    welds = []
    for weld in after.welds:
        there = tuple(c for c in weld.corners if _has(now.get(c.proxy), c.corner))
        if len(there) < 2:
            continue
        welds.append(weld if there == weld.corners else weld.model_copy(update={"corners": there}))
        places = [_at(now, c) for c in there]
        moved = [
            p for c, p in zip(there, places, strict=True)
            if _has(was.get(c.proxy), c.corner)
            and np.linalg.norm(p - _at(was, c)) > STILL_M
        ]  # fmt: skip
        if not moved:
            continue
        for corner, place in zip(there, places, strict=True):
            if np.linalg.norm(place - moved[0]) > STILL_M:
                now[corner.proxy] = _taken(now[corner.proxy], corner.corner, moved[0])
    proxies = tuple(now[p.id] for p in after.proxies)
    return after.model_copy(update={"proxies": proxies, "welds": tuple(welds)})


def _has(proxy: Proxy | None, corner: int) -> bool:
    return isinstance(proxy, Solid) and corner in proxy.shape.points


def _at(proxies: dict[str, Proxy], corner: SolidCorner) -> Floats:
    proxy = proxies[corner.proxy]
    assert isinstance(proxy, Solid)  # as `_has` found
    return place_of_corner(proxy, corner.corner)


def _taken(proxy: Proxy, corner: int, to: Floats) -> Solid:
    """A solid with a corner at a place in the world."""
    assert isinstance(proxy, Solid)  # as `_has` found
    turn, place = proxy.frame()
    return proxy.with_shape(proxy.shape.moved({corner: (to - place) @ turn}))
