"""What a client may ask for in Cast."""

from __future__ import annotations

from ..scene.edits import (
    AddLantern,
    AlterLantern,
    CastOn,
    DeleteLantern,
    Glaze,
    LayFootage,
    MoveLantern,
    Play,
    PutGlazed,
    PutLanterns,
    Unglaze,
    UseEarlier,
)
from .beside import TakePicture
from .borrow import Borrow
from .fill import Fill
from .flat import AddFlat
from .gather import Gather
from .photograph import PlacePhotograph
from .squash import Squash
from .take import TakeSplit
from .wide import AddWide, PlaceLantern

CastChange = (
    AddLantern | AlterLantern | CastOn | DeleteLantern | MoveLantern | PutLanterns
    | UseEarlier | TakeSplit | Fill | Glaze | Unglaze | PutGlazed | Play | Squash | AddFlat | Borrow
    | AddWide | PlaceLantern | Gather | PlacePhotograph | LayFootage | TakePicture
)  # fmt: skip
