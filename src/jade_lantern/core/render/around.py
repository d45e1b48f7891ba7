"""Light from all around, by the normal of what it falls on: a map of the sphere of normals, so that
also a small bright sun in a panorama is right, where a few harmonics would smear it."""

from __future__ import annotations

import numpy as np

from ..arrays import Floats, Floats32

SIDE = 129  # of a map
AT_ONCE = 512  # normals


def octahedral(normals: Floats) -> Floats:
    """(N, 2) where normals (N, 3) are in a map, from 0 to SIDE - 1: the sphere folded onto an
    octahedron, and that open about its tip at -Y (Meyer et al. 2010)."""
    flat = normals / np.abs(normals).sum(axis=1, keepdims=True)
    at = flat[:, [0, 2]]
    folded = (1.0 - np.abs(at[:, ::-1])) * np.where(at < 0, -1.0, 1.0)
    out: Floats = (np.where(flat[:, 1:2] < 0, folded, at) + 1.0) * 0.5 * (SIDE - 1)
    return out


def normals_of_map() -> Floats:
    """(SIDE * SIDE, 3) the normals that a map is of, row by row."""
    line = np.linspace(-1.0, 1.0, SIDE)
    z, x = np.meshgrid(line, line, indexing="ij")
    y = 1.0 - np.abs(x) - np.abs(z)
    under = y < 0
    fold_x = (1.0 - np.abs(z)) * np.where(x < 0, -1.0, 1.0)
    fold_z = (1.0 - np.abs(x)) * np.where(z < 0, -1.0, 1.0)
    out = np.stack([np.where(under, fold_x, x), y, np.where(under, fold_z, z)], axis=2)
    out = out.reshape(-1, 3)
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    return out


def irradiance(moments: Floats32) -> Floats32:
    """(SIDE, SIDE, 3) what surfaces get, by their normal, of light from each cell of a sphere (see
    `outside.panorama`): 1 where all is white. moments: (ROWS, COLUMNS, 3, 3). A cell that the
    surface's plane cuts through counts by its middle."""
    flat = np.ascontiguousarray(moments.reshape(-1, 9).reshape(-1, 3, 3).transpose(1, 2, 0))
    normals = normals_of_map().astype(np.float32)
    out = np.empty((len(normals), 3), np.float32)
    for begin in range(0, len(normals), AT_ONCE):
        some = normals[begin : begin + AT_ONCE]
        for k in range(3):
            got = some @ flat[k]
            out[begin : begin + AT_ONCE, k] = np.maximum(got, 0, out=got).sum(axis=1)
    return out.reshape(SIDE, SIDE, 3)


def turned_about_up(normals: Floats, degrees: float) -> Floats:
    """Normals (N, 3) as what has been turned so far, anticlockwise from above, sees them."""
    s, c = np.sin(np.radians(degrees)), np.cos(np.radians(degrees))
    x, y, z = normals.T
    return np.stack([c * x - s * z, y, s * x + c * z], axis=1)


def looked_up(map: Floats32, normals: Floats) -> Floats:
    """(N, 3) what a map says of normals (N, 3), straight between its places."""
    at = octahedral(normals)
    first = np.floor(at).clip(0, SIDE - 2).astype(int)
    part = at - first
    (x, z), (u, v) = first.T, part.T[..., None]
    out: Floats = (1 - v) * ((1 - u) * map[z, x] + u * map[z, x + 1])
    out += v * ((1 - u) * map[z + 1, x] + u * map[z + 1, x + 1])
    return out
