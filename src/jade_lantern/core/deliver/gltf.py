"""The scene as a GLB: cast geometry with its pictures on it, the sighted camera, and the shot
camera moving (glTF 2.0; Khronos Group 2021). World and units are glTF's own.

Written with pygltflib: trimesh, by which blockings are read and written, writes neither cameras
that move nor unlit materials."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pygltflib as gl
from numpy.typing import NDArray

from ..camera import NEAREST, Camera, world_size
from ..cast.ofscene import Pixels, plate_of
from ..dress.guests import no_files
from ..dress.pieces import Files
from ..move.rate import exact_rate
from ..scene.model import Scene
from ..scene.shot import shot_cameras
from ..sight.measure import required_camera
from .cut import Textured
from .gltf_dress import put_guests, put_lights
from .gltf_parts import UNLIT, Blob, add_node, animated, pictured, quaternions, steady
from .skin import skins


def glb(
    scene: Scene, pixels: Pixels, after_each: Callable[[], None] = lambda: None,
    files: Files = no_files,
) -> bytes:  # fmt: skip
    """The scene as one binary glTF file. What of its dressing the format cannot say is told in its
    extras, as `left_out`.

    pixels: for the plates of the lanterns; files: for guests. after_each is called when a proxy is
    done, and may raise to stop. Raises Refusal without a camera.
    """
    camera = required_camera(scene)
    shown = [p for p in scene.proxies if not p.hidden]
    file = gl.GLTF2()
    file.asset = gl.Asset(version="2.0", generator="Jade Lantern")
    file.scene = 0
    file.scenes = [gl.Scene(name=scene.name, nodes=[])]
    file.samplers = [gl.Sampler(wrapS=gl.CLAMP_TO_EDGE, wrapT=gl.CLAMP_TO_EDGE)]
    file.extensionsUsed = [UNLIT]
    blob = Blob(file)
    materials: dict[str | None, int] = {}  # by the lantern's id; None for what none reaches
    for proxy, parts in skins(scene, camera, shown):
        primitives = []
        for lit, part in parts:
            id = None if lit is None else lit[0].id
            if id not in materials and len(part.triangles):
                if lit is None:
                    materials[id] = _not_reached(file)
                else:
                    plate = pixels(plate_of(scene, lit[0]))
                    materials[id] = pictured(file, blob, f"cast {lit[0].name}", plate)
            primitive = _primitive(blob, part, lit and lit[1], materials.get(id, 0))
            primitives += [] if primitive is None else [primitive]
        file.meshes.append(gl.Mesh(name=proxy.name, primitives=primitives))
        add_node(file, gl.Node(name=proxy.name, mesh=len(file.meshes) - 1))
        after_each()
    near_m = NEAREST * world_size(camera)
    _camera(file, camera, "sighted camera", near_m)
    _shot(file, blob, scene, camera)
    left = put_guests(file, blob, scene, camera, pixels, files) + put_lights(file, scene)
    if left:
        file.scenes[0].extras = {"left_out": left}
    if blob.data:
        file.buffers = [gl.Buffer(byteLength=len(blob.data))]
        file.set_binary_blob(bytes(blob.data))
    return b"".join(file.save_to_bytes())


def _not_reached(file: gl.GLTF2) -> int:
    """An unlit material of plain grey; its number."""
    grey = gl.PbrMetallicRoughness(
        baseColorFactor=[0.2, 0.2, 0.2, 1.0], metallicFactor=0.0, roughnessFactor=1.0
    )
    file.materials.append(
        gl.Material(
            name="not reached", pbrMetallicRoughness=grey, doubleSided=True, extensions={UNLIT: {}}
        )
    )
    return len(file.materials) - 1


def _primitive(
    blob: Blob, part: Textured, lantern: Camera | None, material: int
) -> gl.Primitive | None:
    if not len(part.triangles):
        return None
    uv = None if lantern is None else part.pixels / [lantern.width, lantern.height]
    return blob.primitive(part.points, part.triangles, uv, material)


@dataclass(frozen=True)
class CentredFrame:
    """The smallest frame round a camera's picture that has the principal point in its middle.

    A glTF camera always looks along the middle of its frame, so a picture whose principal point
    lies elsewhere (a cropped one, a shifted lens) is a part of a wider frame: the one that begins
    at left, top, in pixels of the whole. Where the principal point is in the middle the two are
    the same.
    """

    width: float
    height: float
    left: float
    top: float

    @classmethod
    def round(cls, camera: Camera) -> CentredFrame:
        width = 2 * max(camera.cx, camera.width - camera.cx)
        height = 2 * max(camera.cy, camera.height - camera.cy)
        return cls(width, height, width / 2 - camera.cx, height / 2 - camera.cy)

    def yfov(self, focal_px: NDArray[np.float64] | float) -> NDArray[np.float64]:
        return np.asarray(2 * np.arctan(self.height / 2 / np.asarray(focal_px)))

    def extras(self, camera: Camera) -> dict[str, object]:
        """What to tell whoever renders through the camera, where the frame is a wider one."""
        if abs(self.width - camera.width) < 1e-6 and abs(self.height - camera.height) < 1e-6:
            return {}
        return {
            "frame_px": [self.width, self.height],
            "picture_in_frame_px": [self.left, self.top, camera.width, camera.height],
        }


def _camera(file: gl.GLTF2, camera: Camera, name: str, near_m: float) -> int:
    frame = CentredFrame.round(camera)
    file.cameras.append(
        gl.Camera(
            name=name, type="perspective",
            perspective=gl.Perspective(
                aspectRatio=frame.width / frame.height, yfov=float(frame.yfov(camera.focal_px)),
                znear=near_m,
            ),
            extras=frame.extras(camera),
        )
    )  # fmt: skip
    node = gl.Node(
        name=name,
        camera=len(file.cameras) - 1,
        translation=camera.position.tolist(),
        rotation=quaternions(camera.rotation.T).tolist(),
    )
    return add_node(file, node)


def _shot(file: gl.GLTF2, blob: Blob, scene: Scene, sighted: Camera) -> None:
    """The shot camera, with a key on every frame, so that no ease is lost on the way."""
    cameras = shot_cameras(scene, np.arange(scene.move.frames, dtype=float), sighted)
    node = _camera(file, cameras[0], "shot camera", NEAREST * world_size(sighted))
    if not scene.move.keyed:
        return
    turns = steady(quaternions(np.array([c.rotation.T for c in cameras])))
    times = blob.array(np.arange(len(cameras)) / float(exact_rate(scene.move.fps)), gl.SCALAR)
    tracks: list[tuple[dict[str, object], int]] = [
        ({"node": node, "path": "translation"},
         blob.array(np.array([c.position for c in cameras]), gl.VEC3)),
        ({"node": node, "path": "rotation"}, blob.array(turns, gl.VEC4)),
    ]  # fmt: skip
    focals = np.array([c.focal_px for c in cameras])
    if np.ptp(focals) > 1e-6 * focals[0]:
        # core glTF cannot move a focal length; the pointer extension can
        yfov = CentredFrame.round(sighted).yfov(focals)
        pointer = f"/cameras/{len(file.cameras) - 1}/perspective/yfov"
        extension = {"KHR_animation_pointer": {"pointer": pointer}}
        target: dict[str, object] = {"path": "pointer", "extensions": extension}
        tracks.append((target, blob.array(yfov, gl.SCALAR)))
        file.extensionsUsed.append("KHR_animation_pointer")
    animated(file, "shot", times, tracks)
