"""Proxies: the surfaces that the picture lands on. This is the only place that lists the kinds."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from .backdrop import Backdrop
from .box import Box
from .card import Card
from .dome import Dome
from .drum import Drum
from .floor import Floor
from .kind import LEAST_SIZE_M, Handle, Kind, Similarity, Stood
from .outline import Outline
from .repeat import Mirror, Row
from .room import Room
from .solid import Solid
from .span import Span
from .steps import Steps

Proxy = Annotated[
    Floor | Card | Outline | Box | Steps | Drum | Room | Span | Solid | Backdrop | Dome,
    Field(discriminator="kind"),
]
KINDS: tuple[type[Kind], ...] = (
    Floor, Card, Outline, Box, Steps, Drum, Room, Span, Solid, Backdrop, Dome,
)  # fmt: skip

__all__ = [
    "KINDS", "LEAST_SIZE_M", "Backdrop", "Box", "Card", "Dome", "Drum", "Floor", "Handle", "Kind",
    "Mirror", "Outline", "Proxy", "Room", "Row", "Similarity", "Solid", "Span", "Steps", "Stood",
]  # fmt: skip
