"""Proxies: the surfaces that the picture lands on. This is the only place that lists the kinds."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from .backdrop import Backdrop
from .box import Box
from .card import Card
from .drum import Drum
from .floor import Floor
from .kind import LEAST_SIZE_M, Handle, Kind, Similarity, Stood

Proxy = Annotated[Floor | Card | Box | Drum | Backdrop, Field(discriminator="kind")]
KINDS: tuple[type[Kind], ...] = (Floor, Card, Box, Drum, Backdrop)

__all__ = [
    "KINDS", "LEAST_SIZE_M", "Backdrop", "Box", "Card", "Drum", "Floor", "Handle", "Kind", "Proxy",
    "Similarity", "Stood",
]  # fmt: skip
