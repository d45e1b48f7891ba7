"""Surfaces and lanterns as views draw them."""

from __future__ import annotations

from ninja import Schema

from ..core.sight.reading import CameraReading
from ..core.value import Edge, Mixing
from . import arrays


class HandleShown(Schema):
    """A place on a proxy that can be taken hold of, in the proxy's own frame."""

    role: str
    at: tuple[float, float, float]


class ProxyShape(Schema):
    """A proxy's surface. frame: three rows of x, y, z and place, which take the proxy's own frame
    to the world."""

    id: str
    frame: list[float]
    mesh: arrays.MeshArrays
    handles: list[HandleShown]


class LanternShown(Schema):
    """A lantern as views throw it: the camera of the part of its frame that its plate fills, in
    pixels of the plate; digest: of its picture, with its mask in its alpha."""

    id: str
    camera: CameraReading
    digest: str
    edge: Edge
    through: bool
    strength: float
    alpha: bool
    laid: bool = False
    mixing: Mixing = "over"
