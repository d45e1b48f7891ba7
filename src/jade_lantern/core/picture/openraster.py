"""Layered pictures in the OpenRaster format (freedesktop.org, 0.0.6): a ZIP of PNGs in a stack."""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any
from xml.etree import ElementTree

import numpy as np
from defusedxml.ElementTree import fromstring  # type: ignore[import-untyped]
from numpy.typing import NDArray

from ..budget import Budget
from ..refusal import Refusal
from ..value import name_of
from .deep import read_deep
from .eight import in_eight_bit, white_of
from .encode import png, preview
from .still import head_of

MIME = b"image/openraster"
MOST_LAYERS = 200
LARGEST_STACK = 4_000_000  # bytes
BROKEN = (zipfile.BadZipFile, zlib.error, KeyError, EOFError, OSError, ValueError, RuntimeError)


@dataclass(frozen=True, eq=False)
class Layer:
    """pixels: (H, W, 3 or 4), alpha not multiplied in, where its corner is at (left, top) of the
    canvas."""

    name: str
    pixels: NDArray[Any]
    left: int = 0
    top: int = 0
    opacity: float = 1.0
    visible: bool = True


@dataclass(frozen=True)
class Layers:
    """A layered picture: the size of its canvas, its layers from the top down, and the names of
    layers whose pictures are missing or damaged."""

    width: int
    height: int
    layers: tuple[Layer, ...]
    missing: tuple[str, ...] = ()


def is_openraster(data: bytes) -> bool:
    return data[:2] == b"PK" and MIME in data[:200]


def written(width: int, height: int, layers: Sequence[Layer]) -> bytes:
    """An OpenRaster file. layers: from the top down."""
    out = io.BytesIO()
    image = ElementTree.Element("image", version="0.0.6", w=str(width), h=str(height))
    stack = ElementTree.SubElement(image, "stack")
    merged = flattened(Layers(width, height, tuple(layers)))
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("mimetype", MIME)  # first and not compressed, as the format asks
        for i, layer in enumerate(layers):
            source = f"data/layer{i:03d}.png"
            ElementTree.SubElement(
                stack, "layer", name=layer.name, src=source, x=str(layer.left), y=str(layer.top),
                opacity=f"{layer.opacity:g}", visibility="visible" if layer.visible else "hidden",
            )  # fmt: skip
            archive.writestr(source, png(layer.pixels))
        archive.writestr("stack.xml", ElementTree.tostring(image, "utf-8", xml_declaration=True))
        archive.writestr("mergedimage.png", png(merged))
        archive.writestr("Thumbnails/thumbnail.png", png(preview(in_eight_bit(merged), 256)))
    return out.getvalue()


def read_layers(data: bytes, most_pixels: int, budget: Budget | None = None) -> Layers:
    """An OpenRaster file's layers. Layers may share a picture; each is taken from the budget, by
    what its header says and by what it comes to on the canvas.

    Raises Refusal where it is none, or too large.
    """
    budget = budget or Budget()
    read: dict[str, NDArray[Any]] = {}
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if archive.getinfo("stack.xml").file_size > LARGEST_STACK:
                raise Refusal("This OpenRaster file has more layers than can be read.")
            image = fromstring(archive.read("stack.xml"))
            width, height = int(image.get("w", 0)), int(image.get("h", 0))
            if width < 1 or height < 1 or width * height > most_pixels:
                raise Refusal(f"This OpenRaster file has a canvas of {width} × {height} pixels.")
            layers: list[Layer] = []
            missing: list[str] = []
            for element, opacity, visible, left, top in _walked(image.find("stack")):
                name = name_of(element.get("name"), f"layer {len(layers) + 1}")
                if len(layers) + len(missing) >= MOST_LAYERS:
                    raise Refusal(f"This OpenRaster file has more than {MOST_LAYERS} layers.")
                budget.take(4 * width * height)
                try:
                    source = archive.getinfo(element.get("src", ""))
                    if source.file_size > 8 * most_pixels:
                        raise ValueError("too large")
                except BROKEN:
                    missing.append(name)
                    continue
                if source.filename not in read:
                    budget.take(source.file_size)
                    try:
                        file = archive.read(source)
                        head = head_of(file)
                    except (*BROKEN, Refusal):
                        missing.append(name)
                        continue
                    if head.width * head.height > most_pixels:
                        raise Refusal(f"The layer {name} is larger than can be worked on.")
                    budget.take(head.decoded_bytes)
                    try:
                        read[source.filename] = read_deep(file)
                    except Refusal:
                        missing.append(name)
                        continue
                pixels = read[source.filename]
                layers.append(Layer(name, pixels, left, top, opacity, visible))
    except Refusal:
        raise
    except (*BROKEN, ElementTree.ParseError) as error:
        raise Refusal("This OpenRaster file is damaged, so nothing was taken from it.") from error
    return Layers(width, height, tuple(layers), tuple(missing))


def _walked(stack: Any, opacity: float = 1.0, visible: bool = True, x: int = 0, y: int = 0) -> Any:
    """All layers of a stack and the stacks in it, from the top down."""
    for element in stack if stack is not None else ():
        own = opacity * min(max(float(element.get("opacity", 1)), 0.0), 1.0)
        shown = visible and element.get("visibility", "visible") != "hidden"
        left, top = x + int(element.get("x", 0)), y + int(element.get("y", 0))
        if element.tag == "stack":
            yield from _walked(element, own, shown, left, top)
        elif element.tag == "layer":
            yield element, own, shown, left, top


def whole(layers: Layers, layer: Layer) -> NDArray[Any]:
    """A layer on the whole canvas, (H, W, 4), clear where it is not; its opacity taken into its
    alpha."""
    kind = layer.pixels.dtype
    white = white_of(kind)
    out = np.zeros((layers.height, layers.width, 4), kind)
    h, w = layer.pixels.shape[:2]
    y0, x0 = max(layer.top, 0), max(layer.left, 0)
    y1, x1 = min(layer.top + h, layers.height), min(layer.left + w, layers.width)
    if y1 > y0 and x1 > x0:
        part = layer.pixels[y0 - layer.top : y1 - layer.top, x0 - layer.left : x1 - layer.left]
        out[y0:y1, x0:x1, :3] = part[..., :3]
        alpha = part[..., 3] if part.shape[2] == 4 else np.full(part.shape[:2], white)
        round_ = 0.5 if kind.kind == "u" else 0.0
        out[y0:y1, x0:x1, 3] = (alpha * layer.opacity + round_).astype(kind)
    return out


def flattened(layers: Layers) -> NDArray[Any]:
    """What shows of all layers together, (H, W, 4), alpha not multiplied in, in the deepest of
    their kinds."""
    shown = [layer for layer in layers.layers if layer.visible and layer.opacity > 0]
    kinds = [layer.pixels.dtype for layer in shown] or [np.dtype(np.uint8)]
    kind = max(kinds, key=lambda k: (k.kind == "f", k.itemsize))
    total = np.zeros((layers.height, layers.width, 4), np.float32)
    for layer in reversed(shown):
        pixels = whole(layers, layer)
        part = pixels.astype(np.float32) / np.float32(white_of(pixels.dtype))
        alpha = part[..., 3:]
        total *= 1 - alpha
        total[..., :3] += part[..., :3] * alpha
        total[..., 3:] += alpha
    alpha = total[..., 3:]
    total[..., :3] = np.where(alpha > 0, total[..., :3] / np.where(alpha > 0, alpha, 1), 0)
    if kind.kind == "f":
        return total.astype(np.float32)
    return np.asarray(total.clip(0, 1) * np.float32(white_of(kind)) + np.float32(0.5), kind)


def painted(layers: Layers, guides: Collection[str]) -> NDArray[Any]:
    """All that shows (H, W, 3 or 4) but layers of certain names. Raises Refusal where there is no
    other layer."""
    own = tuple(layer for layer in layers.layers if layer.name.strip().lower() not in guides)
    if not own:
        raise Refusal("All layers of this file are guides: the layer plate is missing.")
    out = flattened(Layers(layers.width, layers.height, own))
    return out[..., :3] if (out[..., 3] >= white_of(out.dtype)).all() else out
