"""Letters as surfaces: the outlines of a font's glyphs, flat or with thickness."""

from __future__ import annotations

import io
import struct
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
import uharfbuzz as hb
from fontTools.misc.transform import Transform
from fontTools.pens.basePen import BasePen
from fontTools.pens.transformPen import TransformPen
from fontTools.ttLib import TTFont, TTLibError
from shapely.affinity import translate
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.polygon import orient
from shapely.ops import unary_union

from ..arrays import Floats, Indices
from ..mesh import filled
from ..outside.process import read_apart
from ..refusal import Refusal
from ..scene.guests import Face

FACES: dict[Face, str] = {"grotesk": "hanken-grotesk.ttf", "serif": "fraunces.ttf"}
CURVE_STEPS = 10  # straight pieces of a curve of a glyph
WEIGHT_STEP = 50.0  # of a variable font, to which a weight is rounded: each is a font of its own
# each letter is a shape of its own, so nothing is drawn as one
LETTER_BY_LETTER = {"liga": False, "clig": False, "dlig": False, "calt": False, "ccmp": False}
LEADING = 1.45  # from line to line, in capital letters' heights
MOST_FONT_BYTES = 30 << 20
FONT_SECONDS = 8.0  # that reading a font and drawing its letters may take
FONT_READER_BYTES = 1 << 30
TRIED = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789"
# what fontTools raises of tables that are cut short or refer to what is not there
DAMAGED = (
    TTLibError, hb.HarfBuzzError, struct.error, KeyError, ValueError, OSError, AttributeError,
    TypeError, IndexError, AssertionError, ArithmeticError, EOFError, ImportError, RecursionError,
    NotImplementedError,
)  # fmt: skip


class Letter(NamedTuple):
    """A letter. corners: (N, 2) and triangles: (M, 3) of its face, anticlockwise, in capital
    letters' heights, its foot at zero. rim: (K, 2) pairs of corners along its outline, the inside
    on the left. at: (2,) where its foot is in the text, the middle of whose base is zero."""

    shape: Polygon | MultiPolygon
    corners: Floats
    triangles: Indices
    rim: Indices
    at: Floats


class _Outline(BasePen):  # type: ignore[misc]
    """The outline of a glyph as rings of points."""

    def __init__(self, glyphs: object) -> None:
        super().__init__(glyphs)
        self.rings: list[list[tuple[float, float]]] = []

    def _moveTo(self, p: tuple[float, float]) -> None:  # noqa: N802  (as the pen calls it)
        self.rings.append([p])

    def _lineTo(self, p: tuple[float, float]) -> None:  # noqa: N802
        self.rings[-1].append(p)

    def _curveToOne(  # noqa: N802
        self, p: tuple[float, float], q: tuple[float, float], r: tuple[float, float]
    ) -> None:
        a = np.array(self.rings[-1][-1])
        for t in np.arange(1, CURVE_STEPS + 1) / CURVE_STEPS:
            s = 1.0 - t
            x, y = (
                s**3 * a + 3 * s * s * t * np.array(p) + 3 * s * t * t * np.array(q)
                + t**3 * np.array(r)
            )  # fmt: skip
            self.rings[-1].append((float(x), float(y)))


class Type:
    """A font at a weight."""

    def __init__(self, data: bytes, weight: float, name: str) -> None:
        if len(data) > MOST_FONT_BYTES:
            raise Refusal(f"{name} is larger than a font can be here.")
        try:
            self.font = TTFont(io.BytesIO(data), fontNumber=0, lazy=False)
            at = {}
            if "fvar" in self.font:
                for axis in self.font["fvar"].axes:
                    to = weight if axis.axisTag == "wght" else axis.defaultValue
                    at[axis.axisTag] = min(max(to, axis.minValue), axis.maxValue)
            self.glyphs, self.cmap = self.font.getGlyphSet(location=at), self.font.getBestCmap()
            self.high = self._capital()
            self.shaper = _shaper(self.font, at)
        except DAMAGED as error:
            raise Refusal(
                f"{name} is no font that can be read: TTF, OTF, WOFF or WOFF2 is."
            ) from error
        if not self.cmap:
            raise Refusal(f"{name} does not say which of its shapes are which letters.")
        self.name = name
        self._known: dict[str, Polygon | MultiPolygon] = {}

    def _capital(self) -> float:
        told = getattr(self.font["OS/2"], "sCapHeight", 0) if "OS/2" in self.font else 0
        return float(told or 0.7 * self.font["head"].unitsPerEm)

    def lacking(self, text: str) -> str:
        """The letters of a text that the font does not have."""
        return "".join(
            dict.fromkeys(c for c in text if not c.isspace() and ord(c) not in self.cmap)
        )

    def advances(self, line: str) -> list[float]:
        """How far each letter of a line takes the next one, in capital letters' heights, pairs
        as near to one another as the font has them (kerning)."""
        plain = [self._advance(letter) for letter in line]
        text = "".join(" " if letter.isspace() else letter for letter in line)
        buffer = hb.Buffer()
        buffer.add_str(text)
        buffer.guess_segment_properties()
        buffer.direction = "ltr"
        hb.shape(self.shaper, buffer, LETTER_BY_LETTER)
        places = buffer.glyph_positions
        if places is None or len(places) != len(line):  # signs that are put together
            return plain
        return [
            own if letter.isspace() else float(place.x_advance) / self.high
            for letter, own, place in zip(line, plain, places, strict=True)
        ]

    def _advance(self, letter: str) -> float:
        name = self.cmap.get(ord(" " if letter.isspace() else letter))
        return 0.4 if name is None else float(self.glyphs[name].width) / self.high

    def shape(self, letter: str) -> Polygon | MultiPolygon:
        """The area that a letter covers, in capital letters' heights."""
        if letter not in self._known:
            self._known[letter] = self._made(letter)
        return self._known[letter]

    def _made(self, letter: str) -> Polygon | MultiPolygon:
        name = self.cmap.get(ord(letter))
        if name is None or letter.isspace():
            return Polygon()
        pen = _Outline(self.glyphs)
        scale = 1.0 / self.high
        self.glyphs[name].draw(TransformPen(pen, Transform(scale, 0, 0, scale, 0, 0)))
        rings = [np.array(ring) for ring in pen.rings if len(ring) > 2]
        if not rings:
            return Polygon()
        # outlines that run the way of the largest are filled, and may overlap; others are cut out
        signed = [_signed_area(ring) for ring in rings]
        way = np.sign(signed[int(np.argmax(np.abs(signed)))])
        filled_ = [Polygon(r).buffer(0) for r, a in zip(rings, signed, strict=True) if a * way > 0]
        cut = [Polygon(r).buffer(0) for r, a in zip(rings, signed, strict=True) if a * way < 0]
        return unary_union(filled_).difference(unary_union(cut))


def _shaper(font: TTFont, at: dict[str, float]) -> hb.Font:
    """What sets a font's letters beside one another, at places of its axes."""
    plain = io.BytesIO()
    font.flavor = None  # a WOFF's tables, as they are unpacked
    font.save(plain, reorderTables=None)
    out = hb.Font(hb.Face(plain.getvalue()))
    out.set_variations(at)
    return out


def _signed_area(ring: Floats) -> float:
    x, y = ring.T
    return 0.5 * float(x @ np.roll(y, -1) - y @ np.roll(x, -1))


@lru_cache(maxsize=24)
def _shipped(face: Face, weight: float) -> Type:
    data = (Path(__file__).parent / "fonts" / FACES[face]).read_bytes()
    return Type(data, weight, f"the {face}")


@lru_cache(maxsize=8)
def _brought(data: bytes, weight: float) -> Type:
    return Type(data, weight, "This font")


def type_of(face: Face, font: bytes | None, weight: float) -> Type:
    """The shipped letters of a face, or those of a font's file. Raises Refusal where it is none."""
    weight = round(weight / WEIGHT_STEP) * WEIGHT_STEP
    return _shipped(face, weight) if font is None else _brought(font, weight)


def try_font(data: bytes, name: str) -> None:
    """Raises Refusal where a font's file is damaged, or takes too long to read and to draw."""
    read_apart(_tried, data, name, most_bytes=FONT_READER_BYTES, seconds=FONT_SECONDS)


def _tried(data: bytes, name: str) -> None:
    type = Type(data, 400.0, name)
    try:
        for letter in TRIED:
            type.shape(letter)
        type.advances(TRIED)
    except DAMAGED as error:
        raise Refusal(f"{name} has letters that are damaged, so it was not taken.") from error


def words_in(
    text: str, face: Face, font: bytes | None, weight: float, apart: float
) -> list[Letter | None]:
    """The letters of a text (see `letters_of`) in the shipped letters of a face, or in those of a
    font's file, which a process of its own reads and draws. Raises Refusal."""
    if font is None:
        return letters_of(text, type_of(face, None, weight), apart)
    return read_apart(
        _drawn, text, font, weight, apart, most_bytes=FONT_READER_BYTES, seconds=FONT_SECONDS
    )


def _drawn(text: str, font: bytes, weight: float, apart: float) -> list[Letter | None]:
    try:
        return letters_of(text, type_of("grotesk", font, weight), apart)
    except DAMAGED as error:
        raise Refusal("Letters of this font are damaged. Choose another font.") from error


def letters_of(text: str, type: Type, apart: float) -> list[Letter | None]:
    """The letters of a text, in its order; None for what shows nothing, such as a space. Lines
    are centred, and the last one stands on zero. Raises Refusal for letters that the font lacks."""
    lacking = type.lacking(text)
    if lacking:
        raise Refusal(
            f"{type.name.capitalize()} has no “{lacking[:12]}”. Choose other letters, or bring a "
            "font that has them."
        )
    out: list[Letter | None] = []
    lines = text.split("\n")
    for i, line in enumerate(lines):
        if i:
            out.append(None)  # the line's end
        steps = [step + apart for step in type.advances(line)]
        x = -0.5 * (sum(steps) - apart) if steps else 0.0
        y = LEADING * (len(lines) - 1 - i)
        for letter, step in zip(line, steps, strict=True):
            middle = x + 0.5 * (step - apart)
            out.append(_letter(type.shape(letter), middle - x, np.array([middle, y])))
            x += step
    return out


def _letter(shape: Polygon | MultiPolygon, middle: float, at: Floats) -> Letter | None:
    if shape.is_empty:
        return None
    parts = [shape] if isinstance(shape, Polygon) else list(shape.geoms)
    points: list[Floats] = []
    triangles: list[Indices] = []
    rims: list[Indices] = []
    begin = 0
    for part in map(orient, parts):
        rings = [np.array(r.coords[:-1]) for r in (part.exterior, *part.interiors)]
        corners = np.concatenate(rings)
        ends = np.cumsum([len(r) for r in rings])
        faces = filled(corners, ends).astype(np.int64)
        points.append(corners)
        triangles.append(faces + begin)
        first = 0
        for end in ends.tolist():
            own = np.arange(first, end)
            rims.append(np.stack([own, np.roll(own, -1)], axis=1) + begin)
            first = end
        begin += len(corners)
    corners = np.concatenate(points) - [middle, 0.0]
    return Letter(
        translate(shape, -middle), corners, np.concatenate(triangles), np.concatenate(rims), at
    )
