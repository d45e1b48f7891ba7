"""How layers are mixed: premultiplied, in the numbers of the space that the still is kept in.

The viewport mixes by the same formulas, in `web/src/views/composite.glsl`; a test holds the two
together.
"""

from __future__ import annotations

import numpy as np

from ..arrays import Floats


def over(above: Floats, below: Floats) -> Floats:
    """(..., 4) one layer over another (Porter & Duff 1984)."""
    return above + below * (1.0 - above[..., 3:])


def lighten(above: Floats, below: Floats) -> Floats:
    """(..., 4) in each channel the lighter one where both are (W3C, Compositing and Blending 1)."""
    a, b = above[..., 3:], below[..., 3:]
    both = np.maximum(above[..., :3] * b, below[..., :3] * a)
    colour = above[..., :3] * (1.0 - b) + below[..., :3] * (1.0 - a) + both
    return np.concatenate([colour, a + b - a * b], axis=-1)


def summed(above: Floats, below: Floats) -> Floats:
    """(..., 4) light added to light. What is added where nothing is, covers as much as it did."""
    a, b = above[..., 3:], below[..., 3:]
    return np.concatenate([above[..., :3] + below[..., :3], a + b - a * b], axis=-1)


def difference(above: Floats, below: Floats, times: float) -> Floats:
    """(..., 4) how far two layers are off each other, in whole steps of 8 bit, so many times as
    strong as it is; below where nothing is above."""
    off = np.abs(_straight(above) - _straight(below))
    told = np.floor(off * 255.0 + 0.5) / 255.0 * times
    a = above[..., 3:]
    return over(np.concatenate([told * a, a], axis=-1), below)


def curved(layer: Floats, curves: Floats) -> Floats:
    """(..., 4) a layer with its colours changed by curves (N, 3): what 0 to 1 becomes in each
    channel, at N even steps, straight between them and as at the ends beyond."""
    steps = np.linspace(0.0, 1.0, len(curves))
    colour = _straight(layer)
    after = [np.interp(colour[..., k], steps, curves[:, k]) for k in range(3)]
    a = layer[..., 3:]
    return np.concatenate([np.stack(after, axis=-1) * a, a], axis=-1)


def _straight(layer: Floats) -> Floats:
    out: Floats = layer[..., :3] / np.maximum(layer[..., 3:], 1e-6)
    return out
