"""Values: what every part of a scene is made of, and the numbers and names that they hold."""

from __future__ import annotations

from typing import Annotated, Any, Literal, get_args

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

FARTHEST = 1e7  # metres from the world's zero; what lies farther is not there
Number = Annotated[float, Field(ge=-FARTHEST, le=FARTHEST, allow_inf_nan=False)]
Length = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
Point2 = tuple[Number, Number]
Point3 = tuple[Number, Number, Number]
Id = Annotated[str, Field(pattern=r"^[a-z]+-\d+$", max_length=40)]
NEW_ID = (
    "new-0"  # of a thing that is yet to be added to a scene, which then gives it an id of its own
)
Digest = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]  # SHA-256 of a file that is kept


def new_id(number: int) -> str:
    """Ids of several things that are yet to be added to a scene, by which they name one another
    until then."""
    return f"new-{number}"


def _printable(text: Any) -> Any:
    """Names go into lists, file names and terminals: control characters are taken out of them."""
    return "".join(c for c in text if c.isprintable()).strip() if isinstance(text, str) else text


def name_of(text: str | None, otherwise: str) -> str:
    """Text from outside as a name: one line of what can be shown, of 80 characters at the most."""
    return str(_printable(text or ""))[:80].strip() or otherwise


Name = Annotated[str, BeforeValidator(_printable), Field(min_length=1, max_length=80)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


# What a lantern throws past its plate's edge: nothing, the last pixels, or the plate mirrored.
Mixing = Literal["over", "lighten", "sum"]  # of a layer with what is behind it
MIXINGS: tuple[Mixing, ...] = get_args(Mixing)
Edge = Literal["stop", "hold", "mirror"]


class Value(BaseModel):
    """Frozen, closed and finite: what every part of a scene is."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
