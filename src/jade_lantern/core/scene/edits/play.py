"""When plates play that are pictures over time."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from ...refusal import Refusal
from ...value import Digest, Number
from ..model import Scene
from ..plate import Plate, Playing, Rest
from .edit import Edit, Station


class PlayEdit(Edit):
    """The frame of the shot at which a plate's first picture is shown, its pictures a second, where
    it rests, whether it begins again after its last, and the first and the last of its pictures
    that are used (see `Playing`)."""

    offset: Number = 0.0
    rate: Annotated[float, Field(gt=0, le=1000)]
    rests: Annotated[tuple[Rest, ...], Field(max_length=200)] = ()
    loops: bool = False
    begins: Annotated[int, Field(ge=0, le=100_000)] = 0
    ends: Annotated[int, Field(ge=0, le=100_000)] | None = None

    def played(self, plate: Plate) -> Plate:
        """The plate, played so. Raises Refusal where it has no such pictures."""
        assert plate.playing is not None
        last = plate.playing.count - 1 if self.ends is None else self.ends
        if not self.begins <= last < plate.playing.count:
            first = plate.playing.first
            raise Refusal(
                f"{plate.name} has the pictures {first} to {first + plate.playing.count - 1}, and "
                "the last that is used comes after the first."
            )
        new = {name: getattr(self, name) for name in PlayEdit.model_fields if name != "rests"}
        new["rests"] = tuple(sorted(self.rests, key=lambda rest: rest.frame))
        return plate.model_copy(update={"playing": plate.playing.model_copy(update=new)})


class Play(PlayEdit):
    """When a plate plays that is a movie or a numbered sequence, wherever it is thrown. A mask that
    played along with it goes on doing so."""

    station: ClassVar[Station] = "cast"
    verb: Literal["Play"] = "Play"
    plate: Digest

    def on(self, scene: Scene) -> Scene:
        if _playing(scene, self.plate) is None:
            raise Refusal("This plate is one picture, so there is nothing to play.")

        def played(plate: Plate | None) -> Plate | None:
            if plate is None or plate.digest != self.plate or plate.playing is None:
                return plate
            return self.played(plate)

        lanterns = []
        for one in scene.lanterns:
            new: dict[str, Any] = {"plate": played(one.plate), "mask": played(one.mask)}
            if new["plate"] is not one.plate and _together(one.plate, one.mask):
                assert one.mask is not None
                new["mask"] = self.played(one.mask)
            same = new["plate"] is one.plate and new["mask"] is one.mask
            lanterns.append(one if same else one.model_copy(update=new))
        update = {"plate": played(scene.plate), "lanterns": tuple(lanterns)}
        return scene.model_copy(update=update)

    def title(self, scene: Scene) -> str:
        plate = _playing(scene, self.plate)
        name = "a plate" if plate is None else plate.name
        return f"Play {name} from frame {self.offset:g}"


def _together(plate: Plate | None, mask: Plate | None) -> bool:
    """Whether a mask plays picture by picture with its plate."""
    pair = [None if one is None else one.playing for one in (plate, mask)]
    if pair[0] is None or pair[1] is None:
        return False
    own = set(Playing.model_fields) - {"first"}
    return pair[0].model_dump(include=own) == pair[1].model_dump(include=own)


def _playing(scene: Scene, digest: str) -> Plate | None:
    """The plate of a digest, where it plays."""
    thrown = (plate for one in scene.lanterns for plate in (one.plate, one.mask))
    for plate in (scene.plate, *thrown):
        if plate is not None and plate.digest == digest and plate.playing is not None:
            return plate
    return None
