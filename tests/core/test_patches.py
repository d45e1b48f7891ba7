"""What is missing in a picture, made up from the rest of it, against pictures of which it is known
what was there."""

from itertools import pairwise, product

import numpy as np
import pytest

from jade_lantern.core.cast.choose import MOST_SEAM, SEAM, chosen
from jade_lantern.core.cast.patches import completed


def boards(height=160, width=220):
    """Boards one above another, darker at their joints, lit from the left."""
    y, x = np.mgrid[0:height, 0:width]
    tone = 120 + 30 * (y // 16 % 2) - 60 * (y % 16 == 0)
    lit = tone * (1.25 - 0.5 * x / width)
    return np.stack([lit, 0.8 * lit, 0.6 * lit], axis=2).clip(0, 255).astype(np.uint8)


@pytest.mark.parametrize("upright", [False, True])
def test_what_is_built_runs_on_and_its_light_too(upright):
    picture = boards()
    known = np.ones(picture.shape[:2], bool)
    known[50:110, 80:150] = False
    made = completed(np.where(known[..., None], picture, 255), known, ~known, upright)
    assert np.abs(made.astype(float) - picture)[~known].mean() < 3
    assert np.array_equal(made[known], picture[known])


def test_only_what_is_wanted_is_made():
    picture = boards()
    known = np.ones(picture.shape[:2], bool)
    known[50:80, 80:110] = known[:, 180:] = False
    wanted = np.zeros_like(known)
    wanted[50:80, 80:110] = True
    made = completed(picture, known, wanted)
    assert np.abs(made.astype(float) - picture)[wanted].mean() < 3
    alone = completed(picture, known, ~known)
    assert np.array_equal(made[wanted], alone[wanted])


def test_nothing_is_made_of_nothing():
    picture = boards(20, 30)
    none = np.zeros(picture.shape[:2], bool)
    assert completed(picture, none, ~none).shape == picture.shape


def test_of_a_line_the_choice_is_the_cheapest_of_all():
    rng = np.random.default_rng(3)
    count, shifts = 5, 4
    for grid in (np.arange(count)[None], np.arange(count)[:, None]):
        for _ in range(20):
            cost = rng.uniform(0, 9000, (count, shifts)).astype(np.float32)
            colour = rng.uniform(0, 255, (count, 3, shifts)).astype(np.float32)

            def price(choice, cost=cost, colour=colour):
                total = sum(cost[i, k] for i, k in enumerate(choice))
                for i, (a, b) in enumerate(pairwise(choice)):
                    apart = ((colour[i : i + 2, :, a] - colour[i : i + 2, :, b]) ** 2).sum()
                    total += min(SEAM * apart, MOST_SEAM)
                return total

            best = min(product(range(shifts), repeat=count), key=price)
            assert price(chosen(grid, cost, colour)) == pytest.approx(price(best), rel=1e-5)
