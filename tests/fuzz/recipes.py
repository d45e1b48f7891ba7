"""Changes that want others before them, so that chance alone seldom gets there: each list is made
from the same start, and an id that begins with @ is the newest thing of that kind."""

from __future__ import annotations

from typing import Any

import numpy as np

from jade_lantern.core.camera import focal_35mm, tilt_roll_yaw
from jade_lantern.core.scene.check import ids_in
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.sight.measure import required_camera

Recipe = list[dict[str, Any]]


def recipes(scene: Scene) -> list[Recipe]:
    """For the quay, unlocked."""
    camera = required_camera(scene)

    def pixels(*points: tuple[float, float, float]) -> list[list[float]]:
        found: list[list[float]] = camera.project(np.array(points, float))[0].tolist()
        return found

    box = next(p for p in scene.proxies if p.id == "box-24")
    floor = next(p for p in scene.proxies if p.kind == "floor")
    turn, foot = box.frame()
    w, d, h = box.width_m / 2, box.depth_m / 2, box.height_m
    front = [tuple(turn @ np.array(at) + foot) for at in ((-w, h / 2, d), (w, h / 2, d))]
    (middle,) = pixels(tuple(turn @ np.array((0, h / 2, d)) + foot))
    x, z, level = floor.x + 0.5, -6.0, floor.level_m
    ring = [(x + 0.3 * np.cos(a), level, z + 0.3 * np.sin(a)) for a in np.linspace(0, 6, 12)]
    feet = pixels((x - 0.5, 0, z), (x + 0.5, 0, z))
    corners = pixels((x - 0.5, 0, z), (x + 0.5, 0, z), (x, 1.2, z))
    plate = scene.plate.model_dump(mode="json")
    tilt, roll, yaw = tilt_roll_yaw(camera.rotation)
    focal = focal_35mm(camera.focal_px, camera.width, camera.height)
    at = {"id": "card-0", "z": -4.0, "width_m": 2.0, "height_m": 2.0}
    wall = {"kind": "card", **at, "name": "sheet one", "x": -2.0}
    other = {"kind": "card", **at, "name": "sheet two", "x": -2.0, "z": -5.0}
    short = {"kind": "floor", "id": "floor-0", "name": "short", "x": -2.0, "z": -2.02,
             "width_m": 1.5, "depth_m": 3.94}  # fmt: skip
    bar = {"kind": "box", "id": "box-0", "name": "bar", "x": -2.0, "z": -4.0, "width_m": 0.5,
           "depth_m": 2.0, "height_m": 0.5, "level_m": 0.5}  # fmt: skip

    words = {"kind": "words", "id": "new-0", "name": "title", "text": "Quay", "height_m": 0.5}
    card = {"kind": "picture", "id": "new-0", "name": "clip", "height_m": 1.0, "z": -4.0}
    clip = {"count": 5, "rate": 24.0}

    # one thing before the floor is as much of a fill as all of them, in a tenth of the time
    others = [p.id for p in scene.proxies if p not in (box, floor)]

    def stood(*proxies: dict[str, Any]) -> dict[str, Any]:
        return {"verb": "AddProxies", "proxies": list(proxies), "said": "Stand"}

    return [
        [{"verb": "SetBend", "bend": {"k1": -0.03, "k2": 0.0}}, {"verb": "Flatten"},
         {"verb": "BendBack"}],
        [{"verb": "ReplaceStill", "plate": {**plate, "digest": "1" * 64}, "scale": 1.0},
         {"verb": "BringStillBack", "number": 0}],
        [{"verb": "BringCamera", "camera": {
            "name": "walk", "position": [0, 1.6, 0], "focal_px": 1500, "centre": [960, 640],
            "axes": [[1, 0, 0], [0, 1, 0], [0, 0, 1]]}}, {"verb": "LetCameraGo"}],
        [{"verb": "LayRectangle", "points": [[1480, 595], [1850, 560], [1850, 980], [1480, 945]]},
         {"verb": "AlterRectangle", "rectangle": "@rectangle", "aspect": 1.2}],
        [{"verb": "Stand", "kind": "card", "feet": feet, "top": corners[2]}],
        [{"verb": "CutOutline", "feet": feet, "outline": corners}],
        [{"verb": "GrowOutline", "feet": feet, "inside": [[960, 900]]}],
        [{"verb": "TraceOutline", "feet": feet, "outline": corners}],
        [{"verb": "RowAlong", "proxy": "box-24", "along": "across", "count": 3, "step_m": 1.0},
         {"verb": "BreakOff", "proxy": "box-24"}],
        [{"verb": "PushFace", "proxy": "box-24", "face": 1, "by_m": 0.1},
         {"verb": "Cut", "proxy": "box-24", "line": pixels(*front)}],
        [stood(wall, bar), {"verb": "OpenHole", "proxy": "@card", "shape": "@box"}],
        [stood(wall, other), {"verb": "StretchSpan", "between": ["@card", "card-36"]}],
        [stood(wall), {"verb": "Thicken", "proxy": "@card", "by_m": 0.2}],
        [stood(wall, short), {"verb": "MeetEdges", "proxy": "@floor", "other": "@card", "px": 40}],
        [{"verb": "Glaze", "proxies": ["box-24"]},
         {"verb": "PutGlazed", "proxies": [box.model_dump(mode="json")], "glazed": [],
          "said": "As it was"}],
        [{"verb": "Borrow", "lantern": "lantern-0", "proxy": floor.id, "outline": pixels(*ring),
          "source": pixels((x - 0.8, level, z + 0.4))[0], "target": pixels((x, level, z))[0]}],
        [{"verb": "ReplaceStill", "scale": 1.0, "plate": {
            **plate, "digest": "2" * 64, "playing": {"count": 3, "rate": 24.0}}},
         {"verb": "BringCamera", "passed": {"name": "walk", "frames": 3 * [{
             "position": camera.position.tolist(), "axes": camera.rotation.tolist(),
             "focal_mm": focal}]}},
         {"verb": "AddLantern", "name": "aside", "view": {
             "position": camera.position.tolist(), "tilt_deg": tilt, "roll_deg": roll,
             "yaw_deg": yaw, "focal_mm": focal, "width": 240, "height": 160}},
         {"verb": "Gather", "lantern": "@lantern"}],
        [{"verb": "PutLanterns", "said": "Paint", "lanterns": [
            {"id": "lantern-0", "name": "still", "plate": {**plate, "digest": "3" * 64}}]},
         {"verb": "PlacePhotograph", "lantern": "lantern-0"}],
        [{"verb": "PutLanterns", "said": "Paint", "lanterns": [
            {"id": "lantern-0", "name": "still", "plate": plate, "earlier": [plate]}]},
         {"verb": "UseEarlier", "lantern": "lantern-0", "number": 0}],
        [{"verb": "PutLanterns", "said": "Paint", "lanterns": [
            {"id": "lantern-0", "name": "still",
             "plate": {**plate, "playing": {"count": 5, "rate": 24.0}}}]},
         {"verb": "Play", "plate": plate["digest"], "rate": 12.0, "offset": 3.0,
          "rests": [{"frame": 8, "frames": 2}], "begins": 1, "ends": 3},
         {"verb": "TakePicture", "lantern": "lantern-0", "frame": 4}],
        [{"verb": "LayFootage", "over": False, "lantern": {
            "id": "lantern-0", "name": "smoke",
            "plate": {**plate, "playing": {"count": 5, "rate": 24.0}}}}],
        [{"verb": "ShiftKey", "frame": scene.move.aim[-1].frame, "to": 40}],
        [{"verb": "AimAt", "frame": 5, "proxy": "box-24", "throughout": True},
         {"verb": "AlterProxy", "proxy": "box-24", "to": {"turn_deg": 12.0}}],
        [{"verb": "Push", "distance_m": 0.5}, {"verb": "Drive", "amount": 1.2},
         {"verb": "Drift", "sway_m": 0.01}, {"verb": "CutTo", "width": 640, "height": 360},
         {"verb": "SetFrame", "frame": None},
         {"verb": "RetimeKeys", "first": 0, "last": 95, "to_first": 10, "to_last": 60},
         {"verb": "KeepWithin", "tolerance": {"most": 0.02}}],
        [{"verb": "LowPass", "distance_m": 1.0, "height_m": 1.0},
         {"verb": "Steer", "frame": 95, "steps": [{"right_m": 0.1, "turn_deg": 3.0}]}],
        [{"verb": verb, "distance_m": 0.5} for verb in ("Truck", "Rise", "Against")],
        [{"verb": "PutShot", "called": "Nothing"}],
        [{"verb": "TurnOnEdge", "proxy": "box-24", "by_deg": 20.0, "side": "far top"}],
        [{"verb": "SwingOnEdge", "proxy": "box-24", "start": middle,
          "end": [middle[0] + 9, middle[1]]}],
        [{"verb": "OpenOn", "proxy": "box-24", "by_deg": 40.0, "first": 0, "last": 50},
         {"verb": "KeyProxy", "proxy": "box-24", "frame": 20, "x": 1.0},
         {"verb": "PutTracks", "part": "box-24", "keys": {"z": [{"frame": 0, "value": -4.0}]}},
         {"verb": "HoldStill", "part": "box-24"}],
        [{"verb": "Arc", "angle_deg": 5.0},
         {"verb": "SetShotTrack", "of": "roll_deg", "keys": [{"frame": 0, "value": 2.0}]}],
        [{"verb": "AlterProxies", "proxies": ["box-24", "box-25"], "to": {"hidden": True}}],
        [{"verb": "PickLamp", "at": middle},
         {"verb": "AlterLight", "light": "@light", "to": {"strength": 2.0, "does": "replaces"}},
         {"verb": "CarryLamp", "light": "@light", "way": "level",
          "to": {"origin": [0, 6, 0], "direction": [-1, -4, -5]}},
         {"verb": "SetTrack", "part": "@light", "of": "strength",
          "keys": [{"frame": 0, "value": 0.0}, {"frame": 30, "value": 1.0}]},
         {"verb": "DeleteLight", "light": "@light"}],
        [{"verb": "AddLight", "light": {"kind": "sun", "id": "light-0", "name": "sun"}},
         {"verb": "AimSun", "light": "@light", "tip": middle, "shadow": feet[0]},
         {"verb": "SetHaze", "haze": {"density": 0.05, "fall_m": 2.0}},
         {"verb": "Block", "light": "@light", "proxies": ["box-24"]},
         {"verb": "SetDarkening", "darkening": {"strength": 0.8, "reach_m": 0.5}},
         {"verb": "SetRelief", "lantern": "lantern-0", "relief": {"depth": 2.0}},
         {"verb": "SetLook", "look": {"contrast": 1.2, "every": [[0, 0], [0.5, 0.4], [1, 1]]}},
         {"verb": "SetLook", "look": {"contrast": 0.8, "of": "thrown"}}],
        [{"verb": "StandGuest", "guest": {**words, "later": 2.0}, "at": feet[0]},
         {"verb": "CarryGuest", "guest": "@guest", "to": feet[1]},
         {"verb": "SizeGuest", "guest": "@guest", "top": corners[2]},
         {"verb": "SetTrack", "part": "@guest", "of": "level_m",
          "keys": [{"frame": 0, "value": 0.0}, {"frame": 30, "value": 1.0}]},
         {"verb": "AlterGuest", "guest": "@guest", "to": {"facing": True, "glow": 0.5}},
         {"verb": "DuplicateGuest", "guest": "@guest"},
         {"verb": "DeleteGuest", "guest": "@guest"}],
        [{"verb": "AddGuest", "guest": {**card, "plate": {**plate, "playing": clip}}},
         {"verb": "PlayGuest", "guest": "@guest", "offset": 6.0, "rate": 12.0, "loops": True},
         {"verb": "AlterGuest", "guest": "@guest",
          "to": {"mixing": "sum", "soft": 0.2, "row": {"step_m": 1.0, "count": 3}}}],
        [{"verb": "AlterProxies", "proxies": others, "to": {"hidden": True}},
         {"verb": "TakeSplit"}, {"verb": "Fill", "lanterns": ["@lantern"]}],
    ]  # fmt: skip


def named(change: Any, scene: Scene) -> Any:
    """A change with the ids that its placeholders stand for."""
    if isinstance(change, dict):
        return {name: named(value, scene) for name, value in change.items()}
    if isinstance(change, list):
        return [named(value, scene) for value in change]
    if isinstance(change, str) and change.startswith("@"):
        own = [i for i in ids_in(scene) if i.startswith(change[1:] + "-")]
        return max(own, key=lambda i: int(i.rpartition("-")[2]), default="box-99999")
    return change
