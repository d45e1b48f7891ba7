"""The flat view of a face: seen square on, as fine as the plate shows it, to be painted.

A camera that stands square on to a plane shows it to scale all over. So the flat view is a lantern
with a place of its own before the face, cast on that face alone and above what the face takes
already; until it is painted it throws nothing.
"""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from shapely import Polygon, contains_xy

from ..arrays import Floats
from ..block.parts import in_own, in_world, solid_of
from ..camera import Camera, focal_px_from_35mm, tilt_roll_yaw
from ..proxy import Proxy, Solid
from ..refusal import Refusal
from ..scene.edits import Edit, PutLanterns
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture
from ..scene.glaze import places_at_rest
from ..scene.model import CastRow, CastSheet, Lantern, LanternView, Scene
from ..scene.sheet import rows_of, taken_by
from ..sight.measure import required_camera
from ..value import NEW_ID, Id, Name
from .ofscene import lantern_camera

LARGEST = 8192  # px, the longer side
SMALLEST = 16
FOCAL_MM = 36.0  # its longer side as far away as it is long
ASKED = 48  # places across a face at which it is asked how fine the plate is there
BENT = 1e-3  # of a face's extent: what is less flat has no flat view
HEAD_ON = 0.999  # cosine from which a lantern looks square on at a face


class AddFlat(Gesture):
    """Add a lantern that sees a face of a proxy square on, for that face alone. face: by its number
    as the cast sheet has it."""

    verb: Literal["AddFlat"] = "AddFlat"
    proxy: Id
    face: Annotated[int, Field(ge=1, le=10**9)]
    name: Name | None = None

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        proxy = the_one(scene.proxies, self.proxy, "proxy")
        view = _view(scene, self.proxy, self.face, camera)
        new = Lantern(id=NEW_ID, name=self.name or f"{proxy.name[:70]} flat", view=view)
        taken = taken_by(rows_of(scene), scene, self.proxy, self.face)
        row = CastRow(proxy=self.proxy, face=self.face, lanterns=(new.id, *taken))
        others = tuple(r for r in scene.sheet.rows if (r.proxy, r.face) != (self.proxy, self.face))
        return PutLanterns(
            lanterns=(new,), sheet=CastSheet(rows=(*others, row)),
            said=f"Flat view of a face of {proxy.name}"[:80],
        )  # fmt: skip


def _ring(scene: Scene, proxy: str, face: int, camera: Camera) -> tuple[Floats, Floats]:
    """A face's outer corners (N, 3) in the world, and its unit normal (3,) on the side that the
    lens sees. Raises Refusal where it is not there, or bent."""
    one = the_one(scene.proxies, proxy, "proxy")
    solid = _as_cast_on(scene, one, camera)
    ring = in_world(solid, solid.shape.at(solid.shape.loops_of(face)[0]))
    turn, _ = solid.frame()
    normal = turn @ solid.shape.normal(face)
    off = (ring - ring.mean(axis=0)) @ normal
    if np.ptp(off) > BENT * np.linalg.norm(np.ptp(ring, axis=0)):
        raise Refusal(f"This face of {one.name} is bent, so it has no flat view.")
    if (camera.position - ring[0]) @ normal < 0:
        normal = -normal
    return ring, normal


def _as_cast_on(scene: Scene, proxy: Proxy, camera: Camera) -> Solid:
    """A proxy as a solid; of a glazed one, as it stood when it was glazed."""
    glazed = next((one for one in scene.glazed if one.id == proxy.id), None)
    if glazed is None or not isinstance(proxy, Solid):
        return solid_of(proxy if glazed is None else glazed.rest, camera)
    rest = places_at_rest(proxy, glazed, camera)[: len(proxy.corners)]
    own = in_own(proxy, rest[:, :3] / rest[:, 3:]).tolist()
    corners = tuple((c[0], *p) for c, p in zip(proxy.corners, own, strict=True))
    return proxy.model_copy(update={"corners": corners})


def _axes(normal: Floats, camera: Camera) -> Floats:
    """(3, 3) rows right, up and out of a face, as somebody who stands before it sees it; before a
    floor, as the lens looks."""
    up = np.array([0.0, 1.0, 0.0])
    if abs(normal[1]) > 0.95:
        up = camera.forward - (camera.forward @ normal) * normal
    right = np.cross(up, normal)
    right = right / np.linalg.norm(right)
    return np.stack([right, np.cross(normal, right), normal])


def _view(scene: Scene, proxy: str, face: int, camera: Camera) -> LanternView:
    ring, normal = _ring(scene, proxy, face, camera)
    axes = _axes(normal, camera)
    own = ring @ axes.T
    low, high = own[:, :2].min(axis=0), own[:, :2].max(axis=0)
    seen, depth = _shown(own, axes, camera)
    if not len(seen):
        raise Refusal("The plate shows nothing of this face, so there is nothing to see flat.")
    # what lies outside the picture has no pixels: a floor's flat view ends where the plate does
    room = (high - low) / ASKED
    low, high = np.maximum(low, seen.min(axis=0) - room), np.minimum(high, seen.max(axis=0) + room)
    fine = camera.focal_px / float(depth.min())
    fine *= min(1.0, LARGEST / (fine * float((high - low).max())))
    width, height = (max(round(v * fine), SMALLEST) for v in (high - low).tolist())
    middle = (low + high) / 2
    focal = focal_px_from_35mm(FOCAL_MM, width, height)
    x, y, z = (np.array([*middle, own[0, 2] + focal / fine]) @ axes).tolist()
    tilt, roll, yaw = tilt_roll_yaw(axes)
    return LanternView(
        position=(x, y, z), tilt_deg=tilt, roll_deg=roll, yaw_deg=yaw, focal_mm=FOCAL_MM,
        width=width, height=height,
    )  # fmt: skip


def _shown(own: Floats, axes: Floats, camera: Camera) -> tuple[Floats, Floats]:
    """Places (N, 2) all over a face that lie inside the plate, along its axes, and their depths
    before the lens."""
    low, high = own[:, :2].min(axis=0), own[:, :2].max(axis=0)
    step = (np.arange(ASKED) + 0.5) / ASKED
    at = np.stack(np.meshgrid(*(low[k] + step * (high - low)[k] for k in (0, 1))), -1)
    at = at.reshape(-1, 2)
    at = at[contains_xy(Polygon(own[:, :2]).buffer(0), at)]
    pixel, depth = camera.project(np.column_stack([at, np.full(len(at), own[0, 2])]) @ axes)
    inside = (depth > 0) & (pixel >= 0).all(axis=1)
    inside &= (pixel <= [camera.width, camera.height]).all(axis=1)
    return at[inside], depth[inside]


def flat_size(scene: Scene, lantern: Lantern) -> tuple[float, float] | None:
    """How wide and high what a flat view shows really is, metres; None for any other lantern."""
    view = lantern.view
    row = next((r for r in scene.sheet.rows if r.face and lantern.id in r.lanterns), None)
    if view is None or row is None or row.face is None:
        return None
    camera = required_camera(scene)
    try:
        ring, normal = _ring(scene, row.proxy, row.face, camera)
    except Refusal:
        return None
    looks = lantern_camera(lantern, camera)
    if -looks.forward @ normal < HEAD_ON:
        return None
    far = float((looks.position - ring[0]) @ normal)
    return view.width * far / looks.focal_px, view.height * far / looks.focal_px
