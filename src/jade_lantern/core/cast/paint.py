"""Paint that comes back: each file finds its lantern by its name; what is odd about it is said."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..budget import Budget
from ..outside.glb import MARK
from ..outside.layers import read_flat, read_frame, read_over_time, read_plates
from ..outside.process import read_apart
from ..picture import head_of, png, read_deep
from ..picture.eight import eight_bit, three_channels
from ..picture.footage import is_movie
from ..picture.openraster import is_openraster
from ..picture.source import SourceFacts, numbered, sequence_name, sequence_of
from ..refusal import Refusal
from ..scene.check import MOST
from ..scene.edits import PutLanterns
from ..scene.edits.cast import thrown_anew
from ..scene.model import Lantern, Scene
from ..scene.pictures import playing_plate, said_of
from ..scene.plate import Plate
from ..value import name_of, new_id
from .cameras import cameras_of
from .fill import removed
from .kit import GUIDES
from .ofscene import Pixels, plate_of

ASPECT_OFF = 0.004  # relative difference of aspect ratios up to which a picture is only rescaled
SHIFTED_PX = 0.75
MASK = "mask"  # last word of the name of a mask's file, after the lantern's name
COMPARED = 1024  # px, the longer side at which pictures are compared for a shift
LIKE = 0.35  # correlation from which two pictures count as showing the same
MOST_PIXELS = 200_000_000

# Keeps a picture's file, and gives its digest.
Keep = Callable[[bytes], str]


@dataclass(frozen=True)
class Brought:
    """What became of a file. lantern: the name of the lantern that it was for, or that it made;
    None where nothing was taken. said: what is odd about it, in words. done: how it was taken,
    where that is not as paint is always taken."""

    file: str
    lantern: str | None
    said: tuple[str, ...] = ()
    done: tuple[str, ...] = ()


@dataclass
class _Found:
    room: int  # how many new lanterns the scene has room for
    painted: list[Lantern] = field(default_factory=list)
    new: list[Lantern] = field(default_factory=list)
    brought: list[Brought] = field(default_factory=list)

    def add(self, lantern: Lantern) -> None:
        """Raises Refusal where there are too many."""
        if len(self.new) >= self.room:
            raise Refusal(f"There can be {MOST['lanterns']} lanterns: this one is too many.")
        self.new.append(lantern)


def taken_in(
    scene: Scene,
    files: list[tuple[str, bytes]],
    pixels: Pixels,
    keep: Keep,
    most_pixels: int = MOST_PIXELS,
    frame: int = 0,
    budget: Budget | None = None,
    plays: bool = False,
) -> tuple[PutLanterns | None, list[Brought]]:
    """The edit that paint comes to, and what is to be said of each file. A file whose name is no
    lantern's becomes a new one; the layers of such an OpenRaster file each become one, and so do
    the cameras of a GLB. frame: which one of a movie is taken, from 0. plays: all of them are, and
    the plate plays, as do files that differ by a number. budget: what all may cost together."""
    if plays and len(files) > 1 and numbered([name for name, _ in files]):
        files = [(sequence_name(files[0][0]), sequence_of(files))]
    found = _Found(room=MOST["lanterns"] - len(scene.lanterns))
    budget = budget or Budget()
    for name, data in files:
        try:
            _take(scene, name, data, pixels, keep, most_pixels, frame, found, budget, plays)
        except Refusal as error:
            found.brought.append(Brought(name, None, (str(error),)))
    lanterns = (*found.painted, *found.new)
    if not lanterns:
        return None, found.brought
    verb = "Paint for" if found.painted else "Bring in"
    what = f"lantern {lanterns[0].name}" if len(lanterns) == 1 else f"{len(lanterns)} lanterns"
    return PutLanterns(lanterns=lanterns, said=f"{verb} {what}"[:80]), found.brought


def _take(
    scene: Scene, name: str, data: bytes, pixels: Pixels, keep: Keep, most_pixels: int,
    frame: int, found: _Found, budget: Budget, plays: bool,
) -> None:  # fmt: skip
    stem = re.sub(r"\.[A-Za-z0-9]{1,5}$", "", name.replace("\\", "/").rsplit("/", 1)[-1])
    if data[: len(MARK)] == MARK:
        _take_cameras(scene, name, data, found)
        return
    lantern, guide = lantern_named(scene, stem)
    if guide == MASK and lantern is not None:
        _take_mask(scene, lantern, name, data, keep, most_pixels, found, budget)
        return
    if guide:
        found.brought.append(Brought(name, None, (f"This is the guide {guide}: left out.",)))
        return
    said: list[str] = []
    done: tuple[str, ...] = ()
    picture: NDArray[Any]
    playing: SourceFacts | None = None
    if (plays and is_movie(data)) or over_time(data):
        picture, playing = first_of(data, most_pixels, budget, said)
        done = (f"It plays: {playing.count} pictures, from frame 0 on.",)
    elif is_movie(data):
        picture = read_apart(read_frame, data, frame, most_pixels)
        budget.take(picture.nbytes)
        data = png(picture)
        done = (f"Frame {frame} of the movie was taken.",)
    elif is_openraster(data):
        if lantern is None:
            _new_of_layers(data, most_pixels, budget, keep, found, name)
            return
        flat = read_apart(read_flat, data, most_pixels, budget.left_bytes, GUIDES)
        budget.take(flat.bytes)
        said += _missing(flat.missing)
        picture = flat.pixels
        data = png(picture)
    else:
        head = head_of(data)
        if head.width * head.height > most_pixels:
            raise Refusal("This picture is larger than can be worked on.")
        picture = read_deep(data, budget)
    if lantern is None:
        found.add(
            _lantern(stem, _new_plate(scene, stem, picture, data, keep, playing), len(found.new))
        )
        done += ("No lantern has this name: a new one.",)
        found.brought.append(Brought(name, stem[:80], tuple(said), done))
        return
    masked = [one for one in found.painted if one.id == lantern.id]
    if any(one.plate != lantern.plate for one in masked):
        raise Refusal(f"Two files are for {lantern.name}; the first one was taken.")
    was = pixels(plate_of(scene, lantern))
    if lantern.view is not None and lantern.plate is None:  # it went out as a picture of its own
        was = np.zeros((lantern.view.height, lantern.view.width, 3), np.uint8)
    said += checked_against(scene, lantern, picture, was)
    plate = _new_plate(scene, stem, picture, data, keep, playing)
    found.painted = [one for one in found.painted if one.id != lantern.id]
    lantern = masked[0] if masked else lantern
    found.painted.append(thrown_anew(lantern, plate, stand_in=False))
    found.brought.append(Brought(name, lantern.name, tuple(said), done))


def over_time(data: bytes) -> bool:
    """Whether a file is a numbered sequence in a ZIP."""
    return data[:2] == b"PK" and not is_openraster(data)


def first_of(
    data: bytes, most_pixels: int, budget: Budget, said: list[str]
) -> tuple[NDArray[Any], SourceFacts]:
    """The first picture of a movie or a sequence, and what there is to know of all. said: what is
    odd about them is added. Raises Refusal."""
    first = read_apart(read_over_time, data, most_pixels)
    budget.take(first.picture.nbytes)
    said += said_of(first.facts)
    return first.picture, first.facts


def _take_cameras(scene: Scene, name: str, data: bytes, found: _Found) -> None:
    """Take a GLB's cameras as lanterns of their own places, to be painted."""
    cameras = cameras_of(data, scene.plate)
    for called, view in cameras:
        id = new_id(len(found.new))
        found.add(Lantern(id=id, name=called, view=view))
    names = ", ".join(called for called, _ in cameras)
    done = ("Its cameras are lanterns to paint now.",)
    found.brought.append(Brought(name, names[:200], done=done))


def _take_mask(
    scene: Scene, lantern: Lantern, name: str, data: bytes, keep: Keep, most_pixels: int,
    found: _Found, budget: Budget,
) -> None:  # fmt: skip
    """Take a picture, or pictures over time, as a lantern's mask. Raises Refusal where it has not
    its plate's size."""
    already = [one for one in found.painted if one.id == lantern.id]
    lantern = already[0] if already else lantern
    said: list[str] = []
    plate = plate_of(scene, lantern)
    called = f"{lantern.name} mask"
    mask = mask_for(plate, called, data, keep, scene.move.fps, most_pixels, budget, said)
    found.painted = [one for one in found.painted if one.id != lantern.id]
    found.painted.append(lantern.model_copy(update={"mask": mask}))
    done = ("Taken as its mask: white is thrown.",)
    found.brought.append(Brought(name, lantern.name, tuple(said), done))


def mask_for(
    plate: Plate, name: str, data: bytes, keep: Keep, fps: float, most_pixels: int,
    budget: Budget, said: list[str],
) -> Plate:  # fmt: skip
    """A file as the mask of a plate: one picture, or a movie or sequence, which plays as the plate
    does. said: what is odd about it is added. Raises Refusal where it has not the plate's size."""
    if is_movie(data) or over_time(data):
        picture, facts = first_of(data, most_pixels, budget, said)
        _require_size(plate, picture.shape[1], picture.shape[0])
        mask = playing_plate(name, keep(data), facts, fps)
        if plate.playing is not None and mask.playing is not None:
            if mask.playing.count != plate.playing.count:
                said.append(
                    f"It has {facts.count:,} pictures, and {plate.name} {plate.playing.count:,}."
                )
            own = {"count": facts.count, "first": facts.first, "ends": None}
            playing = plate.playing.model_copy(update=own)
            mask = mask.model_copy(update={"playing": playing})
        return mask
    head = head_of(data)
    # one that is held on its side is turned when it is read
    if {head.width, head.height} != {plate.width, plate.height}:
        _require_size(plate, head.width, head.height)
    picture = read_deep(data, budget)
    _require_size(plate, picture.shape[1], picture.shape[0])
    return _plate(name, picture, data, keep)


def _require_size(plate: Plate, width: int, height: int) -> None:
    if (width, height) != (plate.width, plate.height):
        raise Refusal(
            f"The mask is {width} × {height}, and {plate.name} {plate.width} × {plate.height}. A "
            "mask has its plate's size; it was left out."
        )


def _plate(stem: str, picture: NDArray[Any], data: bytes, keep: Keep) -> Plate:
    bits = {1: 8, 2: 16}.get(picture.dtype.itemsize, 32)
    return Plate(
        name=name_of(stem, "paint"), width=picture.shape[1], height=picture.shape[0],
        digest=keep(data), format="TIFF" if bits == 32 else "PNG", bits=bits,
        alpha=picture.shape[2] == 4,
    )  # fmt: skip


def _new_plate(
    scene: Scene, stem: str, picture: NDArray[Any], data: bytes, keep: Keep,
    playing: SourceFacts | None,
) -> Plate:  # fmt: skip
    if playing is None:
        return _plate(stem, picture, data, keep)
    return playing_plate(name_of(stem, "paint"), keep(data), playing, scene.move.fps)


def _lantern(name: str, plate: Plate, number: int) -> Lantern:
    return Lantern(id=new_id(number), name=name_of(name, "paint"), plate=plate)


def _new_of_layers(
    data: bytes, most_pixels: int, budget: Budget, keep: Keep, found: _Found, name: str
) -> None:
    """Make a lantern of each layer of an OpenRaster file, or of none of them. Raises Refusal."""
    read = read_apart(read_plates, data, most_pixels, budget.left_bytes, GUIDES)
    budget.take(read.bytes)
    said = _missing(read.missing)
    if not read.layers:
        raise Refusal(" ".join(["There is no layer to be a plate in this file.", *said]))
    room = found.room - len(found.new)
    if len(read.layers) > room:
        raise Refusal(
            f"It has {len(read.layers)} layers, and there is room for {room} more of "
            f"{MOST['lanterns']} lanterns. Merge some of them."
        )
    for layer in read.layers:
        plate = Plate(
            name=layer.name, width=layer.width, height=layer.height, digest=keep(layer.png),
            format="PNG", bits=layer.bits, alpha=layer.alpha,
        )  # fmt: skip
        found.add(_lantern(layer.name, plate, len(found.new)))
    names = ", ".join(layer.name for layer in read.layers)
    found.brought.append(Brought(name, names, tuple(said)))


def _missing(layers: Iterable[str]) -> list[str]:
    return [f"The layer {layer} is missing or damaged." for layer in layers]


def _plain(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", " ", text.lower()).strip()


def lantern_named(scene: Scene, stem: str) -> tuple[Lantern | None, str | None]:
    """The lantern whose name a file's name begins with, the longest of them; and which guide of a
    kit the file is, or that it is a mask, where it is one."""
    name = _plain(stem)
    fitting = [
        one for one in scene.lanterns
        if name == _plain(one.name) or name.startswith(_plain(one.name) + " ")
    ]  # fmt: skip
    if not fitting:
        return None, None
    best = max(fitting, key=lambda one: len(one.name))
    rest = name[len(_plain(best.name)) :].split()
    guide = rest[0] if len(rest) == 1 and rest[0] in (*GUIDES, MASK) else None
    return best, guide


def checked_against(
    scene: Scene, lantern: Lantern, picture: NDArray[Any], was: NDArray[Any]
) -> list[str]:
    """What is otherwise with a plate that came back than with the one that went out, in words.

    Raises Refusal where it is of another shape.
    """
    (h, w), (old_h, old_w) = picture.shape[:2], was.shape[:2]
    if abs((w / h) / (old_w / old_h) - 1) > ASPECT_OFF:
        raise Refusal(
            f"It is {w} × {h}, and the plate of {lantern.name} {old_w} × {old_h}: another shape. "
            "It was left out and the plate before it kept. Bring it back on the whole canvas."
        )
    said = []
    if (h, w) != (old_h, old_w):
        how = "smaller" if w < old_w else "larger"
        said.append(f"It is {w} × {h}, {how} than the {old_w} × {old_h} that went out: taken so.")
    if was.shape[2] == 4 and picture.shape[2] < 4:
        said.append("Its alpha is lost: the plate before it had one, and this covers everything.")
    if was.dtype.itemsize > picture.dtype.itemsize:
        said.append(f"It has {8 * picture.dtype.itemsize} bit; {8 * was.dtype.itemsize} went out.")
    shift = shifted(scene, lantern, picture, was)
    if shift is not None:
        said.append(
            f"Its picture is shifted by {shift[0]:+.0f}, {shift[1]:+.0f} px against the plate that "
            "went out: the canvas was moved or cut."
        )
    return said


def shifted(
    scene: Scene, lantern: Lantern, picture: NDArray[Any], was: NDArray[Any]
) -> tuple[float, float] | None:
    """By how much a painted plate's picture is off the one that went out, px of that; None where
    it is not, or where they show too little of the same to tell."""
    old_h, old_w = was.shape[:2]
    s = min(COMPARED / max(old_w, old_h), 1.0)
    size = (max(round(old_w * s), 8), max(round(old_h * s), 8))
    new, old = (_grey(p, size) for p in (picture, was))
    if lantern.view is not None:
        return None
    try:
        area = removed(scene, lantern, *size).area
    except Refusal:
        return None
    new[area] = old[area] = 0
    window = cv2.createHanningWindow(size, cv2.CV_32F)
    (dx, dy), _ = cv2.phaseCorrelate(old, new, window)
    if np.hypot(dx, dy) < SHIFTED_PX * s or not _alike(old, new, dx, dy):
        return None
    return dx / s, dy / s


def _grey(picture: NDArray[Any], size: tuple[int, int]) -> NDArray[np.float32]:
    colour = three_channels(eight_bit(picture[..., :3]))
    small = cv2.resize(cv2.cvtColor(colour, cv2.COLOR_RGB2GRAY), size, interpolation=cv2.INTER_AREA)
    fine = small.astype(np.float32) - cv2.GaussianBlur(small.astype(np.float32), (0, 0), 6)
    return np.asarray(fine, np.float32)


def _alike(old: NDArray[np.float32], new: NDArray[np.float32], dx: float, dy: float) -> bool:
    """Whether two pictures show the same once one is moved, better than without."""
    if old.std() == 0 or new.std() == 0:  # of one colour: nothing can be compared
        return False
    back = cv2.warpAffine(
        new, np.array([[1, 0, -dx], [0, 1, -dy]], np.float32), (new.shape[1], new.shape[0])
    )
    moved = float(np.corrcoef(old.ravel(), np.asarray(back).ravel())[0, 1])
    still = float(np.corrcoef(old.ravel(), new.ravel())[0, 1])
    return moved > LIKE and moved > still + 0.02
