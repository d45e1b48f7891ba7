"""The cameras of a GLB as the file has them."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from .glb import document_of


@dataclass(frozen=True)
class GlbCamera:
    """A perspective camera. fov: the vertical field of view, radians. aspect: of its frame, None
    where it is left to who looks. matrix: (4, 4), from its own frame to the world."""

    name: str
    fov: float
    aspect: float | None
    matrix: NDArray[np.float64]


def read_cameras(data: bytes) -> list[GlbCamera]:
    """The perspective cameras of a GLB as they stand at its first moment, and only those whose
    numbers can be a camera's. Raises Refusal where the file is damaged."""
    document = document_of(data)
    nodes, cameras = document.get("nodes", []), document.get("cameras", [])
    below = {child for node in nodes for child in node.get("children", ())}
    left = [(i, np.eye(4)) for i in range(len(nodes)) if i not in below]
    out = []
    while left:
        i, above = left.pop()
        matrix = above @ _own(nodes[i])
        left += [(child, matrix) for child in nodes[i].get("children", ())]
        number = nodes[i].get("camera")
        if isinstance(number, int) and 0 <= number < len(cameras):
            found = _camera(nodes[i], cameras[number], matrix)
            out += [] if found is None else [found]
    return out


def _camera(node: Any, camera: Any, matrix: NDArray[np.float64]) -> GlbCamera | None:
    lens = camera.get("perspective") or {}
    fov, aspect = lens.get("yfov"), lens.get("aspectRatio")
    if fov is None or not _between(fov, 0.0, math.pi):
        return None
    if aspect is not None and not _between(aspect, 1e-3, 1e3):
        return None
    name = node.get("name") or camera.get("name")
    return GlbCamera(name if isinstance(name, str) else "camera", fov, aspect, matrix)


def _between(value: Any, low: float, high: float) -> bool:
    return isinstance(value, int | float) and low < value < high


def _own(node: Any) -> NDArray[np.float64]:
    if node.get("matrix"):
        return np.array(node["matrix"], float).reshape(4, 4).T
    out = np.eye(4)
    turn = scipy.spatial.transform.Rotation.from_quat(
        node.get("rotation") or [0, 0, 0, 1]
    ).as_matrix()
    out[:3, :3] = turn * np.array(node.get("scale") or [1, 1, 1], float)
    out[:3, 3] = node.get("translation") or [0, 0, 0]
    return out
