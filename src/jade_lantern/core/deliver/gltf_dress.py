"""Guests and lights in a GLB: guests as meshes with their pictures, moving as they do; suns and
lamps as punctual lights (KHR_lights_punctual). What the format cannot say is told in the scene's
extras."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pygltflib as gl

from ..arrays import Floats
from ..camera import Camera
from ..cast.ofscene import Pixels
from ..dress.guests import Stand, outward, stands
from ..dress.ofscene import energy_of
from ..dress.pieces import Files
from ..move.rate import exact_rate
from ..scene.dressing import Lamp, Sun
from ..scene.guests import PictureGuest
from ..scene.model import Scene
from ..scene.moment import moments
from ..scene.shot import shot_cameras
from .gltf_parts import Blob, add_node, animated, pictured, quaternions, steady

LIGHTS = "KHR_lights_punctual"


def put_guests(
    file: gl.GLTF2, blob: Blob, scene: Scene, sighted: Camera, pixels: Pixels, files: Files
) -> list[str]:
    """Add the guests that are shown, where they stand at the first frame, and moving from there;
    what of them is not in the file, in words."""
    every = np.arange(scene.move.frames, dtype=float)
    shots = shot_cameras(scene, every, sighted)
    tracked = {track.part for track in scene.tracks}
    still = not tracked.intersection(one.id for one in scene.guests)
    still &= not (scene.move.keyed and any(one.facing for one in scene.guests))
    at = moments(scene, every[:1] if still else every)
    frames = [
        stands(m, shot.position, pixels, files) for m, shot in zip(at, shots, strict=False)
    ]  # fmt: skip
    materials: dict[object, int] = {}
    left: set[str] = set()
    for k, one in enumerate(frames[0]):
        node = _stand(file, blob, one, materials)
        over_time = [frame[k] for frame in frames if len(frame) == len(frames[0])]
        if not still and len(over_time) == len(frames):
            _moving(file, blob, scene, node, over_time)
        left |= _left_of(one)
    return sorted(left)


def _left_of(one: Stand) -> set[str]:
    left = set()
    if one.piece.mixing != "over":
        left.add(f"how {one.guest.name} is mixed ({one.piece.mixing}): it lies over")
    if isinstance(one.guest, PictureGuest) and one.guest.plate.playing is not None:
        left.add(f"the clip of {one.guest.name}: its first picture is in it")
    return left


def _stand(file: gl.GLTF2, blob: Blob, one: Stand, materials: dict[object, int]) -> int:
    piece = one.piece
    key = piece.picture.key, one.strength
    if key not in materials:
        name = f"laid on {one.guest.name}"
        materials[key] = pictured(file, blob, name, piece.picture.make(), one.strength)
    points = one.mesh.points[one.mesh.triangles].reshape(-1, 3)
    triangles = np.arange(len(points)).reshape(-1, 3)
    uv = one.laid.reshape(-1, 2) / piece.size
    normals = None if one.normals is None else outward(one.mesh, one.normals).reshape(-1, 3)
    primitive = blob.primitive(points, triangles, uv, materials[key], normals)
    file.meshes.append(gl.Mesh(name=one.guest.name, primitives=[primitive]))
    turn, size = _turn_and_size(one)
    return add_node(file, gl.Node(
        name=one.guest.name, mesh=len(file.meshes) - 1, translation=one.place.tolist(),
        rotation=quaternions(turn).tolist(), scale=[size] * 3,
    ))  # fmt: skip


def _turn_and_size(one: Stand) -> tuple[Floats, float]:
    size = float(np.cbrt(np.linalg.det(one.turn)))
    return one.turn / size, size


def _moving(file: gl.GLTF2, blob: Blob, scene: Scene, node: int, over_time: list[Stand]) -> None:
    places = np.array([one.place for one in over_time])
    turns = steady(quaternions(np.array([_turn_and_size(one)[0] for one in over_time])))
    if not np.ptp(places, axis=0).any() and not np.ptp(turns, axis=0).any():
        return
    times = blob.array(np.arange(len(over_time)) / float(exact_rate(scene.move.fps)), gl.SCALAR)
    animated(file, file.nodes[node].name, times, [
        ({"node": node, "path": "translation"}, blob.array(places, gl.VEC3)),
        ({"node": node, "path": "rotation"}, blob.array(turns, gl.VEC4)),
    ])  # fmt: skip


def put_lights(file: gl.GLTF2, scene: Scene) -> list[str]:
    """Add the suns and lamps that are on, as at the first frame; what is not in the file."""
    left = []
    lights: list[dict[str, Any]] = []
    for one in moments(scene, np.zeros(1))[0].lights:
        if not one.on:
            continue
        if not isinstance(one, Sun | Lamp) or one.does == "shades":
            left.append(f"{one.name}: the format has no light like it")
            continue
        node, light = _light(one)
        node.extensions = {LIGHTS: {"light": len(lights)}}
        lights.append(light)
        add_node(file, node)
    if lights:
        file.extensionsUsed.append(LIGHTS)
        file.extensions = {**(file.extensions or {}), LIGHTS: {"lights": lights}}
    if scene.haze is not None:
        left.append("the haze")
    if scene.darkening is not None:
        left.append("darkening where surfaces meet")
    left += [f"the relief of {one.name}" for one in scene.lanterns if one.relief is not None]
    if scene.look is not None:
        left.append("the look")
    return left


def _light(one: Sun | Lamp) -> tuple[gl.Node, dict[str, Any]]:
    """A white surface that faces a light gives back 1 / pi of it, in glTF."""
    energy = energy_of(one)
    most = max(float(energy.max()), 1e-9)
    light: dict[str, Any] = {
        "name": one.name, "color": (energy / most).tolist(), "intensity": math.pi * most,
    }  # fmt: skip
    if isinstance(one, Lamp):
        node = gl.Node(name=one.name, translation=[one.x, one.level_m, one.z])
        return node, {**light, "type": "point"}
    node = gl.Node(name=one.name, rotation=quaternions(ahead_of(one)).tolist())
    return node, {**light, "type": "directional"}


def ahead_of(sun: Sun) -> Floats:
    """(3, 3) how a sun is turned that shines along its own -Z."""
    ahead = -np.array(sun.way())
    aside = np.eye(3)[int(np.argmin(np.abs(ahead)))]
    right = np.cross(ahead, aside)
    right /= np.linalg.norm(right)
    return np.column_stack([right, np.cross(right, ahead), -ahead])
