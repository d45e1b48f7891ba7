"""Gradient-domain blending of a hole that was filled from several places (Poisson image editing,
Perez et al. 2003): colours are solved for whose differences between neighbours are those of the
source, and which agree with the known pixels around the hole."""

from __future__ import annotations

import numpy as np
import scipy  # its submodules load on first use

from ..arrays import Bytes, Flags, Floats, Indices

HOLD = 1e-3  # weight of a pixel's copied colour, relative to one difference
NEAR_ENOUGH = 1e-4  # relative residual at which the solver stops
MOST_TURNS = 400
SIDES = ((0, 1), (0, -1), (1, 0), (-1, 0))


def joined_up(out: Bytes, source: Bytes, known: Flags, shift: Indices, filled: Flags) -> None:
    """Blend the filled pixels (H, W) of a picture (H, W, 3) in place. source: (H, W, 3) the picture
    before it was filled. known: (H, W) its valid pixels. shift: (H, W, 2) rows and columns from
    each filled pixel to where it was copied from."""
    rows, columns = np.nonzero(filled)
    count = len(rows)
    number = np.full(filled.shape, -1)
    number[rows, columns] = np.arange(count)
    given = source.astype(float)
    own = out[rows, columns].astype(float)
    wanted, weight = HOLD * own, np.full(count, HOLD)
    pairs: list[tuple[Indices, Indices]] = []
    for down, right in SIDES:
        y, x = rows + down, columns + right
        i = np.nonzero(within(y, x, filled.shape))[0]
        i = i[filled[y[i], x[i]] | known[y[i], x[i]]]
        p, q = (rows[i], columns[i]), (y[i], x[i])
        step, count_of = np.zeros((len(i), 3)), np.zeros(len(i))
        for by in (shift[p], shift[q]):  # the mean of what both shifts say
            _add_step(step, count_of, given, known, p, q, by)
        wanted[i] += step / np.maximum(count_of, 1)[:, None]
        weight[i] += 1
        open_ = filled[q]
        pairs.append((i[open_], number[q[0][open_], q[1][open_]]))
        np.add.at(wanted, i[~open_], given[q[0][~open_], q[1][~open_]])
    one, other = (np.concatenate([pair[k] for pair in pairs]) for k in range(2))
    each = np.arange(count)
    entries = np.concatenate([weight, np.full(len(one), -1.0)])
    at = (np.concatenate([each, one]), np.concatenate([each, other]))
    system = scipy.sparse.coo_matrix((entries, at), shape=(count, count)).tocsr()
    for k in range(3):
        value, _ = scipy.sparse.linalg.cg(
            system, wanted[:, k], x0=own[:, k], rtol=NEAR_ENOUGH, maxiter=MOST_TURNS
        )
        out[rows, columns, k] = np.clip(value + 0.5, 0, 255)


def _add_step(
    step: Floats, count_of: Floats, given: Floats, known: Flags, p: tuple[Indices, Indices],
    q: tuple[Indices, Indices], by: Indices,
) -> None:  # fmt: skip
    """Add to step (N, 3) the differences of pixels p from q at their places shifted by (N, 2),
    where both are known there, and count them in count_of (N,)."""
    py, px, qy, qx = p[0] + by[:, 0], p[1] + by[:, 1], q[0] + by[:, 0], q[1] + by[:, 1]
    i = np.nonzero(within(py, px, known.shape) & within(qy, qx, known.shape))[0]
    i = i[known[py[i], px[i]] & known[qy[i], qx[i]]]
    step[i] += given[py[i], px[i]] - given[qy[i], qx[i]]
    count_of[i] += 1


def within(y: Indices, x: Indices, shape: tuple[int, ...]) -> Flags:
    """(N,) which pixels are inside a picture of a shape."""
    out: Flags = (y >= 0) & (x >= 0) & (y < shape[0]) & (x < shape[1])
    return out
