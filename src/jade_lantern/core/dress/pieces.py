"""What guests are made of: surfaces of height one, each with a picture laid on it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

import cv2
import numpy as np
import shapely  # its submodules load on first use

from ..arrays import Bytes, Floats, Floats32
from ..cache import Cache
from ..cast.ofscene import Pixels, Source
from ..mesh import Mesh, outward
from ..outside.process import read_apart
from ..outside.surfaces import Model, Surface, read_model
from ..picture.eight import white_of
from ..render.land import DENSE
from ..render.pyramid import Picture
from ..scene.guests import GuestKind, ModelFile, ModelGuest, PictureGuest, WordsGuest
from ..value import Mixing
from .glyphs import Letter, words_in

Files = Callable[[str], bytes]  # a kept file by its digest. Raises Refusal where it is gone

MOST_MODEL_BYTES = 384 << 20  # of models that are held ready
MODEL_READER_BYTES, MODEL_SECONDS = 6 << 30, 120.0
MOST_PICTURE = 4096  # px, of a picture that is repeated over a surface
LETTER_PX = 192  # px a capital letter's height, of letters that are soft or glow
MOST_WORDS_PX = 4096
GLOW = 0.3  # capital letters' heights in which a glow falls to 1 / e
REACH = 1.2  # and to which it is drawn
FLAT = 0.99996  # cosine of the angle, half a degree, within which normals are a triangle's own


@dataclass(frozen=True, eq=False)
class Piece:
    """mesh: in its guest's own frame, for a height of one. laid: (M, 3, 2) where its triangles'
    corners are in the picture, px. size: of the picture, px. letter: the number of the letter that
    it is, where letters stand by themselves; at: (2,) where its foot is in the text. normals:
    (M, 3, 3) of its triangles' corners, in its guest's frame, NaN where a triangle is flat; None
    for one that is flat all over. outward: as of a `render.land.Target`."""

    mesh: Mesh
    laid: Floats
    picture: Source
    size: tuple[int, int]
    alpha: bool
    mixing: Mixing = "over"
    letter: int | None = None
    at: tuple[float, float] = (0.0, 0.0)
    normals: Floats | None = None
    outward: int = 0

    @property
    def nbytes(self) -> int:
        normals = 0 if self.normals is None else self.normals.nbytes
        return self.mesh.points.nbytes + self.mesh.triangles.nbytes + self.laid.nbytes + normals


def pieces_of(guest: GuestKind, pixels: Pixels, files: Files) -> list[Piece]:
    """A guest's pieces; the same objects for equal guests. Raises Refusal where its file is gone,
    or cannot be read."""
    if isinstance(guest, ModelGuest):
        return model_pieces(guest.file, files)
    if isinstance(guest, PictureGuest):
        return [_card(guest, pixels)]
    assert isinstance(guest, WordsGuest)
    return _words(guest, files)


# Models that have been read, by digest; and pieces made of anything, by what they were made of.
_models: Cache[str, list[Piece]] = Cache(
    MOST_MODEL_BYTES, lambda m: sum(p.nbytes for p in m) + 1000
)
_made: Cache[tuple[object, ...], list[Piece]] = Cache(64 << 20, lambda m: sum(p.nbytes for p in m))


def model_pieces(file: ModelFile, files: Files) -> list[Piece]:
    """A model's pieces: one for each picture on it, and one for all that is of plain colours."""

    def make() -> list[Piece]:
        return _pieces_of_model(model_in(files(file.digest), file.format, file.name), file.digest)

    return _models.of(file.digest, make)


def model_in(data: bytes, kind: str, name: str) -> Model:
    """A file's model, read in a process of its own. Raises Refusal."""
    return read_apart(
        read_model, data, kind, name, most_bytes=MODEL_READER_BYTES, seconds=MODEL_SECONDS
    )


def _pieces_of_model(model: Model, digest: str) -> list[Piece]:
    points = _standing(model.points)
    normals = _rounded(points, model.triangles, model.normals)
    plain = [i for i, s in enumerate(model.surfaces) if s.picture is None]
    out = []
    mine = np.isin(model.surface, plain)
    if mine.any():
        colours = np.array([model.surfaces[i].colour for i in plain])
        row = np.searchsorted(plain, model.surface[mine])
        places = np.stack([row + 0.5, np.full(len(row), 0.5)], axis=1)
        laid = np.repeat(places[:, None], 3, axis=1)
        own = _palette(colours), digest, -1
        out.append(_piece_of(points, model.triangles[mine], laid, *own, normals[mine]))
    for i, surface in enumerate(model.surfaces):
        mine = model.surface == i
        if surface.picture is not None and mine.any():
            picture, laid = _spread(surface, model.places[mine])
            own = picture, digest, i
            out.append(_piece_of(points, model.triangles[mine], laid, *own, normals[mine]))
    if len(model.triangles) < DENSE or any(piece.alpha for piece in out):
        return out
    faces = np.arange(len(model.triangles), dtype=np.int32)
    way = outward(Mesh(points, model.triangles.astype(np.int32), faces))
    return [replace(piece, outward=way) for piece in out]


def _rounded(points: Floats, triangles: np.ndarray, normals: Floats | None) -> Floats:
    """(M, 3, 3) corners' normals, of length one, NaN for triangles where they are the triangle's
    own, or nothing."""
    if normals is None:
        return np.full((len(triangles), 3, 3), np.nan)
    a, b, c = (points[triangles[:, k]] for k in range(3))
    own = np.cross(b - a, c - a)
    own /= np.maximum(np.linalg.norm(own, axis=1, keepdims=True), 1e-30)
    length = np.linalg.norm(normals, axis=2, keepdims=True)
    out = np.array(normals / np.where(length > 1e-9, length, np.nan))
    flat = (np.abs(out @ own[:, :, None])[..., 0] > FLAT).all(axis=1)
    out[flat | np.isnan(out).any(axis=(1, 2))] = np.nan
    return out


def _standing(points: Floats) -> Floats:
    """A model's points on the middle of its base, and of height one; of one that is flat, of the
    largest side one."""
    low, high = points.min(axis=0), points.max(axis=0)
    side = high - low
    height = side[1] if side[1] > 0.01 * side.max() else side.max()
    foot = np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])
    out: Floats = (points - foot) / max(height, 1e-12)
    return out


def _piece_of(
    points: Floats,
    triangles: np.ndarray,
    laid: Floats,
    picture: Picture,
    digest: str,
    number: int,
    normals: Floats,
) -> Piece:
    used, of = np.unique(triangles, return_inverse=True)
    corners = of.reshape(triangles.shape).astype(np.int32)
    mesh = Mesh(points[used], corners, np.arange(len(corners), dtype=np.int32))
    size = picture.shape[1], picture.shape[0]
    source = Source(("model", digest, number), lambda: picture)
    round_ = None if np.isnan(normals).all() else normals
    return Piece(mesh, laid, source, size, picture.shape[2] == 4, normals=round_)


def _palette(colours: Floats) -> Picture:
    """(1, K, 3 or 4) colours (K, 4) beside one another."""
    eight = np.asarray(colours.clip(0, 1) * 255 + 0.5, np.uint8)[None]
    return eight if (eight[..., 3] < 255).any() else np.ascontiguousarray(eight[..., :3])


def _spread(surface: Surface, places: Floats) -> tuple[Picture, Floats]:
    """A surface's picture in its colour, and where corners (M, 3, 2) are in it, px. A picture that
    is repeated over a triangle is laid beside itself as often as it takes."""
    assert surface.picture is not None
    picture = _tinted(surface.picture, surface.colour)
    places = places - np.floor(places.min(axis=1, keepdims=True) + 1e-6)
    times = np.ceil(places.max(axis=(0, 1)) - 1e-6).clip(1, 64).astype(int)
    high, wide = picture.shape[:2]
    shrink = min(MOST_PICTURE / (wide * times[0]), MOST_PICTURE / (high * times[1]), 1.0)
    if shrink < 1.0:
        size = max(round(wide * shrink), 1), max(round(high * shrink), 1)
        picture = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
        picture = picture if picture.ndim == 3 else picture[..., None]
        high, wide = picture.shape[:2]
    picture = np.tile(picture, (times[1], times[0], 1))
    return picture, places * [wide, high]


def _tinted(picture: Bytes, colour: tuple[float, float, float, float]) -> Bytes:
    if min(colour) >= 1.0:
        return picture
    whole = picture
    if colour[3] < 1.0 and picture.shape[2] == 3:
        whole = np.dstack([picture, np.full(picture.shape[:2], 255, np.uint8)])
    by = np.array(colour[: whole.shape[2]])
    return np.asarray(whole * by + 0.5, np.uint8)


def _card(guest: PictureGuest, pixels: Pixels) -> Piece:
    plate = guest.plate
    wide, high = plate.width, plate.height
    at = (np.array([[0, 1], [1, 1], [1, 0], [0, 0]], float) - guest.feet) * [wide / high, -1.0]
    key = ("card", wide / high, guest.feet)

    def mesh() -> list[Piece]:
        points = np.column_stack([at, np.zeros(4)])
        triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
        made = Mesh(points, triangles, np.zeros(2, np.int32))
        blank = Source(key, lambda: np.zeros((1, 1, 3), np.uint8))
        return [Piece(made, np.zeros((2, 3, 2)), blank, (1, 1), False)]

    own = _made.of(key, mesh)[0].mesh
    corners = np.array([[0, high], [wide, high], [wide, 0], [0, 0]], float)
    source = Source(
        ("picture", plate.digest, plate.picture, guest.soft), partial(softened, guest, pixels),
        plate.playing is not None,
        "float" if plate.bits > 16 else "sixteen" if plate.bits > 8 or plate.alpha else "eight",
    )  # fmt: skip
    return Piece(
        own, corners[own.triangles], source, (wide, high), plate.alpha or guest.soft > 0,
        guest.mixing,
    )  # fmt: skip


def softened(guest: PictureGuest, pixels: Pixels) -> Picture:
    """A card's picture, its edges faded out."""
    picture = pixels(guest.plate)
    if not guest.soft:
        return picture
    high, wide = picture.shape[:2]
    reach = guest.soft * min(high, wide)
    inside = [np.minimum(np.arange(n) + 0.5, n - np.arange(n) - 0.5) for n in (high, wide)]
    t = (np.minimum(inside[0][:, None], inside[1]) / reach).clip(0, 1)
    return _with_alpha(picture, t * t * (3.0 - 2.0 * t))


def _with_alpha(picture: Picture, share: Floats) -> Picture:
    """A picture with a share (H, W) multiplied into its alpha."""
    white = white_of(picture.dtype)
    own = picture[..., 3] if picture.shape[2] == 4 else np.full(share.shape, white)
    round_ = 0.5 if picture.dtype.kind == "u" else 0.0
    alpha = (own * share + round_).astype(picture.dtype)
    return np.dstack([picture[..., :3], alpha])


def _words(guest: WordsGuest, files: Files) -> list[Piece]:
    apart_ = bool(guest.later)
    thick = guest.thick_m / guest.height_m
    key = (
        "words", guest.text, guest.face, guest.font, guest.weight, thick, guest.colour, guest.soft,
        guest.glow, guest.apart, apart_,
    )  # fmt: skip

    def make() -> list[Piece]:
        font = None if guest.font is None else files(guest.font)
        letters = words_in(guest.text, guest.face, font, guest.weight, guest.apart)
        groups = [[(k, one)] for k, one in enumerate(letters) if one is not None]
        if not apart_ and groups:
            groups = [[pair for group in groups for pair in group]]
        out = []
        for group in groups:
            number = group[0][0] if apart_ else None
            own = [one for _, one in group]
            # by itself a letter turns about its own foot
            at = [np.zeros(2) if apart_ else one.at for one in own]
            made = _of_letters(guest, key, own, at, thick, number)
            x, y = own[0].at.tolist() if apart_ else (0.0, 0.0)
            out += [replace(piece, at=(x, y)) for piece in made]
        return out

    return _made.of(key, make)


def _of_letters(
    guest: WordsGuest, key: tuple[object, ...], letters: list[Letter], at: list[Floats],
    thick: float, number: int | None,
) -> list[Piece]:  # fmt: skip
    eight = np.asarray(np.array(guest.colour) * 255 + 0.5, np.uint8)[None, None]
    out = []
    if thick > 0 or guest.soft == 0:
        mesh = _solid(letters, at, thick)
        laid = np.full((len(mesh.triangles), 3, 2), 0.5)
        source = Source(("colour", guest.colour), lambda: eight)
        out.append(Piece(mesh, laid, source, (1, 1), False, letter=number))
    else:
        out.append(_drawn(guest, key, letters, at, number, shines=False))
    if guest.glow > 0:
        out.append(_drawn(guest, key, letters, at, number, shines=True))
    return out


def _solid(letters: list[Letter], at: list[Floats], thick: float) -> Mesh:
    """Letters as a mesh, their backs in the plane that they stand in."""
    points: list[Floats] = []
    triangles: list[np.ndarray] = []
    faces: list[np.ndarray] = []
    begin = face = 0
    for one, place in zip(letters, at, strict=True):
        count = len(one.corners)
        flat = np.column_stack([one.corners + place, np.full(count, thick)])
        points.append(flat)
        triangles.append(one.triangles + begin)
        faces.append(np.full(len(one.triangles), face))
        if thick > 0:
            points.append(flat - [0, 0, thick])
            triangles.append(one.triangles[:, ::-1] + begin + count)
            faces.append(np.full(len(one.triangles), face + 1))
            a, b = one.rim.T + begin
            sides = np.stack([a, a + count, b + count, a, b + count, b], axis=1).reshape(-1, 3)
            triangles.append(sides)
            faces.append(face + 2 + np.repeat(np.arange(len(a)), 2))
            face += 2 + len(a)
            begin += count
        face += 1
        begin += count
    return Mesh(
        np.concatenate(points), np.concatenate(triangles).astype(np.int32),
        np.concatenate(faces).astype(np.int32),
    )  # fmt: skip


def _drawn(
    guest: WordsGuest, key: tuple[object, ...], letters: list[Letter], at: list[Floats],
    number: int | None, shines: bool,
) -> Piece:  # fmt: skip
    """Letters as a picture on a card: with soft edges, or the glow around them."""
    margin = REACH if shines else 0.5 * guest.soft + 0.05
    corners = np.concatenate([o.corners + p for o, p in zip(letters, at, strict=True)])
    low, high = corners.min(axis=0) - margin, corners.max(axis=0) + margin
    scale = min(LETTER_PX, MOST_WORDS_PX / float((high - low).max()))
    wide, tall = (max(int(np.ceil(n)), 2) for n in (high - low) * scale)
    shapes = [shapely.affinity.translate(o.shape, *p) for o, p in zip(letters, at, strict=True)]

    def picture() -> Picture:
        away = _distance(shapes, low, scale, (wide, tall))
        if shines:
            share = guest.glow * np.exp(-away.clip(0) / GLOW) * (away > 0)
            share *= (1.0 - away / REACH).clip(0, 1)  # so that its card's edge is not seen
        else:
            t = (0.5 - away / max(guest.soft, 1e-6)).clip(0, 1)
            share = t * t * (3.0 - 2.0 * t)
        rgb = np.broadcast_to(np.array(guest.colour), (tall, wide, 3))
        whole = np.dstack([rgb, share]).clip(0, 1)
        return np.asarray(whole * 65535 + 0.5, np.uint16)

    x0, y0, x1, y1 = low[0], low[1], low[0] + wide / scale, low[1] + tall / scale
    behind = -0.01 if shines else 0.0
    points = np.array([[x0, y0, behind], [x1, y0, behind], [x1, y1, behind], [x0, y1, behind]])
    triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    laid = np.array([[0, tall], [wide, tall], [wide, 0], [0, 0]], float)[triangles]
    source = Source((*key, "shines" if shines else "soft", number), picture)
    mesh = Mesh(points, triangles, np.zeros(2, np.int32))
    mixing: Mixing = "sum" if shines else "over"
    return Piece(mesh, laid, source, (wide, tall), True, mixing, number)


def _distance(
    shapes: list[shapely.Geometry], low: Floats, scale: float, size: tuple[int, int]
) -> Floats32:  # fmt: skip
    """(h, w) how far each pixel is from the edge of shapes, in capital letters' heights; negative
    inside."""
    wide, tall = size
    area = np.zeros((4 * tall, 4 * wide), np.uint8)
    for shape in shapes:
        parts = [shape] if shape.geom_type == "Polygon" else list(shape.geoms)
        rings = [r for part in parts for r in (part.exterior, *part.interiors)]
        drawn = [
            np.round((np.array(r.coords) - low) * scale * 4 * 16 - 8).astype(np.int32)
            for r in rings
        ]  # fmt: skip
        cv2.fillPoly(area, drawn, 255, shift=4)
    area = area[::-1]
    out = cv2.distanceTransform(255 - area, cv2.DIST_L2, 5)
    out -= cv2.distanceTransform(area, cv2.DIST_L2, 5)
    small = cv2.resize(out, size, interpolation=cv2.INTER_AREA)
    return np.asarray(small / (4 * scale), np.float32)
