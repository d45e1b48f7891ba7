"""A shot rendered frame by frame, and the memory that takes."""

from __future__ import annotations

import io
from collections.abc import Collection, Iterator
from itertools import pairwise
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray

from ..arrays import Floats
from ..camera import Camera
from ..cast.ofscene import Pixels, plate_of, throwers
from ..cast.overtime import casts, numbers
from ..dress.grade import graded, of_frame, on_layers, tone_of, toned_guests
from ..dress.guests import GuestsOverTime, no_files
from ..dress.ofscene import dress_of_frame
from ..dress.pieces import Files
from ..dress.relief import with_relief
from ..move.frames import RenderRequest
from ..picture import png
from ..picture.eight import in_eight_bit
from ..render.film import Film, Plane, film
from ..render.land import Cast, Thrower
from ..render.pyramid import Depth, Pyramid
from ..render.sights import BYTES_A_LIGHT
from ..scene.dressing import SpreadKind
from ..scene.model import Scene
from ..scene.moment import moments
from ..sight.measure import required_camera
from .movie import encoder_bytes

# Memory per pixel of a plate with its mip levels, at 8 bit and deeper; and per pixel of a frame
# with its copies on the way to a file.
BYTES_A_PLATE_PIXEL, BYTES_A_DEEP_PIXEL, BYTES_A_FRAME_PIXEL = 16.0, 44.0, 28.0


def bytes_needed(scene: Scene, asked: RenderRequest, movie: bool) -> float:
    """About how much memory a delivery takes while it is made."""
    plates = [plate_of(scene, lantern) for lantern in scene.lanterns]
    deep = any(p.alpha or p.bits > 8 for p in plates)
    each = {p.digest: p.width * p.height for p in plates}
    plate = sum(each.values()) * (BYTES_A_DEEP_PIXEL if deep else BYTES_A_PLATE_PIXEL)
    encoder = encoder_bytes(asked.width, asked.height) if movie else 0.0
    shadowing = [one for one in scene.lights if one.on and not isinstance(one, SpreadKind)]
    return (
        plate
        + BYTES_A_FRAME_PIXEL * asked.width * asked.height
        + encoder
        + BYTES_A_LIGHT * len(shadowing)
    )


def frames(
    scene: Scene, pixels: Pixels, asked: RenderRequest, files: Files = no_files
) -> Iterator[NDArray[Any]]:  # fmt: skip
    """The frames (H, W, 4), alpha not multiplied in, in the kind of the plates, in order; each
    rendered when it is asked for. pixels: where the plates' come from; files: where guests' do."""
    return (one.beauty for one in films(scene, pixels, asked, files=files))


def films(
    scene: Scene, pixels: Pixels, asked: RenderRequest, planes: Collection[Plane] = (),
    files: Files = no_files,
) -> Iterator[Film]:  # fmt: skip
    """The same with planes of depth and the like."""
    sighted = required_camera(scene)
    at = numbers(asked.first, asked.last + ("motion" in planes))
    depth: Depth = "sixteen" if {"lanterns", "haze"}.intersection(planes) else "eight"
    standing: dict[tuple[object, ...], Pyramid] = {}
    guests = GuestsOverTime(pixels, files)

    def throw(moment: Scene) -> list[Thrower]:
        laid = toned_guests(moment, guests.pictures(moment), guests.owners(moment), files)
        tone = tone_of(moment, files)
        there = throwers(moment, sighted, pixels, depth, standing, laid, tone)
        return with_relief(moment, there, pixels, files)

    shots = casts(scene, at, sighted, throw, Cast, guests.targets)
    views = ((cast, asked.frame.of(shot)) for shot, cast in shots)
    plain: Iterator[Film] | None = None
    if "ungraded" in planes and on_layers(scene) is not None:
        plain = films(scene.model_copy(update={"look": None}), pixels, asked, files=files)
    for moment, made in _dressed(scene, views, at, planes, files):
        if made.lanterns is not None:
            made = made._replace(lanterns=_by_guest(moment, made.lanterns, guests.owners(moment)))
        yield made if plain is None else made._replace(ungraded=next(plain).beauty)


def _dressed(
    scene: Scene,
    views: Iterator[tuple[Cast, Camera]],
    at: Floats,
    planes: Collection[Plane],
    files: Files,
) -> Iterator[tuple[Scene, Film]]:
    """Films of what is cast and from where it is seen, at frames (F,), and of what moment."""
    following: Iterator[tuple[tuple[Cast, Camera], tuple[Cast, Camera] | None]] = (
        pairwise(views) if "motion" in planes else ((view, None) for view in views)
    )
    for moment, number, (now, then) in zip(moments(scene, at), at, following, strict=False):
        made = film(*now, planes, then, dress_of_frame(moment, files))
        look = of_frame(moment.look)
        yield moment, made._replace(beauty=graded(made.beauty, look, int(number), files))


def _by_guest(scene: Scene, layers: NDArray[Any], owners: list[str]) -> NDArray[Any]:
    """Layers of lanterns, and then of what lies on guests, whose ids are the owners, with one layer
    for each guest that is shown: what lies on it added up."""
    shown = [one.id for one in scene.guests if not one.hidden]
    if not shown:
        return layers
    count = len(scene.lanterns)
    out = np.zeros((count + len(shown), *layers.shape[1:]), layers.dtype)
    out[:count] = layers[:count]
    out[count:, ..., 3] = layers[:1, ..., 3]
    for owner, layer in zip(owners, layers[count:], strict=True):
        out[count + shown.index(owner), ..., :3] += layer[..., :3]
    return out


def plane_files(scene: Scene, made: Film, planes: Collection[Plane]) -> Iterator[tuple[str, bytes]]:
    """The planes of a frame as TIFF files: what each is called, and its bytes. Light by lantern is
    one file each, by the lantern's or guest's name."""
    for plane in planes:
        numbers = getattr(made, plane)
        if plane != "lanterns":
            yield plane, plane_tiff(numbers)
            continue
        names = [f"lantern {name_of_file(one.name)}" for one in scene.lanterns]
        names += [f"guest {name_of_file(one.name)}" for one in scene.guests if not one.hidden]
        for name, layer in zip(names, numbers, strict=True):
            yield name, plane_tiff(layer)


def name_of_file(name: str) -> str:
    """A name without what a file's name may not hold."""
    return "".join("-" if c in '/\\:*?"<>|' or not c.isprintable() else c for c in name)


def plane_tiff(plane: NDArray[Any]) -> bytes:
    """A plane as TIFF, in the numbers that it has: 32-bit floating point, or whole numbers; motion
    in red and green."""
    out = io.BytesIO()
    if plane.ndim == 3 and plane.shape[2] == 2:  # few programs read two numbers a pixel
        plane = np.concatenate([plane, np.zeros_like(plane[..., :1])], axis=2)
    more: dict[str, Any] = {"photometric": "minisblack" if plane.ndim == 2 else "rgb"}
    if plane.ndim == 3 and plane.shape[2] == 4:
        more["extrasamples"] = ["assocalpha" if plane.dtype.kind == "f" else "unassalpha"]
    tifffile.imwrite(out, plane, compression="zlib", **more)
    return out.getvalue()


def frame_png(frame: NDArray[Any]) -> bytes:
    """A frame as PNG: in sixteen bit where it is of sixteen bit, in eight where it is not deeper
    or of floating light, which a PNG cannot keep."""
    return png(frame if frame.dtype == np.uint16 else in_eight_bit(frame))
