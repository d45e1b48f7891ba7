"""Pictures that a project has been given, and how they play."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from ..value import Digest, Length, Name, Number, Point2, Value


class LensFacts(Value):
    """What the picture's file says of the lens. None where it says nothing."""

    focal_mm: float | None = None
    focal_35mm: float | None = None
    taken_with: str | None = None


class Bend(Value):
    """Radial bending of the lens, k1 and k2 on coordinates normalised by the focal length."""

    k1: Annotated[float, Field(ge=-5, le=5)] = 0.0
    k2: Annotated[float, Field(ge=-25, le=25)] = 0.0


class Flattened(Value):
    """The bent plate that a flat one was made from, and by what lens. alpha: whether the bent plate
    has one; None in older projects, where both or neither have."""

    digest: Digest
    width: Annotated[int, Field(ge=2, le=40_000)]
    height: Annotated[int, Field(ge=2, le=40_000)]
    left: float
    top: float
    centre: Point2
    focal_px: Length
    bend: Bend
    alpha: bool | None = None


class Rest(Value):
    """From a frame of the shot on, a plate that plays rests for so many frames, and then goes
    on."""

    frame: Number
    frames: Annotated[float, Field(gt=0, le=100_000)]


class Playing(Value):
    """How a plate plays that is a movie or a numbered sequence. count: how many pictures it has.
    first: the number of the first, as its files are numbered. rate: pictures a second. offset: the
    frame of the shot at which the first one is shown; before it that one stays, after the last the
    last, or the first again where it loops. begins, ends: the first and the last of its pictures
    that are used, from 0; None for its own last."""

    count: Annotated[int, Field(ge=1, le=100_000)]
    first: Annotated[int, Field(ge=0, le=10**9)] = 0
    rate: Annotated[float, Field(gt=0, le=1000)]
    offset: Number = 0.0
    rests: Annotated[tuple[Rest, ...], Field(max_length=200)] = ()
    loops: bool = False
    begins: Annotated[int, Field(ge=0, le=100_000)] = 0
    ends: Annotated[int, Field(ge=0, le=100_000)] | None = None

    @property
    def span(self) -> tuple[int, int]:
        """The first and the last picture that are used, from 0."""
        last = self.count - 1 if self.ends is None else min(self.ends, self.count - 1)
        return min(self.begins, last), last


class Plate(Value):
    """A picture that has been brought in. Its file is kept as it came under its digest; it is shown
    and cast in sRGB. profile: what its own colours are, where they are others. playing: where it
    is pictures over time; picture: which of them is shown, from 0. awaited: it is plain grey, in
    the place of a picture that is yet to come."""

    name: Name
    width: Annotated[int, Field(ge=2, le=40_000)]
    height: Annotated[int, Field(ge=2, le=40_000)]
    digest: Digest
    format: Annotated[str, Field(pattern=r"^[A-Za-z]{1,12}$")]
    bits: Annotated[int, Field(ge=1, le=64)]
    alpha: bool = False
    profile: Name | None = None
    lens: LensFacts = LensFacts()
    flattened: Flattened | None = None
    playing: Playing | None = None
    awaited: bool = False
    picture: Annotated[int, Field(ge=0, le=100_000)] = 0

    def pictures(self) -> set[str]:
        """The digests of the pictures that it needs."""
        return {self.digest, *(() if self.flattened is None else (self.flattened.digest,))}
