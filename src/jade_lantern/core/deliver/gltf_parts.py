"""What a GLB is put together of (see `gltf`)."""

from __future__ import annotations

from typing import Any

import numpy as np
import pygltflib as gl
import scipy
from numpy.typing import NDArray

from ..picture import png
from ..picture.eight import in_eight_bit
from ..render.pyramid import Picture

ARRAY_BUFFER, ELEMENT_BUFFER = 34962, 34963
UNLIT = "KHR_materials_unlit"


class Blob:
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

    def primitive(
        self, points: NDArray[Any], triangles: NDArray[Any], uv: NDArray[Any] | None,
        material: int, normals: NDArray[Any] | None = None,
    ) -> gl.Primitive:  # fmt: skip
        """points: (N, 3). triangles: (M, 3). uv: (N, 2) in widths and heights of the picture.
        normals: (N, 3), of length one."""
        attributes = gl.Attributes(POSITION=self.array(points, gl.VEC3, ARRAY_BUFFER))
        if uv is not None:
            attributes.TEXCOORD_0 = self.array(uv, gl.VEC2, ARRAY_BUFFER)
        if normals is not None:
            attributes.NORMAL = self.array(normals, gl.VEC3, ARRAY_BUFFER)
        index = self.array(triangles.astype(np.uint32).ravel(), gl.SCALAR, ELEMENT_BUFFER)
        return gl.Primitive(attributes=attributes, indices=index, material=material)


def pictured(file: gl.GLTF2, blob: Blob, name: str, picture: Picture, share: float = 1.0) -> int:
    """An unlit material that shows a picture; its number. share: how much of it is seen."""
    data = png(in_eight_bit(picture))
    file.images.append(gl.Image(bufferView=blob.view(data), mimeType="image/png", name=name))
    file.textures.append(gl.Texture(source=len(file.images) - 1, sampler=0))
    texture = gl.TextureInfo(index=len(file.textures) - 1)
    clear = picture.shape[2] == 4 or share < 1
    flat: dict[str, Any] = {"metallicFactor": 0.0, "roughnessFactor": 1.0}
    if share < 1:
        flat["baseColorFactor"] = [1.0, 1.0, 1.0, share]
    file.materials.append(
        gl.Material(
            name=name, doubleSided=True, extensions={UNLIT: {}},
            pbrMetallicRoughness=gl.PbrMetallicRoughness(baseColorTexture=texture, **flat),
            alphaMode="BLEND" if clear else "OPAQUE",
        )
    )  # fmt: skip
    return len(file.materials) - 1


def add_node(file: gl.GLTF2, node: gl.Node) -> int:
    file.nodes.append(node)
    file.scenes[0].nodes.append(len(file.nodes) - 1)
    return len(file.nodes) - 1


def quaternions(rotations: NDArray[np.float64]) -> NDArray[np.float64]:
    """Rotations (..., 3, 3) as quaternions (..., 4), the real part last."""
    return np.asarray(scipy.spatial.transform.Rotation.from_matrix(rotations).as_quat())


def steady(turns: NDArray[np.float64]) -> NDArray[np.float64]:
    """Quaternions (F, 4) of one thing over time, each on the same side as the one before."""
    out = turns.copy()
    for i in range(1, len(out)):
        if out[i] @ out[i - 1] < 0:
            out[i] *= -1
    return out


def animated(
    file: gl.GLTF2, name: str, times: int, tracks: list[tuple[dict[str, object], int]]
) -> None:
    """An animation. times: the accessor of its times. tracks: targets, and the accessors of their
    values."""
    file.animations.append(
        gl.Animation(
            name=name,
            samplers=[
                gl.AnimationSampler(input=times, output=values, interpolation="LINEAR")
                for _, values in tracks
            ],
            channels=[
                gl.AnimationChannel(sampler=i, target=gl.AnimationChannelTarget(**target))
                for i, (target, _) in enumerate(tracks)
            ],
        )
    )
