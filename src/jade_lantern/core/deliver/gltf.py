"""The scene as a GLB: cast geometry with its pictures on it, the sighted camera, and the shot
camera moving (glTF 2.0; Khronos Group 2021). World and units are glTF's own.

Written with pygltflib: trimesh, by which blockings are read and written, writes neither cameras
that move nor unlit materials."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import pygltflib as gl
import scipy
from numpy.typing import NDArray

from ..block.blocking import exported_proxies
from ..camera import NEAREST, Camera, world_size
from ..cast.ofscene import Pixels, plate_of
from ..move.rate import exact_rate
from ..picture import png
from ..picture.eight import in_eight_bit
from ..render.pyramid import Picture
from ..scene.model import Scene
from ..scene.shot import shot_cameras
from ..sight.measure import required_camera
from .cut import Textured
from .skin import skins

ARRAY_BUFFER, ELEMENT_BUFFER = 34962, 34963


class _Blob:
    """Arrays gathered into one buffer, each behind an accessor."""

    def __init__(self, file: gl.GLTF2) -> None:
        self.file, self.data = file, bytearray()

    def view(self, raw: bytes, target: int | None = None) -> int:
        self.data += b"\0" * (-len(self.data) % 4)
        self.file.bufferViews.append(
            gl.BufferView(buffer=0, byteOffset=len(self.data), byteLength=len(raw), target=target)
        )
        self.data += raw
        return len(self.file.bufferViews) - 1

    def array(self, values: NDArray[np.generic], type: str, target: int | None = None) -> int:
        whole = values.dtype == np.uint32
        flat = np.asarray(values, np.uint32 if whole else np.float32)
        rows = flat.reshape(len(flat), -1)
        self.file.accessors.append(
            gl.Accessor(
                bufferView=self.view(flat.tobytes(), target),
                componentType=gl.UNSIGNED_INT if whole else gl.FLOAT,
                count=len(flat), type=type,
                min=rows.min(axis=0).tolist(), max=rows.max(axis=0).tolist(),
            )
        )  # fmt: skip
        return len(self.file.accessors) - 1


def glb(scene: Scene, pixels: Pixels, after_each: Callable[[], None] = lambda: None) -> bytes:
    """The scene as one binary glTF file.

    pixels: for the plates of the lanterns. after_each is called when a proxy is done, and may
    raise to stop. Raises Refusal without a camera, or with nothing to cast on.
    """
    camera = required_camera(scene)
    shown = exported_proxies(scene)
    file = gl.GLTF2()
    file.asset = gl.Asset(version="2.0", generator="Jade Lantern")
    file.scene = 0
    file.scenes = [gl.Scene(name=scene.name, nodes=[])]
    file.samplers = [gl.Sampler(wrapS=gl.CLAMP_TO_EDGE, wrapT=gl.CLAMP_TO_EDGE)]
    file.extensionsUsed = ["KHR_materials_unlit"]
    blob = _Blob(file)
    materials: dict[str | None, int] = {}  # by the lantern's id; None for what none reaches
    for proxy, parts in skins(scene, camera, shown):
        primitives = []
        for lit, part in parts:
            id = None if lit is None else lit[0].id
            if id not in materials and len(part.triangles):
                materials[id] = len(file.materials)
                plate = None if lit is None else pixels(plate_of(scene, lit[0]))
                file.materials.append(_material(file, blob, lit and lit[0].name, plate))
            primitive = _primitive(blob, part, lit and lit[1], materials.get(id, 0))
            primitives += [] if primitive is None else [primitive]
        file.meshes.append(gl.Mesh(name=proxy.name, primitives=primitives))
        _node(file, gl.Node(name=proxy.name, mesh=len(file.meshes) - 1))
        after_each()
    near_m = NEAREST * world_size(camera)
    _camera(file, camera, "sighted camera", near_m)
    _shot(file, blob, scene, camera)
    file.buffers = [gl.Buffer(byteLength=len(blob.data))]
    file.set_binary_blob(bytes(blob.data))
    return b"".join(file.save_to_bytes())


def _material(file: gl.GLTF2, blob: _Blob, name: str | None, plate: Picture | None) -> gl.Material:
    """An unlit material of a plate, or of plain grey where there is none."""
    unlit: dict[str, dict[str, object]] = {"KHR_materials_unlit": {}}
    flat: dict[str, Any] = {"metallicFactor": 0.0, "roughnessFactor": 1.0}
    if plate is None:
        grey = gl.PbrMetallicRoughness(baseColorFactor=[0.2, 0.2, 0.2, 1.0], **flat)
        return gl.Material(
            name="not reached", pbrMetallicRoughness=grey, doubleSided=True, extensions=unlit
        )
    data = png(in_eight_bit(plate))
    file.images.append(gl.Image(bufferView=blob.view(data), mimeType="image/png", name=name))
    file.textures.append(gl.Texture(source=len(file.images) - 1, sampler=0))
    texture = gl.TextureInfo(index=len(file.textures) - 1)
    return gl.Material(
        name=f"cast {name}", doubleSided=True, extensions=unlit,
        pbrMetallicRoughness=gl.PbrMetallicRoughness(baseColorTexture=texture, **flat),
        alphaMode="BLEND" if plate.shape[2] == 4 else "OPAQUE",
    )  # fmt: skip


def _primitive(
    blob: _Blob, part: Textured, lantern: Camera | None, material: int
) -> gl.Primitive | None:
    if not len(part.triangles):
        return None
    attributes = gl.Attributes(POSITION=blob.array(part.points, gl.VEC3, ARRAY_BUFFER))
    if lantern is not None:
        uv = part.pixels / [lantern.width, lantern.height]
        attributes.TEXCOORD_0 = blob.array(uv, gl.VEC2, ARRAY_BUFFER)
    index = blob.array(part.triangles.astype(np.uint32).ravel(), gl.SCALAR, ELEMENT_BUFFER)
    return gl.Primitive(attributes=attributes, indices=index, material=material)


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
        rotation=_quaternions(camera.rotation.T).tolist(),
    )
    return _node(file, node)


def _shot(file: gl.GLTF2, blob: _Blob, scene: Scene, sighted: Camera) -> None:
    """The shot camera, with a key on every frame, so that no ease is lost on the way."""
    cameras = shot_cameras(scene, np.arange(scene.move.frames, dtype=float), sighted)
    node = _camera(file, cameras[0], "shot camera", NEAREST * world_size(sighted))
    if not scene.move.keyed:
        return
    turns = _quaternions(np.array([c.rotation.T for c in cameras]))
    for i in range(1, len(turns)):
        if turns[i] @ turns[i - 1] < 0:
            turns[i] *= -1
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
    file.animations = [
        gl.Animation(
            name="shot",
            samplers=[
                gl.AnimationSampler(input=times, output=values, interpolation="LINEAR")
                for _, values in tracks
            ],
            channels=[
                gl.AnimationChannel(sampler=i, target=gl.AnimationChannelTarget(**target))
                for i, (target, _) in enumerate(tracks)
            ],
        )
    ]


def _node(file: gl.GLTF2, node: gl.Node) -> int:
    file.nodes.append(node)
    file.scenes[0].nodes.append(len(file.nodes) - 1)
    return len(file.nodes) - 1


def _quaternions(rotations: NDArray[np.float64]) -> NDArray[np.float64]:
    """Rotations (..., 3, 3) as quaternions (..., 4), the real part last."""
    return np.asarray(scipy.spatial.transform.Rotation.from_matrix(rotations).as_quat())
