"""Borrow: a clean patch from elsewhere on a plane laid over what is to be hidden."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ..arrays import Floats
from ..block.under import Under, nearest_along
from ..camera import Camera
from ..picture.premultiplied import premultiplied, straight
from ..refusal import Refusal
from ..scene.edits import Edit, PutLanterns
from ..scene.edits.cast import thrown_anew
from ..scene.edits.edit import the_one
from ..scene.gesture import PictureGesture
from ..scene.model import Lantern, Scene
from ..scene.pictures import Pictures, brought, require_one_picture
from ..scene.sheet import lanterns_of
from ..sight.measure import required_camera
from ..value import Id, Point2
from .ofscene import plate_camera, plate_of

SOFT = 0.12  # of a patch's smaller extent: over so much its border goes over into the plate
MOST_OUTSIDE = 0.02  # of a patch: more than that must not come from outside the plate


class Borrow(PictureGesture):
    """Cover what an outline goes round, in pixels of the lens view, with what lies elsewhere on the
    same plane of a proxy: the plane is moved so that the place source comes to lie at target.
    proxy: whose plane it is; the nearest there that takes the lantern where it is left out. soft:
    of the patch's smaller extent, how much of its border goes over softly."""

    verb: Literal["Borrow"] = "Borrow"
    lantern: Id
    proxy: Id | None = None
    outline: Annotated[tuple[Point2, ...], Field(min_length=3, max_length=1000)]
    source: Point2
    target: Point2
    soft: Annotated[float, Field(ge=0, le=0.5)] = SOFT

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        sighted = required_camera(scene)
        lantern = the_one(scene.lanterns, self.lantern, "lantern")
        if lantern.view is not None and lantern.plate is None:
            raise Refusal(f"{lantern.name} has no picture yet to borrow from.")
        plate = plate_of(scene, lantern)
        require_one_picture(plate, "borrowing")
        on = plane_under(scene, lantern, self.target, self.proxy)
        place, normal = on.point, on.normal
        camera = plate_camera(lantern, sighted).resized(plate.width, plate.height)
        ends = [_met(sighted, np.array(p), place, normal) for p in (self.source, self.target)]
        ring = np.array([_met(sighted, np.array(p), place, normal) for p in self.outline])
        outline, depth = camera.project(ring)
        if (depth <= 0).any():
            raise Refusal(f"What is to be covered lies behind {lantern.name}.")
        source = mapping_of(camera, place, normal, ends[0] - ends[1])
        new = borrowed(np.asarray(pictures.deep(plate)), outline, source, self.soft)
        name = f"{lantern.name[:70]} borrowed"
        made = thrown_anew(lantern, brought(pictures, name, new), lantern.stand_in)
        return PutLanterns(lanterns=(made,), said=f"Borrow a patch for {lantern.name}"[:80])


def plane_under(scene: Scene, lantern: Lantern, at: Point2, proxy: str | None = None) -> Under:
    """The nearest surface under a pixel of the lens view of what takes a lantern, whatever else is
    before it; of one proxy where one is meant. Raises Refusal where there is none."""
    sighted = required_camera(scene)
    shown = [p for p in scene.proxies if not p.hidden]
    glazed = {one.id for one in scene.glazed}
    takes = [p for p in shown if p.id not in glazed and lantern in lanterns_of(scene, p.id)]
    if proxy is not None:
        takes = [the_one(scene.proxies, proxy, "proxy")]
        if proxy in glazed:
            raise Refusal(
                f"{takes[0].name} is glazed: its picture is elsewhere than it is seen. Take its "
                "glaze off, borrow, and glaze it again."
            )
    found = nearest_along(tuple(takes), sighted, sighted.position, sighted.rays(np.array(at)))
    if found is None:
        if proxy is not None:
            raise Refusal(f"{takes[0].name} is not under what is to be covered.")
        raise Refusal(
            f"Nothing that takes {lantern.name} lies there. Choose the lantern of what is to be "
            "covered, in the cast sheet."
        )
    return found


def _met(camera: Camera, pixel: Floats, place: Floats, normal: Floats) -> Floats:
    """Where a pixel's line of sight meets a plane, (3,)."""
    ray = camera.rays(pixel)
    towards, far = float(ray @ normal), float((place - camera.position) @ normal)
    if abs(towards) < 1e-9 or far / towards <= 0:
        raise Refusal("This reaches past the plane's own horizon. Keep it on the surface.")
    out: Floats = camera.position + ray * (far / towards)
    return out


def mapping_of(camera: Camera, place: Floats, normal: Floats, by: Floats) -> Floats:
    """(3, 3) from a pixel on a plane to the pixel of the place that lies further by (3,) on it."""
    off = float((place - camera.position) @ normal)
    inverse = camera.unprojection()
    inner = np.eye(3) + np.outer(by, normal) / off
    out: Floats = camera.projection() @ inner @ inverse
    return out


FAR_PX = 1_000_000


def borrowed(
    picture: NDArray[Any], outline: Floats, source: Floats, soft: float = SOFT
) -> NDArray[Any]:
    """A picture (H, W, 3 or 4) of any kind with the inside of an outline (N, 2), px, filled from
    where a mapping (3, 3) leads.

    Raises Refusal where that is outside the picture.
    """
    height, width = picture.shape[:2]
    low = np.floor(outline.min(axis=0)).astype(int) - 1
    high = np.ceil(outline.max(axis=0)).astype(int) + 1
    x0, y0 = np.maximum(low, 0).tolist()
    x1, y1 = np.minimum(high, [width, height]).tolist()
    if x1 - x0 < 3 or y1 - y0 < 3:
        raise Refusal("This patch lies outside the plate, or is too small to be seen.")
    # far corners are brought near enough for OpenCV's fixed point; the plate is nowhere near them
    near = outline.clip(-FAR_PX, FAR_PX) - [x0, y0]
    fixed = np.round(near * 256 - 128).astype(np.int32)
    inside = np.zeros((y1 - y0, x1 - x0), np.uint8)
    cv2.fillPoly(inside, [fixed], 255, lineType=cv2.LINE_AA, shift=8)
    x, y = np.meshgrid(np.arange(x0, x1) + 0.5, np.arange(y0, y1) + 0.5)
    w = source[2, 0] * x + source[2, 1] * y + source[2, 2]
    w = np.where(w > 1e-9, w, np.nan)
    u = (source[0, 0] * x + source[0, 1] * y + source[0, 2]) / w
    v = (source[1, 0] * x + source[1, 1] * y + source[1, 2]) / w
    there = (u >= 0) & (u <= width) & (v >= 0) & (v <= height)
    covered = inside > 127
    if not covered.any() or (covered & ~there).sum() > MOST_OUTSIDE * covered.sum():
        raise Refusal("What would be borrowed lies outside the plate. Take it from elsewhere.")
    whole = premultiplied(picture)
    across, down = (np.nan_to_num(k - 0.5).astype(np.float32) for k in (u, v))
    patch = cv2.remap(whole, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    deep = cv2.distanceTransform((inside > 0).astype(np.uint8), cv2.DIST_L2, 5)
    reach = max(soft * float(min(high - low)), 1e-6)
    t = np.clip(deep / reach, 0, 1) if reach > 1 else inside / 255.0
    share = (t * t * (3 - 2 * t) * there)[..., None].astype(np.float32)
    box = (slice(y0, y1), slice(x0, x1))
    out = picture.copy()
    out[box] = straight(patch * share + whole[box] * (1 - share), picture.dtype)
    return out
