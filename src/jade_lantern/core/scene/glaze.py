"""Glazed proxies carry their picture along: where each point was when it was fixed to them."""

from __future__ import annotations

import numpy as np

from ..arrays import Floats, Indices
from ..cache import cached
from ..camera import Camera
from ..proxy import Proxy, Solid
from ..refusal import Refusal
from ..solid.shape import taken_apart
from .model import Glazed

# The number and order of a mesh's points do not depend on the camera, so any camera will do.

MOST_BYTES = 32 << 20  # of cached results
ANY_CAMERA = Camera.centred(16, 9, 12.0, np.eye(3), np.array([0.0, 1.0, 0.0]))


def places_at_rest(proxy: Proxy, glazed: Glazed, camera: Camera) -> Floats:
    """(N, 4) homogeneous rest positions of a proxy's points: world position times weight, and the
    weight. They interpolate linearly over triangles, which makes the mapping projective.

    Raises Refusal where the proxy has points that it did not have when it was glazed.
    """
    order = points_at_rest(proxy, glazed.rest)
    was = glazed.rest.mesh(camera).points
    once = len(glazed.rest.own_mesh(camera).points)
    copies = len(proxy.full_mesh(camera).points) // max(len(order), 1)
    # copies that existed then carry their own picture, later ones that of the original
    starts = np.arange(copies) * once if len(was) == copies * once else np.zeros(copies, int)
    places = was[(starts[:, None] + order).ravel()]
    weights = np.ones(len(order))
    if isinstance(proxy, Solid) and glazed.weights:
        by = dict(glazed.weights)
        weights = np.array([by.get(corner[0], 1.0) for corner in proxy.corners])
    every = np.tile(weights, copies)[:, None]
    out: Floats = np.concatenate([places * every, every], axis=1)
    return out


@cached(MOST_BYTES)
def points_at_rest(proxy: Proxy, rest: Proxy) -> Indices:
    """(N,) for each point of a proxy's own mesh the index of the point that it was at rest.

    Raises Refusal where it has points that it did not have when it was glazed.
    """
    added = Refusal(
        f"{proxy.name} is glazed: its picture is fixed to the corners that it has, so none can be "
        "added. Take its glaze off first; it can be glazed again afterwards."
    )
    if not isinstance(proxy, Solid):
        count = len(proxy.own_mesh(ANY_CAMERA).points)
        if type(rest) is not type(proxy) or len(rest.own_mesh(ANY_CAMERA).points) != count:
            raise added
        return np.arange(count)
    numbers = _numbers(rest)
    if any(corner[0] not in numbers for corner in proxy.corners):
        raise added
    return np.array([numbers[corner[0]] for corner in proxy.corners])


def _numbers(rest: Proxy) -> dict[int, int]:
    """Which of its mesh's points each corner is, by the numbers that its first work gives them."""
    if isinstance(rest, Solid):
        return {corner[0]: i for i, corner in enumerate(rest.corners)}
    mesh = rest.own_mesh(ANY_CAMERA)
    shape, _ = taken_apart(mesh)
    first: dict[tuple[float, ...], int] = {}
    for i, point in enumerate(mesh.points.tolist()):
        first.setdefault(tuple(point), i)
    return {number: first[tuple(place.tolist())] for number, place in shape.points.items()}
