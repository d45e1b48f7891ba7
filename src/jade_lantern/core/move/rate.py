"""Frame rates as exact fractions."""

from __future__ import annotations

from fractions import Fraction

# Rates that television slowed down by 1000/1001 (SMPTE ST 12-1). People write them with two or
# three decimals, which would otherwise drift by a frame in some minutes.
SLOWED = (24, 30, 48, 60, 120)
AS_WRITTEN = 0.0051


def exact_rate(fps: float) -> Fraction:
    """Frames a second as a fraction: 23.976 and 23.98 are 24000/1001, 24 is 24, 12.5 is 25/2."""
    if abs(fps - round(fps)) < 1e-6:
        return Fraction(round(fps))
    for whole in SLOWED:
        slowed = Fraction(whole * 1000, 1001)
        if abs(fps - slowed) < AS_WRITTEN:
            return slowed
    return Fraction(fps).limit_denominator(1000)
