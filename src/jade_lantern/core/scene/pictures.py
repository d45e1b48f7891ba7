"""The pictures that a scene needs, and how a gesture comes by them and brings new ones."""

from __future__ import annotations

from typing import Any, Protocol

from numpy.typing import NDArray

from ..picture.source import SourceFacts
from ..refusal import Refusal
from .kinds import PART_KINDS
from .model import Scene
from .plate import Plate, Playing


class Pictures(Protocol):
    """Where pictures are kept, under the digest of their file."""

    def look(self, plate: Plate) -> Any:
        """A plate as the sighting looks at it (see `sight.look`)."""

    def deep(self, plate: Plate) -> Any:
        """A plate's pixels with the depth and alpha that its file keeps (see `picture.deep`)."""

    def there(self, digest: str) -> bool:
        """Whether a picture is kept."""

    def file(self, digest: str) -> bytes:
        """A kept file as it came. Raises Refusal where it is gone."""

    def bring(self, pixels: NDArray[Any]) -> str:
        """Keep a new picture (H, W, 3 or 4), uint8, uint16 or float32, its alpha not multiplied in,
        and return its digest. It stays when the edit that it was made for is kept."""


def brought(pictures: Pictures, name: str, pixels: NDArray[Any]) -> Plate:
    """A new picture, kept, as a plate."""
    floating = pixels.dtype.kind == "f"
    return Plate(
        name=name[:80], width=pixels.shape[1], height=pixels.shape[0],
        digest=pictures.bring(pixels), format="TIFF" if floating else "PNG",
        bits=8 * pixels.dtype.itemsize, alpha=pixels.shape[2] == 4,
    )  # fmt: skip


def playing_plate(name: str, digest: str, facts: SourceFacts, fps: float) -> Plate:
    """A movie or a numbered sequence as a plate that begins with the shot. fps: pictures a second
    where it does not say."""
    playing = Playing(count=facts.count, first=facts.first, rate=facts.rate or fps)
    return Plate(
        name=name[:80], width=facts.width, height=facts.height, digest=digest,
        format="sequence" if not facts.rate else "movie", bits=facts.bits, alpha=facts.alpha,
        playing=playing,
    )  # fmt: skip


def require_one_picture(plate: Plate, what: str) -> None:
    """Raises Refusal where a plate plays: what would be done to it would be to one of its
    pictures, and the others would be gone."""
    if plate.playing is not None:
        raise Refusal(
            f"{plate.name} has {plate.playing.count:,} pictures, and {what} makes one. Take one of "
            "its pictures as a plate of its own first."
        )


def said_of(facts: SourceFacts) -> list[str]:
    """What is odd about pictures over time, in words."""
    said = []
    if facts.promised:
        said.append(f"It is cut short: {facts.count} of {facts.promised} pictures are there.")
    if facts.missing:
        few = ", ".join(str(facts.first + n) for n in facts.missing[:5])
        more = f" and {len(facts.missing) - 5} more" if len(facts.missing) > 5 else ""
        said.append(f"Missing: {few}{more}. The nearest picture stands in for each.")
    return said


def pictures_in(scene: Scene) -> set[str]:
    """The digests of all pictures that a scene needs."""
    parts = (part for kind in PART_KINDS if kind.pictures for part in kind.of(scene))
    return {digest for part in parts for digest in part.pictures()}
