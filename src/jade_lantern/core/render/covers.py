"""How much the pictures of things cover at places on them, for the shadows that they cast."""

from __future__ import annotations

import numpy as np
import scipy  # its submodules load on first use

from ..arrays import Flags, Floats, Indices
from .land import Cast, Target, Thrower
from .pyramid import PAD, WHITE, Pyramid

HIDES = 0.5  # what covers more than this casts a shadow


def can_be_clear(cast: Cast, target: Target) -> bool:
    """Whether light comes through a thing anywhere."""
    return any(cast.throwers[k].can_be_clear for k in target.lanterns)


def is_light(cast: Cast, target: Target) -> bool:
    """Whether a thing is only light: what is added to what is behind it hides nothing."""
    return any(cast.throwers[k].mixing != "over" for k in target.lanterns)


def covered(cast: Cast, target: Target, triangle: Indices, place: Floats) -> Floats:
    """(N,) how much a thing covers, 0 to 1, at places (N, 3) on triangles (N,) of the cast. What no
    lantern reaches, and what carries its picture along, is taken for opaque."""
    left, reached = np.ones(len(place)), np.zeros(len(place), bool)
    for k in target.lanterns:
        one = cast.throwers[k]
        if target.laid is not None:
            pixel, lands = _laid_at(cast, triangle, place), np.ones(len(place), bool)
        else:
            pixel, lands = _thrown_at(one, place)
        alpha = np.ones(len(place)) if one.plate is None else _alpha_at(one.plate, pixel)
        left *= 1.0 - np.where(lands, alpha * one.strength, 0.0)
        reached |= lands
    return np.where(reached & ~cast.glazed[triangle], 1.0 - left, 1.0)


def _laid_at(cast: Cast, triangle: Indices, place: Floats) -> Floats:
    """(N, 2) px of the picture that is laid on triangles, by what is linear on each."""
    which, of = np.unique(triangle, return_inverse=True)
    corners = cast.triangles.corners[which]
    middle = corners.mean(axis=1)
    inverse = np.linalg.pinv(corners - middle[:, None])  # (K, 3, 3): of flat ones, in their plane
    places = cast.laid[which]
    by = inverse @ (places - places.mean(axis=1, keepdims=True))  # (K, 3, 2)
    away = place - middle[of.ravel()]
    out: Floats = np.einsum("ni,nij->nj", away, by[of.ravel()]) + places.mean(axis=1)[of.ravel()]
    return out


def _thrown_at(one: Thrower, place: Floats) -> tuple[Floats, Flags]:
    """(N, 2) px of a lantern's plate, and (N,) whether it lands there."""
    camera = one.fitted
    pixel, depth = camera.project(place)
    lands = depth > 0
    if one.edge == "stop":
        size = [camera.width, camera.height]
        lands &= (pixel >= 0).all(axis=1) & (pixel <= size).all(axis=1)
    return pixel, lands


def _alpha_at(plate: Pyramid, pixel: Floats) -> Floats:
    """(N,) a plate's alpha at places (N, 2), px; its edge goes on beyond it."""
    if plate.depth == "eight":
        return np.ones(len(pixel))
    high, wide = plate.height + 2 * PAD, int(plate.stride[0])
    begin = int(plate.start[0])
    alpha = plate.pixels[begin : begin + high * wide].reshape(high, wide, 4)[..., 3]
    size = np.array([plate.width, plate.height], float)
    at = np.nan_to_num(pixel).clip(0.0, size) + (PAD - 0.5)
    found = scipy.ndimage.map_coordinates(
        alpha, [at[:, 1], at[:, 0]], np.float32, order=1, mode="nearest"
    )
    out: Floats = found / WHITE[plate.depth]
    return out
