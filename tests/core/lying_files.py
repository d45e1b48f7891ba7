"""Files that state less than they are, or work without end, made for tests."""

from __future__ import annotations

import io

from fontTools.cffLib import SubrsIndex
from fontTools.fontBuilder import FontBuilder
from fontTools.misc.psCharStrings import T2CharString
from fontTools.pens.t2CharStringPen import T2CharStringPen
from fontTools.ttLib import TTFont
from fontTools.ttLib.tables.DefaultTable import DefaultTable

LEVELS, CALLS = 8, 20  # of subroutines of which each calls the next so often


def _square() -> FontBuilder:
    """A font of cubic outlines with one letter, a square."""
    pen = T2CharStringPen(600, None)
    pen.moveTo((0, 0))
    for place in ((0, 700), (500, 700), (500, 0)):
        pen.lineTo(place)
    pen.closePath()
    square = pen.getCharString()
    build = FontBuilder(1000, isTTF=False)
    build.setupGlyphOrder([".notdef", "A"])
    build.setupCharacterMap({65: "A"})
    build.setupCFF("Ends", {}, {".notdef": square, "A": square}, {})
    build.setupHorizontalMetrics({".notdef": (600, 0), "A": (600, 0)})
    build.setupHorizontalHeader(ascent=800, descent=-200)
    build.setupNameTable({"familyName": "Ends", "styleName": "Regular"})
    build.setupOS2(sCapHeight=700)
    build.setupPost()
    build.font.recalcBBoxes = False  # it would draw the letters
    return build


def _saved(build: FontBuilder) -> bytes:
    out = io.BytesIO()
    build.font.save(out)
    return out.getvalue()


def square_font() -> bytes:
    return _saved(_square())


def font_without_end() -> bytes:
    """A font of a kilobyte one of whose letters draws a line 20⁸ times."""
    build = _square()
    top = build.font["CFF "].cff.topDictIndex[0]
    private = top.Private
    private.Subrs = SubrsIndex()
    for level in range(LEVELS):
        calls = [level + 1 - 107, "callsubr"] * CALLS
        program = calls if level + 1 < LEVELS else [1, "hlineto"]
        private.Subrs.append(T2CharString(program=[*program, "return"], private=private))
    top.CharStrings["A"].program = [0, 0, "rmoveto", -107, "callsubr", "endchar"]
    top.CharStrings["A"].bytecode = None
    return _saved(build)


def font_cut_short(data: bytes, table: str) -> bytes:
    """A font with the end of one of its tables gone."""
    font = TTFont(io.BytesIO(data))
    whole = font.reader[table]
    del font.reader.tables[table]
    font.tables.pop(table, None)
    short = DefaultTable(table)
    short.data = whole[: max(len(whole) // 3, 1)]
    font.tables[table] = short
    out = io.BytesIO()
    font.recalcBBoxes = font.recalcTimestamp = False
    font.save(out, reorderTables=None)
    return out.getvalue()


def woff2_of(data: bytes) -> bytes:
    font = TTFont(io.BytesIO(data))
    font.flavor = "woff2"
    out = io.BytesIO()
    font.save(out)
    return out.getvalue()
