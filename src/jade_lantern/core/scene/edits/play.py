"""When plates play that are pictures over time."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from ...refusal import Refusal
from ...value import Digest, Number
from ..model import Scene
from ..plate import Plate, Rest
from .cast import CastEdit


class Play(CastEdit):
    """When a plate plays that is a movie or a numbered sequence, wherever it is thrown: the frame
    of the shot at which its first picture is shown, its pictures a second, and where it rests."""

    verb: Literal["Play"] = "Play"
    plate: Digest
    offset: Number = 0.0
    rate: Annotated[float, Field(gt=0, le=1000)]
    rests: Annotated[tuple[Rest, ...], Field(max_length=200)] = ()

    def on(self, scene: Scene) -> Scene:
        if _playing(scene, self.plate) is None:
            raise Refusal("This plate is one picture, so there is nothing to play.")
        rests = tuple(sorted(self.rests, key=lambda rest: rest.frame))

        def played(plate: Plate | None) -> Plate | None:
            if plate is None or plate.digest != self.plate or plate.playing is None:
                return plate
            new = {"offset": self.offset, "rate": self.rate, "rests": rests}
            playing = plate.playing.model_copy(update=new)
            return plate.model_copy(update={"playing": playing})

        lanterns = []
        for one in scene.lanterns:
            new: dict[str, Any] = {"plate": played(one.plate), "mask": played(one.mask)}
            same = new["plate"] is one.plate and new["mask"] is one.mask
            lanterns.append(one if same else one.model_copy(update=new))
        update = {"plate": played(scene.plate), "lanterns": tuple(lanterns)}
        return scene.model_copy(update=update)

    def title(self, scene: Scene) -> str:
        plate = _playing(scene, self.plate)
        name = "a plate" if plate is None else plate.name
        return f"Play {name} from frame {self.offset:g}"


def _playing(scene: Scene, digest: str) -> Plate | None:
    """The plate of a digest, where it plays."""
    thrown = (plate for one in scene.lanterns for plate in (one.plate, one.mask))
    for plate in (scene.plate, *thrown):
        if plate is not None and plate.digest == digest and plate.playing is not None:
            return plate
    return None
