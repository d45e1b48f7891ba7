"""Cameras over time, as a GLB, a USD file or a JSON of our own has them."""

from __future__ import annotations

import json
import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import pygltflib as gl
import scipy  # its submodules load on first use
from pxr import Gf, Usd, UsdGeom

from ..arrays import Floats
from ..refusal import Refusal
from .glb import document_of
from .usd import opened

USUAL_RATE = 24.0
MOST_FRAMES = 10_000
MOST_CAMERAS = 200
# by glTF's component types: what is kept, and by what it is divided
NUMBERS: dict[int, tuple[Any, float]] = {
    gl.FLOAT: (np.float32, 1.0), gl.BYTE: (np.int8, 127.0), gl.SHORT: (np.int16, 32767.0),
    gl.UNSIGNED_BYTE: (np.uint8, 255.0), gl.UNSIGNED_SHORT: (np.uint16, 65535.0),
}  # fmt: skip
SQUARE = 1e-3  # how far the axes of a camera may be from square and equally long
STEADY = 1e-3  # by how much a frame may be off one of a USD file's time codes
NAMED_WITHIN = 2e-4  # share by which a rate may be off one that has a name
MOST_NUMBER = 10**7  # of a frame
KEPT_WITHIN = 0.02  # of a frame: how far the times of keys may be off a rate
RATES = (24000 / 1001, 24.0, 25.0, 30000 / 1001, 30.0, 48.0, 50.0, 60000 / 1001, 60.0, 120.0)
KINDS = ("glb", "usd", "usda", "usdc", "usdz", "json")


@dataclass(frozen=True)
class CameraPath:
    """A camera at F frames, one after another; at one where it stands still. The world has +Y up
    and is in metres; the camera looks along its own -Z with +Y up.

    rate: frames a second, None where the file has none. places: (F, 3). turns: (F, 3, 3), rows
    are the camera's axes in the world. focals: (F,) the focal length in heights of the frame.
    aspect: of the frame, width over height; None where the file leaves that open. middle: where the
    principal point is in the frame, in its widths and heights from its top-left corner. begins: the
    number that its first frame has in the file, None where the file counts none.
    """

    name: str
    rate: float | None
    places: Floats
    turns: Floats
    focals: Floats
    aspect: float | None
    middle: tuple[float, float] = (0.5, 0.5)
    begins: int | None = None


def read_camera_paths(data: bytes, kind: str, name: str) -> list[CameraPath]:
    """The perspective cameras of a file. kind: its ending, one of KINDS. name: what it is called.

    Raises Refusal where it is damaged, has none, or more frames than can be taken, or where the
    axes of a camera are not square.
    """
    if kind == "glb":
        found = _of_glb(data, name)
    elif kind == "json":
        found = [_of_json(data, name)]
    else:
        found = _of_usd(data, kind, name)
    if not found:
        raise Refusal(f"There is no perspective camera in {name}.")
    if len(found) > MOST_CAMERAS:
        raise Refusal(f"{name} has {len(found):,} cameras; save the one that is meant by itself.")
    for one in found:
        numbers = (one.places, one.turns, one.focals)
        if not all(np.isfinite(each).all() for each in numbers) or (one.focals <= 0).any():
            raise Refusal(f"{name} is broken: some numbers of its camera {one.name} are none.")
    return found


def _check_frames(count: float, name: str) -> None:
    if not count <= MOST_FRAMES:
        raise Refusal(
            f"The camera in {name} has {count:,.0f} frames, and {MOST_FRAMES:,} are the most that "
            "can be taken. Save the part of it that is used."
        )


def _turn_of(matrix: Floats, name: str) -> Floats:
    """(3, 3) the axes of a camera in the world by rows, from those by columns, of any one length.
    Raises Refusal where they are not square, of several lengths, or mirrored."""
    long = np.linalg.norm(matrix, axis=0)
    axes = matrix / np.maximum(long, 1e-300)
    uneven = np.ptp(long) > SQUARE * max(long.max(), 1e-300)
    if uneven or abs(axes.T @ axes - np.eye(3)).max() > SQUARE or np.linalg.det(axes) < 0:
        raise Refusal(
            f"The camera in {name} is squashed or mirrored by what it hangs on, which no lens is. "
            "Save it there with its own place and turn only."
        )
    u, _, v = np.linalg.svd(axes)
    return np.asarray((u @ v).T, float)


# --- GLB


@dataclass(frozen=True)
class _Track:
    """What moves one number or more of a node: times in seconds, values (K, N)."""

    times: Floats
    values: Floats
    kind: str

    def at(self, times: Floats) -> Floats:
        """(F, N) at times (F,): as the first value before the first time, as the last after the
        last (glTF 2.0, appendix C)."""
        t, v = self.times, self.values
        at = times.clip(t[0], t[-1])
        if len(t) == 1:
            return np.repeat(v[:1] if self.kind != "CUBICSPLINE" else v[1:2], len(at), axis=0)
        if self.kind == "STEP":
            return np.asarray(v[np.searchsorted(t, at + 1e-9, side="right") - 1], float)
        if self.kind == "CUBICSPLINE":  # in-tangent, value, out-tangent of each key
            into, own, out = v[0::3], v[1::3], v[2::3]
            i = (np.searchsorted(t, at, side="right") - 1).clip(0, len(t) - 2)
            long = t[i + 1] - t[i]
            s = ((at - t[i]) / long)[:, None]
            return np.asarray(
                (2 * s**3 - 3 * s**2 + 1) * own[i]
                + long[:, None] * (s**3 - 2 * s**2 + s) * out[i]
                + (3 * s**2 - 2 * s**3) * own[i + 1]
                + long[:, None] * (s**3 - s**2) * into[i + 1],
                float,
            )
        return np.stack([np.interp(at, t, v[:, k]) for k in range(v.shape[1])], axis=1)

    def turned(self, times: Floats) -> Floats:
        """(F, 3, 3) rotations, where the values are quaternions."""
        rotation = scipy.spatial.transform.Rotation
        if self.kind == "LINEAR" and len(self.times) > 1:
            along = scipy.spatial.transform.Slerp(self.times, rotation.from_quat(self.values))
            at = times.clip(self.times[0], self.times[-1])
            return np.asarray(along(at).as_matrix(), float)
        return np.asarray(rotation.from_quat(self.at(times)).as_matrix(), float)


def _of_glb(data: bytes, name: str) -> list[CameraPath]:
    document = document_of(data)
    nodes, cameras = document.get("nodes", []), document.get("cameras", [])
    wanted = [i for i, node in enumerate(nodes) if isinstance(node.get("camera"), int)]
    wanted = [i for i in wanted if 0 <= nodes[i]["camera"] < len(cameras)]
    parents = {c: i for i, node in enumerate(nodes) for c in node.get("children", ())}
    try:
        tracks = _tracks(data, name) if document.get("animations") else {}
        out = []
        for i in wanted:
            chain = [i]
            while chain[-1] in parents:
                chain.append(parents[chain[-1]])
            found = _glb_camera(nodes, cameras, chain[::-1], tracks, name)
            out += [] if found is None else [found]
        return out
    except Refusal:
        raise
    except (ValueError, TypeError, AttributeError, KeyError, IndexError) as error:
        raise Refusal(f"{name} cannot be read: its cameras are broken.") from error


def _tracks(data: bytes, name: str) -> dict[object, _Track]:
    """What moves, by (node, path), or by the pointer of a camera's number."""
    file = gl.GLTF2().load_from_bytes(data)
    blob = file.binary_blob() or b""

    def array(number: int) -> Floats:
        of = file.accessors[number]
        wide = {gl.SCALAR: 1, gl.VEC2: 2, gl.VEC3: 3, gl.VEC4: 4}[of.type]
        kind, white = NUMBERS[of.componentType]
        view = file.bufferViews[of.bufferView]
        size = np.dtype(kind).itemsize * wide
        begin = (view.byteOffset or 0) + (of.byteOffset or 0)
        step = view.byteStride or size
        rows = np.lib.stride_tricks.as_strided(
            np.frombuffer(blob, np.uint8, count=step * (of.count - 1) + size, offset=begin),
            (of.count, size), (step, 1),
        )  # fmt: skip
        return np.ascontiguousarray(rows).view(kind).reshape(of.count, wide) / white

    out: dict[object, _Track] = {}
    for one in file.animations:
        for channel in one.channels:
            sampler = one.samplers[channel.sampler]
            times = array(sampler.input)[:, 0]
            if len(times) > 1 and not (np.diff(times) > 0).all():
                raise Refusal(f"{name} is broken: its keys are not in order of time.")
            _check_frames(len(times), name)
            track = _Track(times, array(sampler.output), sampler.interpolation or "LINEAR")
            path: object = (channel.target.node, channel.target.path)
            if channel.target.path == "pointer":
                path = channel.target.extensions["KHR_animation_pointer"]["pointer"]
            out[path] = track
    return out


def _glb_camera(
    nodes: list[Any], cameras: list[Any], chain: list[int], tracks: dict[object, _Track], name: str
) -> CameraPath | None:
    """The camera at the end of a chain of nodes, the first one being in the world."""
    node = nodes[chain[-1]]
    number = node["camera"]
    camera = cameras[number]
    lens = camera.get("perspective") or {}
    fov, aspect = lens.get("yfov"), lens.get("aspectRatio")
    if not isinstance(fov, int | float) or not 0.0 < fov < math.pi:
        return None
    if aspect is not None and not (isinstance(aspect, int | float) and 1e-3 < aspect < 1e3):
        return None
    paths = ("translation", "rotation", "scale")
    moving = [tracks[i, path] for i in chain for path in paths if (i, path) in tracks]
    pointed = tracks.get(f"/cameras/{number}/perspective/yfov")
    every = [*moving, *([] if pointed is None else [pointed])]
    rate, times = _sampled(every, name)
    whole = np.tile(np.eye(4), (len(times), 1, 1))
    for i in chain:
        whole = whole @ _local(nodes[i], i, tracks, times)
    half = pointed.at(times)[:, 0] / 2 if pointed is not None else np.full(len(times), fov / 2)
    tall = 0.5 / np.tan(half)  # the focal length in heights of the frame
    called = node.get("name") or camera.get("name")
    aspect, whole_frame, middle = _frame_in(camera.get("extras") or {}, aspect)
    return CameraPath(
        name=called if isinstance(called, str) else "camera", rate=rate if every else None,
        places=whole[:, :3, 3], turns=np.stack([_turn_of(m[:3, :3], name) for m in whole]),
        focals=tall * whole_frame, aspect=aspect, middle=middle,
    )  # fmt: skip


def _frame_in(
    extras: dict[str, Any], aspect: float | None
) -> tuple[float | None, float, tuple[float, float]]:
    """The aspect of a camera's picture, how many of its heights the frame is high, and where the
    principal point is: a picture whose principal point is off the middle is a part of a wider frame
    (see `deliver.gltf.CentredFrame`)."""
    frame, part = extras.get("frame_px"), extras.get("picture_in_frame_px")
    if frame is None or part is None:
        return aspect, 1.0, (0.5, 0.5)
    (wide, tall), (left, top, width, height) = frame, part
    middle = (wide / 2 - left) / width, (tall / 2 - top) / height
    return width / height, tall / height, middle


def _local(node: Any, i: int, tracks: dict[object, _Track], times: Floats) -> Floats:
    """(F, 4, 4) from a node's own frame to its parent's."""
    out = np.tile(np.eye(4), (len(times), 1, 1))
    if node.get("matrix"):
        return out @ np.array(node["matrix"], float).reshape(4, 4).T
    turn, place, size = (tracks.get((i, path)) for path in ("rotation", "translation", "scale"))
    rotation = scipy.spatial.transform.Rotation.from_quat(node.get("rotation") or [0, 0, 0, 1])
    turns = rotation.as_matrix() if turn is None else turn.turned(times)
    sizes = np.array(node.get("scale") or [1, 1, 1], float) if size is None else size.at(times)
    out[:, :3, :3] = turns * np.broadcast_to(sizes, (len(times), 3))[:, None, :]
    out[:, :3, 3] = (node.get("translation") or [0, 0, 0]) if place is None else place.at(times)
    return out


def _sampled(tracks: list[_Track], name: str) -> tuple[float, Floats]:
    """The rate of keys that may be one on each frame, and the times of all frames from the first
    key to the last."""
    if not tracks:
        return USUAL_RATE, np.zeros(1)
    first, last = min(t.times[0] for t in tracks), max(t.times[-1] for t in tracks)
    steps = np.concatenate([np.diff(t.times) for t in tracks])
    rate = USUAL_RATE
    if len(steps) and steps.min() > 0:
        least = 1.0 / float(np.median(steps[steps < 1.5 * steps.min()]))
        near = min(RATES, key=lambda r: abs(r - least))
        least = near if abs(near - least) < NAMED_WITHIN * near else least
        in_frames = steps * least
        whole = abs(in_frames - in_frames.round()).max() < KEPT_WITHIN * max(1, in_frames.max())
        if whole and 1.0 <= least <= 240.0:
            rate = least
    count = round((last - first) * rate) + 1
    _check_frames(count, name)
    return rate, first + np.arange(count) / rate


# --- USD


def _of_usd(data: bytes, kind: str, name: str) -> list[CameraPath]:
    with opened(data, kind, name) as (stage, unit, _):
        if not 1e-6 <= unit <= 1e6:
            raise Refusal(f"{name} says that its unit is {unit:g} m, which cannot be.")
        z_up = UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z
        return [
            _usd_camera(stage, UsdGeom.Camera(prim), unit, z_up, name)
            for prim in stage.Traverse(Usd.TraverseInstanceProxies())
            if prim.IsA(UsdGeom.Camera) and _is_perspective(UsdGeom.Camera(prim))
        ]


def _is_perspective(camera: UsdGeom.Camera) -> bool:
    return bool(camera.GetProjectionAttr().Get() == UsdGeom.Tokens.perspective)


def _usd_camera(
    stage: Usd.Stage, camera: UsdGeom.Camera, unit: float, z_up: bool, name: str
) -> CameraPath:
    prim = camera.GetPrim()
    codes = _codes(stage, camera, name)
    rate = float(stage.GetTimeCodesPerSecond()) if len(codes) > 1 else None
    up = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]) if z_up else np.eye(3)
    places, turns, focals = [], [], []
    for code in codes:
        matrix = np.array(UsdGeom.XformCache(code).GetLocalToWorldTransform(prim)).T
        places.append(unit * (up @ matrix[:3, 3]))
        turns.append(_turn_of(up @ matrix[:3, :3], name))
        lens: Gf.Camera = camera.GetCamera(code)
        if not lens.horizontalAperture > 0 or not lens.verticalAperture > 0:
            raise Refusal(f"The camera in {name} has a film without a size.")
        focals.append(lens.focalLength / lens.verticalAperture)
    first: Gf.Camera = camera.GetCamera(codes[0])
    middle = (
        0.5 - first.horizontalApertureOffset / first.horizontalAperture,
        0.5 + first.verticalApertureOffset / first.verticalAperture,
    )
    return CameraPath(
        name=prim.GetDisplayName() or prim.GetName(), rate=rate, places=np.array(places),
        turns=np.array(turns), focals=np.array(focals),
        aspect=first.horizontalAperture / first.verticalAperture, middle=middle,
        begins=_whole(codes[0].GetValue()) if len(codes) > 1 else None,
    )  # fmt: skip


def _whole(number: float) -> int | None:
    """A frame's number, where it can be one here."""
    return int(number) if number == int(number) and 0 <= number <= MOST_NUMBER else None


def _codes(stage: Usd.Stage, camera: UsdGeom.Camera, name: str) -> list[Usd.TimeCode]:
    """The frames at which a camera is looked at: one where nothing of it moves."""
    samples: set[float] = set(camera.GetFocalLengthAttr().GetTimeSamples())
    above = camera.GetPrim()
    while above and not above.IsPseudoRoot():
        if above.IsA(UsdGeom.Xformable):
            samples.update(UsdGeom.Xformable(above).GetTimeSamples())
        above = above.GetParent()
    if len(samples) < 2:
        return [Usd.TimeCode(min(samples)) if samples else Usd.TimeCode.Default()]
    first, last = min(samples), max(samples)
    if stage.HasAuthoredTimeCodeRange():
        first, last = float(stage.GetStartTimeCode()), float(stage.GetEndTimeCode())
    step = stage.GetTimeCodesPerSecond() / (stage.GetFramesPerSecond() or USUAL_RATE)
    step = 1.0 if abs(step - 1.0) < STEADY or step <= 0 else step
    count = math.floor((last - first) / step + 1e-6) + 1
    _check_frames(count, name)
    return [Usd.TimeCode(first + k * step) for k in range(max(count, 1))]


# --- JSON


def _of_json(data: bytes, name: str) -> CameraPath:
    """Raises Refusal where it is not as `deliver.camera_file` writes it."""
    broken = f"{name} cannot be read: it is not a camera of Jade Lantern's."
    try:
        told = json.loads(data)
        if not isinstance(told, dict) or told.get("what") != "camera":
            raise Refusal(broken)
        frames = told["frames"]
        _check_frames(len(frames), name)
        width, height = (float(told[key]) for key in ("width_px", "height_px"))
        cx, cy = (float(v) for v in told["principal_px"])
        unit, z_up = float(told["unit_m"]), told["up"] == "z"
        up = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]) if z_up else np.eye(3)
        places = np.array([f["position"] for f in frames], float).reshape(-1, 3)
        axes = np.array([f["axes"] for f in frames], float).reshape(-1, 3, 3)
        focals = np.array([f["focal_px"] for f in frames], float)
        if not width > 0 or not height > 0 or not len(frames):
            raise Refusal(broken)
        return CameraPath(
            name=str(told.get("name") or "camera"), rate=told.get("rate"),
            places=unit * places @ up.T,
            turns=np.stack([_turn_of(up @ a.T, name) for a in axes]),
            focals=focals / height, aspect=width / height, middle=(cx / width, cy / height),
            begins=_whole(float(told.get("first", 0))),
        )  # fmt: skip
    except (ValueError, TypeError, KeyError, RecursionError) as error:
        raise Refusal(broken) from error
