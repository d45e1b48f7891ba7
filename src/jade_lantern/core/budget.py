"""What files that come in together may cost."""

from __future__ import annotations

import time

from .refusal import Refusal

MOST_BYTES = 3_200_000_000  # 200 megapixels of four floats
MOST_SECONDS = 120.0


class Budget:
    """Bytes once decoded, and seconds. All files of one request share one, so that many small files
    cost no more than a large one. It is taken from by what headers say, before anything is decoded.
    """

    def __init__(self, most_bytes: int = MOST_BYTES, seconds: float = MOST_SECONDS) -> None:
        self.most_bytes = most_bytes
        self.left_bytes = most_bytes
        self.until = time.monotonic() + seconds

    def take(self, count: int) -> None:
        """Raises Refusal where so many bytes are more than is left, or the time has run out."""
        if time.monotonic() > self.until:
            raise Refusal("Reading this takes too long, so it was not brought in.")
        if count > self.left_bytes:
            before = " beside what came with it" if self.left_bytes < self.most_bytes else ""
            raise Refusal(
                f"This is {_size(count)} once it is decoded{before}, and {_size(self.left_bytes)} "
                "can be taken in. Bring a smaller copy, or bring it in parts."
            )
        self.left_bytes -= count

    def seconds_left(self) -> float:
        return max(self.until - time.monotonic(), 0.0)


def _size(count: int) -> str:
    return f"{count / 1e9:,.1f} GB" if count >= 1e9 else f"{count / 1e6:,.0f} MB"
