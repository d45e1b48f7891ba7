"""The scene as a USDZ: what a GLB of it holds, with cameras whose principal point is where the
lens has it, and lights as large as they are."""

from __future__ import annotations

import math
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pygltflib as gl
from pxr import Gf, Sdf, Tf, Usd, UsdGeom, UsdLux, UsdShade, UsdUtils, Vt

from ..arrays import Floats
from ..camera import NEAREST, Camera, world_size
from ..cast.ofscene import Pixels
from ..dress.guests import no_files
from ..dress.ofscene import energy_of
from ..dress.pieces import Files
from ..move.rate import exact_rate
from ..refusal import Refusal
from ..scene.dressing import Lamp, Sun
from ..scene.model import Scene
from ..scene.moment import moments
from ..scene.shot import shot_cameras
from ..sight.measure import required_camera
from .camera_file import TO_Z_UP, Up
from .gltf import glb
from .gltf_dress import ahead_of

APERTURE = 36.0  # mm, the width of a camera's film
FARTHEST = 1e6  # metres, that a camera sees to
LEAST_RADIUS = 1e-3  # metres, of a lamp
WIDE = {gl.SCALAR: 1, gl.VEC2: 2, gl.VEC3: 3, gl.VEC4: 4}


def usdz(
    scene: Scene, pixels: Pixels, after_each: Callable[[], None] = lambda: None,
    files: Files = no_files, up: Up = "y", unit_m: float = 1.0,
) -> bytes:  # fmt: skip
    """The scene as one USDZ file. What of its dressing is not in it is told in its layer's custom
    data, as `left_out`. up: the axis that is up in it. unit_m: what one of its units is, metres.
    after_each, and what is raised: as of `gltf.glb`."""
    source = _Glb(glb(scene, pixels, after_each, files))
    with tempfile.TemporaryDirectory() as folder:
        layer, package = Path(folder) / "scene.usdc", Path(folder) / "scene.usdz"
        stage = Usd.Stage.CreateNew(str(layer))
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y if up == "y" else UsdGeom.Tokens.z)
        UsdGeom.SetStageMetersPerUnit(stage, unit_m)
        rate = float(exact_rate(scene.move.fps))
        stage.SetTimeCodesPerSecond(rate)
        stage.SetFramesPerSecond(rate)
        stage.SetStartTimeCode(scene.move.first)
        stage.SetEndTimeCode(scene.move.first + scene.move.frames - 1)
        root = UsdGeom.Xform.Define(stage, "/World")
        if up == "z" or unit_m != 1.0:
            turn = np.eye(4)
            turn[:3, :3] = (TO_Z_UP if up == "z" else np.eye(3)).T / unit_m
            root.AddTransformOp().Set(Gf.Matrix4d(turn.tolist()))
        world = root.GetPrim()
        world.SetDisplayName(scene.name)
        stage.SetDefaultPrim(world)
        materials = source.materials(stage, Path(folder))
        source.meshes(stage, materials, rate, scene.move.first)
        sighted = required_camera(scene)
        near = NEAREST * world_size(sighted)
        _camera(stage, "sighted camera", [sighted], near)
        every = np.arange(scene.move.frames, dtype=float)
        _camera(stage, "shot camera", shot_cameras(scene, every, sighted), near, scene.move.first)
        _lights(stage, scene)
        if source.left_out:
            stage.GetRootLayer().customLayerData = {"left_out": Vt.StringArray(source.left_out)}
        stage.GetRootLayer().Save()
        if not UsdUtils.CreateNewUsdzPackage(Sdf.AssetPath(str(layer)), str(package)):
            raise Refusal("The USDZ could not be put together. Nothing was written.")
        return package.read_bytes()


def _named(kind: Any, stage: Usd.Stage, parent: str, name: str) -> Any:
    """A prim of a kind under a parent, by a name that is its own there, and shown as it is."""
    plain = Tf.MakeValidIdentifier(name) or "_"
    path, number = f"{parent}/{plain}", 2
    while stage.GetPrimAtPath(path):
        path, number = f"{parent}/{plain}_{number}", number + 1
    made = kind.Define(stage, path)
    made.GetPrim().SetDisplayName(name)
    return made


class _Glb:
    """What is taken from a GLB of our own."""

    def __init__(self, data: bytes) -> None:
        self.file = gl.GLTF2().load_from_bytes(data)
        self.blob = self.file.binary_blob()
        self.left_out: list[str] = (self.file.scenes[0].extras or {}).get("left_out", [])

    def bytes_of(self, number: int) -> bytes:
        view = self.file.bufferViews[number]
        begin = view.byteOffset or 0
        return bytes(self.blob[begin : begin + view.byteLength])

    def array(self, number: int) -> Any:
        of = self.file.accessors[number]
        kind = np.uint32 if of.componentType == gl.UNSIGNED_INT else np.float32
        values = np.frombuffer(self.bytes_of(of.bufferView), kind)
        return values.reshape(of.count, WIDE[of.type])

    def materials(self, stage: Usd.Stage, folder: Path) -> list[UsdShade.Material]:
        """Materials that show their picture as it is, whatever light there is: it has its own."""
        out = []
        for number, one in enumerate(self.file.materials):
            material = _named(UsdShade.Material, stage, "/World/Materials", one.name)
            path = material.GetPath().pathString
            surface = UsdShade.Shader.Define(stage, f"{path}/surface")
            surface.CreateIdAttr("UsdPreviewSurface")
            surface.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(0, 0, 0))
            surface.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(1.0)
            shines = surface.CreateInput("emissiveColor", Sdf.ValueTypeNames.Color3f)
            opacity = surface.CreateInput("opacity", Sdf.ValueTypeNames.Float)
            plain = one.pbrMetallicRoughness
            red, green, blue, alpha = plain.baseColorFactor or [1.0] * 4
            if plain.baseColorTexture is None:
                shines.Set(Gf.Vec3f(red, green, blue))
                opacity.Set(alpha)
            else:
                source = self.file.textures[plain.baseColorTexture.index].source
                image = f"picture{number}.png"
                (folder / image).write_bytes(self.bytes_of(self.file.images[source].bufferView))
                texture = _texture(stage, path, image, alpha)
                shines.ConnectToSource(texture.ConnectableAPI(), "rgb")
                if one.alphaMode == "BLEND":
                    opacity.ConnectToSource(texture.ConnectableAPI(), "a")
            material.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
            out.append(material)
        return out

    def meshes(
        self, stage: Usd.Stage, materials: list[UsdShade.Material], rate: float, begins: int
    ) -> None:
        nodes = {}
        for number, node in enumerate(self.file.nodes):
            if node.mesh is None:
                continue
            group = _named(UsdGeom.Xform, stage, "/World/Scene", node.name)
            nodes[number] = group
            _stand(group, node)
            for k, part in enumerate(self.file.meshes[node.mesh].primitives):
                mesh = UsdGeom.Mesh.Define(stage, group.GetPath().AppendChild(f"part{k}"))
                self._mesh(mesh, part)
                UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(materials[part.material])
        for one in self.file.animations:
            for channel in one.channels:
                if channel.target.node in nodes:
                    sampler = one.samplers[channel.sampler]
                    times, values = self.array(sampler.input), self.array(sampler.output)
                    group = nodes[channel.target.node]
                    _move(group, channel.target.path, begins + times[:, 0] * rate, values)

    def _mesh(self, mesh: UsdGeom.Mesh, part: gl.Primitive) -> None:
        points = self.array(part.attributes.POSITION)
        corners = self.array(part.indices)[:, 0].astype(np.int32)
        mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(points)))
        mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(corners))
        threes = np.full(len(corners) // 3, 3, np.int32)
        mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(threes))
        mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        mesh.CreateDoubleSidedAttr(True)
        box = Vt.Vec3fArray.FromNumpy(np.stack([points.min(axis=0), points.max(axis=0)]))
        mesh.CreateExtentAttr(box)
        if part.attributes.NORMAL is not None:
            normals = np.ascontiguousarray(self.array(part.attributes.NORMAL))
            mesh.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(normals))
            mesh.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
        if part.attributes.TEXCOORD_0 is not None:
            uv = self.array(part.attributes.TEXCOORD_0) * [1, -1] + [0, 1]  # its rows go up
            st = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar(
                "st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.vertex
            )
            st.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(uv, np.float32)))


def _texture(stage: Usd.Stage, path: str, image: str, alpha: float) -> UsdShade.Shader:
    places = UsdShade.Shader.Define(stage, f"{path}/places")
    places.CreateIdAttr("UsdPrimvarReader_float2")
    places.CreateInput("varname", Sdf.ValueTypeNames.String).Set("st")
    out = UsdShade.Shader.Define(stage, f"{path}/picture")
    out.CreateIdAttr("UsdUVTexture")
    out.CreateInput("file", Sdf.ValueTypeNames.Asset).Set(Sdf.AssetPath(image))
    out.CreateInput("sourceColorSpace", Sdf.ValueTypeNames.Token).Set("sRGB")
    out.CreateInput("wrapS", Sdf.ValueTypeNames.Token).Set("clamp")
    out.CreateInput("wrapT", Sdf.ValueTypeNames.Token).Set("clamp")
    out.CreateInput("scale", Sdf.ValueTypeNames.Float4).Set(Gf.Vec4f(1, 1, 1, alpha))
    out.CreateInput("st", Sdf.ValueTypeNames.Float2).ConnectToSource(
        places.ConnectableAPI(), "result"
    )
    return out


def _stand(group: UsdGeom.Xform, node: gl.Node) -> None:
    group.AddTranslateOp().Set(Gf.Vec3d(*(node.translation or [0.0, 0.0, 0.0])))
    x, y, z, w = node.rotation or [0.0, 0.0, 0.0, 1.0]
    group.AddOrientOp().Set(Gf.Quatf(w, x, y, z))
    group.AddScaleOp().Set(Gf.Vec3f(*(node.scale or [1.0, 1.0, 1.0])))


def _move(group: UsdGeom.Xform, path: str, times: Floats, values: Floats) -> None:
    ops = {op.GetOpType(): op for op in group.GetOrderedXformOps()}
    for time, row in zip(np.round(times).tolist(), values.tolist(), strict=True):
        if path == "translation":
            ops[UsdGeom.XformOp.TypeTranslate].Set(Gf.Vec3d(*row), time)
        elif path == "rotation":
            x, y, z, w = row
            ops[UsdGeom.XformOp.TypeOrient].Set(Gf.Quatf(w, x, y, z), time)


def _camera(
    stage: Usd.Stage, name: str, over_time: list[Camera], near: float, begins: int = 0
) -> None:
    """A camera at one frame after another, the first of number begins; of one camera, at all."""
    camera = _named(UsdGeom.Camera, stage, "/World/Cameras", name)
    place = camera.AddTransformOp()
    focal = camera.CreateFocalLengthAttr()
    camera.CreateClippingRangeAttr(Gf.Vec2f(near, FARTHEST))
    first = over_time[0]
    mm = APERTURE / first.width
    camera.CreateHorizontalApertureAttr(APERTURE)
    camera.CreateVerticalApertureAttr(first.height * mm)
    # how far the middle of the frame is off the optical axis, to the right and up
    camera.CreateHorizontalApertureOffsetAttr((first.width / 2 - first.cx) * mm)
    camera.CreateVerticalApertureOffsetAttr((first.cy - first.height / 2) * mm)
    moves = len(over_time) > 1
    for number, one in enumerate(over_time):
        time = Usd.TimeCode(begins + number) if moves else Usd.TimeCode.Default()
        matrix = np.eye(4)
        matrix[:3, :3], matrix[3, :3] = one.rotation, one.position  # by rows, as USD has them
        place.Set(Gf.Matrix4d(matrix.tolist()), time)
        focal.Set(one.focal_px * mm, time)


def _lights(stage: Usd.Stage, scene: Scene) -> None:
    """Suns and lamps that are on, as at the first frame. A white surface that faces a light gives
    back 1 / pi of what comes to it."""
    for one in moments(scene, np.zeros(1))[0].lights:
        if not one.on or not isinstance(one, Sun | Lamp) or one.does == "shades":
            continue
        energy = energy_of(one)
        most = max(float(energy.max()), 1e-9)
        light: Any
        if isinstance(one, Sun):
            light = _named(UsdLux.DistantLight, stage, "/World/Lights", one.name)
            light.CreateAngleAttr(one.size_deg)
            light.CreateNormalizeAttr(True)
            light.CreateIntensityAttr(math.pi * most)
            matrix = np.eye(4)
            matrix[:3, :3] = ahead_of(one).T
            light.AddTransformOp().Set(Gf.Matrix4d(matrix.tolist()))
        else:
            light = _named(UsdLux.SphereLight, stage, "/World/Lights", one.name)
            radius = max(one.radius_m, LEAST_RADIUS)
            light.CreateRadiusAttr(radius)
            light.CreateIntensityAttr(most / radius**2)
            light.AddTranslateOp().Set(Gf.Vec3d(one.x, one.level_m, one.z))
        light.CreateColorAttr(Gf.Vec3f(*(energy / most).tolist()))
