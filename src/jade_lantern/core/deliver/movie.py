"""Frames as an MP4, H.264, that plays anywhere."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..move.rate import exact_rate

QUALITY = "15"  # x264's constant rate factor: visually the frame itself
MOST_LOOKAHEAD, LOOKAHEAD_BYTES = 40, 300e6
ENCODER_FRAMES = 14  # that x264 holds beside its lookahead: threads, references and B-frames
BYTES_A_PIXEL = 3.5  # of a frame that x264 holds, with the half-pixel planes it searches in


class Movie:
    """An MP4 being written. Use as a context; add() frames in order."""

    def __init__(self, path: Path, width: int, height: int, fps: float) -> None:
        import av  # takes a while to load

        self._even = (width - width % 2, height - height % 2)  # 4:2:0 needs even sides
        self._file = av.open(str(path), "w", format="mp4", options={"movflags": "faststart"})
        self._stream = self._file.add_stream("libx264", rate=exact_rate(fps))
        self._stream.width, self._stream.height = self._even
        self._stream.pix_fmt = "yuv420p"
        self._stream.options = {
            "crf": QUALITY, "preset": "medium",
            "x264-params": f"rc-lookahead={_lookahead(width, height)}:threads=2",
        }  # fmt: skip
        context = self._stream.codec_context
        context.color_primaries = context.color_trc = context.colorspace = 1  # BT.709
        context.color_range = 1

    def __enter__(self) -> Movie:
        return self

    def __exit__(self, kind: object, error: object, trace: object) -> None:
        if kind is None:
            for packet in self._stream.encode():
                self._file.mux(packet)
        self._file.close()

    def add(self, frame: NDArray[np.uint8]) -> None:
        """Add a frame (H, W, 4), what is uncovered over black. An odd last row or column is cut."""
        import av

        w, h = self._even
        alpha = frame[:h, :w, 3:].astype(np.uint16)
        rgb = ((frame[:h, :w, :3] * alpha + 127) // 255).astype(np.uint8)
        picture = av.VideoFrame.from_ndarray(np.ascontiguousarray(rgb), format="rgb24")
        picture = picture.reformat(
            format="yuv420p", src_colorspace="ITU709", dst_colorspace="ITU709",
            src_color_range="JPEG", dst_color_range="MPEG",
        )  # fmt: skip
        for packet in self._stream.encode(picture):
            self._file.mux(packet)


def _lookahead(width: int, height: int) -> int:
    """How many frames x264 looks ahead: fewer of large ones, so that memory is bounded."""
    return int(min(max(LOOKAHEAD_BYTES / (BYTES_A_PIXEL * width * height), 4), MOST_LOOKAHEAD))


def encoder_bytes(width: int, height: int) -> float:
    """About how much memory writing a movie of this size takes."""
    return (ENCODER_FRAMES + _lookahead(width, height)) * BYTES_A_PIXEL * width * height
