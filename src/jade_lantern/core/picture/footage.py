"""Movies as pictures: told by how their file begins, and read frame by frame."""

from __future__ import annotations

from collections.abc import Iterator
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..refusal import Refusal

if TYPE_CHECKING:
    import av

EBML = b"\x1aE\xdf\xa3"  # how Matroska and WebM begin
MOST_PIXELS = 200_000_000  # of a frame
NO_MOVIE = "This movie cannot be read: it is damaged, or of a kind that is not known here."


def is_movie(data: bytes) -> bool:
    """Whether a file is an MP4, a QuickTime, a Matroska or a WebM movie."""
    # an AVIF or HEIC still has the same box at its beginning, with its own brand
    stills = (b"avif", b"avis", b"heic", b"heix", b"mif1")
    return data[:4] == EBML or (data[4:8] == b"ftyp" and data[8:12] not in stills)


def _decoded(source: Path | bytes, most_pixels: int = MOST_PIXELS) -> Iterator[av.VideoFrame]:
    import av  # takes a while to load

    try:
        stream = BytesIO(source) if isinstance(source, bytes) else str(source)
        with av.open(stream, "r", metadata_errors="replace") as file:
            if not file.streams.video:
                raise Refusal("There is no picture in this movie.")
            named = file.streams.video[0].codec_context
            if named.width * named.height > most_pixels:
                raise Refusal("This movie is larger than can be worked on.")
            yield from file.decode(video=0)
    except av.FFmpegError as error:
        raise Refusal(NO_MOVIE) from error


def upright(frame: av.VideoFrame, longest: int | None = None) -> NDArray[np.uint8]:
    """A frame's picture (H, W, 3), turned as its file says that it is shown: a camera that is held
    on its side keeps its pictures lying. longest: px that its longer side has at the most."""
    scale = min((longest or MOST_PIXELS) / max(frame.width, frame.height), 1.0)
    if scale < 1:
        size = max(round(frame.width * scale), 1), max(round(frame.height * scale), 1)
        frame = frame.reformat(*size, format="rgb24", interpolation="AREA")
    pixels = np.asarray(frame.to_ndarray(format="rgb24"), np.uint8)
    quarters = round(frame.rotation / 90) % 4  # anticlockwise
    return np.ascontiguousarray(np.rot90(pixels, quarters)) if quarters else pixels


def read_movie(source: Path | bytes) -> Iterator[NDArray[np.uint8]]:
    """The frames (H, W, 3) uint8 of a movie, in order. Raises Refusal where it cannot be read."""
    return map(upright, _decoded(source))


def frame_of(data: bytes, number: int, most_pixels: int) -> NDArray[np.uint8]:
    """One frame (H, W, 3) of a movie, counted from 0. Raises Refusal where it has no such one, or
    where its frames are larger than most_pixels."""
    seen = 0
    for frame in _decoded(data, most_pixels):
        if frame.width * frame.height > most_pixels:
            raise Refusal("This movie is larger than can be worked on.")
        if seen == number:
            return upright(frame)
        seen += 1
    if not seen:
        raise Refusal(NO_MOVIE)
    raise Refusal(f"This movie has {seen} frames, 0 to {seen - 1}: frame {number} is not there.")
