"""The proposed split taken: lanterns for its plates, and the sheet filled."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..arrays import Floats
from ..cache import Cache
from ..camera import Camera
from ..proxy import Proxy
from ..refusal import Refusal
from ..render.hiding import hidden_counts
from ..scene.edits import Edit, PutLanterns
from ..scene.gesture import Gesture
from ..scene.model import CastRow, CastSheet, Lantern, Scene
from ..scene.sheet import rows_of, taken_by
from ..sight.measure import required_camera
from ..value import NEW_ID, new_id
from .ofscene import cast_meshes
from .split import CastSplit, proposed_split

CLEAN = "clean plate"

# Keyed by the scene's identity. The scene is stored beside the answer: as long as it is alive, no
# other object can have its id.
_hidden: Cache[int, tuple[Scene, tuple[list[str], Floats]]] = Cache(8 << 20)


class TakeSplit(Gesture):
    """Make a lantern for each plate of the proposed split, and let each proxy take its own. The
    lanterns that are there already and are thrown from the sighted camera are used first."""

    verb: Literal["TakeSplit"] = "TakeSplit"

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        shown = [p.id for p in in_the_picture(scene)]
        if not shown:
            raise Refusal("There is nothing to cast on yet. Stand a proxy in Block first.")
        split = split_of(scene, camera)
        there = [one for one in scene.lanterns if _throws_the_picture(one)]
        stills = [one for one in there if one.plate is None and not one.stand_in]
        first = stills[0] if stills else Lantern(id=NEW_ID, name="still")
        rest = [one for one in there if one.id != first.id]
        lanterns = [first]
        for n in range(1, len(split.plates)):
            new = Lantern(id=new_id(n), name=f"{CLEAN} {n}", stand_in=True)
            lanterns.append(rest[n - 1] if n - 1 < len(rest) else new)
        rows = {(row.proxy, row.face): row for row in scene.sheet.rows if row.proxy not in shown}
        for lantern, own in zip(lanterns, split.plates, strict=True):
            for i in own:
                row = CastRow(proxy=shown[i], lanterns=(lantern.id,))
                rows[row.proxy, None] = row
        count = len(split.plates)
        return PutLanterns(
            lanterns=tuple(lanterns), sheet=CastSheet(rows=tuple(rows.values())),
            said=f"Take the split: {count} plates" if count > 1 else "Take the split: one plate",
        )  # fmt: skip


def _throws_the_picture(lantern: Lantern) -> bool:
    """Whether a lantern throws the still, or the still with things painted out of it: the sighted
    camera's whole frame, without an alpha."""
    own = lantern.plate is not None and lantern.plate.alpha
    return lantern.view is None and lantern.window is None and not own


def in_the_picture(scene: Scene) -> list[Proxy]:
    """The proxies shown that the still shows, too: all but those that were put before it, on which
    nothing is cast but pictures of their own."""
    known = {one.id: one for one in scene.lanterns}
    rows = rows_of(scene)
    out = []
    for proxy in scene.proxies:
        takes = [known[id] for id in taken_by(rows, scene, proxy.id)]
        if not proxy.hidden and (not takes or any(_throws_the_picture(one) for one in takes)):
            out.append(proxy)
    return out


def split_of(scene: Scene, camera: Camera) -> CastSplit:
    """The proposed split of what is `in_the_picture`, in the scene's order."""
    return proposed_split(cast_meshes(scene, camera, in_the_picture(scene)), camera)


def painted_out(scene: Scene, lantern: Lantern) -> list[str]:
    """The ids of the proxies that have to be painted out of a lantern's plate: those that hide a
    proxy that takes it, and do not take it themselves."""
    if lantern.view is not None:
        return []
    ids, before = _hiding(scene)
    rows = rows_of(scene)
    takes = np.array([lantern.id in taken_by(rows, scene, id) for id in ids], bool)
    hides = before[:, takes].any(axis=1) & ~takes
    return [id for id, gone in zip(ids, hides, strict=True) if gone]


def _hiding(scene: Scene) -> tuple[list[str], Floats]:
    """The ids of the N proxies in the picture, and (N, N) how many pixels each hides of each other.

    Cached by object identity: see `sight.sighted.lens_of`.
    """
    known = _hidden.get(id(scene))
    if known is None or known[0] is not scene:
        known = scene, _counted(scene)
        _hidden.put(id(scene), known)
    return known[1]


def _counted(scene: Scene) -> tuple[list[str], Floats]:
    camera = required_camera(scene)
    shown = in_the_picture(scene)
    return [p.id for p in shown], hidden_counts(cast_meshes(scene, camera, shown), camera)
