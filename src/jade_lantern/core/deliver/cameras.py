"""Cameras of a binary glTF (2.0; Khronos Group 2021), as places that lanterns are thrown from."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import pygltflib as gl
from scipy.spatial.transform import Rotation

from ..arrays import Floats
from ..camera import focal_35mm, tilt_roll_yaw
from ..refusal import Refusal
from ..scene.model import LanternView, Plate

MARK = b"glTF"
LEVEL = 1e-4  # cosine between a turned camera's axes, past which it is bent and no camera any more
MOST_NODES = 20_000


def cameras_of(data: bytes, plate: Plate) -> list[tuple[str, LanternView]]:
    """The perspective cameras of a GLB with their names, as they stand at its first moment. Their
    frames are as wide as the plate. One whose frame is wider than its picture gives the whole
    frame.

    Raises Refusal where it cannot be read, or has no such camera.
    """
    if int.from_bytes(data[4:8], "little") != 2:
        raise Refusal("This GLB cannot be read: it is not of version 2.")
    try:
        file = gl.GLTF2.load_from_bytes(data)
        placed = list(_placed(file))
    except Exception as error:  # whatever a reader says of damaged data
        if isinstance(error, MemoryError):
            raise
        raise Refusal("This GLB cannot be read: it is cut short or damaged.") from error
    out = []
    for node, matrix in placed:
        camera = file.cameras[node.camera]
        lens = camera.perspective
        if lens is None or not lens.yfov or not 0 < lens.yfov < math.pi:
            continue
        axes = matrix[:3, :3] / np.linalg.norm(matrix[:3, :3], axis=0)
        if np.abs(axes.T @ axes - np.eye(3)).max() > LEVEL or np.linalg.det(axes) < 0:
            continue
        aspect = lens.aspectRatio or plate.width / plate.height
        width, height = plate.width, max(round(plate.width / aspect), 2)
        focal = height / 2 / math.tan(lens.yfov / 2)
        tilt, roll, yaw = tilt_roll_yaw(axes.T)
        x, y, z = matrix[:3, 3].tolist()
        view = LanternView(
            position=(x, y, z), tilt_deg=tilt, roll_deg=roll, yaw_deg=yaw, width=width,
            height=height, focal_mm=focal_35mm(focal, width, height),
        )  # fmt: skip
        out.append((node.name or camera.name or "camera", view))
    if not out:
        raise Refusal("There is no perspective camera in this GLB.")
    return out


def _placed(file: gl.GLTF2) -> Iterator[tuple[gl.Node, Floats]]:
    """The nodes with a camera, and what takes each to the world (4, 4)."""
    below = {child for node in file.nodes for child in node.children or ()}
    left = [(i, np.eye(4)) for i in range(len(file.nodes)) if i not in below]
    seen = 0
    while left:
        seen += 1
        if seen > MOST_NODES:
            raise Refusal("This GLB has more nodes than can be read.")
        i, above = left.pop()
        node = file.nodes[i]
        matrix = above @ _own(node)
        if node.camera is not None:
            yield node, matrix
        left += [(child, matrix) for child in node.children or ()]


def _own(node: gl.Node) -> Floats:
    if node.matrix:
        return np.array(node.matrix, float).reshape(4, 4).T
    out = np.eye(4)
    turn = Rotation.from_quat(node.rotation or [0, 0, 0, 1]).as_matrix()
    out[:3, :3] = turn * np.array(node.scale or [1, 1, 1], float)
    out[:3, 3] = node.translation or [0, 0, 0]
    return out
