"""Changes as a client may send them, sensible or not."""

from __future__ import annotations

import random


def any_change(chance: random.Random) -> dict:
    """A change with plausible, borderline and absurd numbers, of every magnitude."""

    def number() -> float:
        if chance.random() < 0.4:
            return chance.choice([-1, 1]) * 10 ** chance.uniform(-12, 9)
        return chance.choice([0, -1, 1e-9, 0.5, 7, 900, 1279.5, 1e5, -1e5, 1e6, 1e7, -1e7, 1e300])

    def point() -> list[float]:
        if chance.random() < 0.5:
            return [chance.uniform(0, 1920), chance.uniform(0, 1280)]
        return [number(), number()]

    def place() -> list[float]:
        return [number(), number(), number()]

    def pick() -> object:
        if chance.random() < 0.7:
            return point()
        return {"origin": place(), "direction": place()}

    def key() -> dict:
        return {"frame": frame, "position": place(), "aim": place(), "roll_deg": number(),
                "focal_mm": chance.choice([2, 30, 2000, number()]),
                "ease": chance.choice(["none", "out", "in", "both"])}  # fmt: skip

    proxy = chance.choice(["box-24", "box-24", "floor-13", "drum-29", "backdrop-35", "box-99", "x"])
    other = chance.choice(["box-25", "floor-14", "drum-30", "outline-36", "solid-37"])
    frame = chance.choice([0, 1, 40, 95, 96, -3, 10**9])
    numbers = ("x", "z", "level_m", "turn_deg", "width_m", "depth_m", "height_m", "radius_m",
               "distance_m", "margin")  # fmt: skip
    return chance.choice(
        [
            {"verb": "AddTrace", "heading": chance.choice(["up", "away"]),
             "points": [point(), point()]},
            {"verb": "MoveTraceEnd", "trace": "trace-1", "end": chance.choice([0, 1, 7]),
             "to": point()},
            {"verb": "DeleteTrace", "trace": chance.choice(["trace-2", "trace-77"])},
            {"verb": "SetDatum", "point": chance.choice([None, point()])},
            {"verb": "SetEyeHeight", "metres": chance.choice([None, number()])},
            {"verb": "AddTape", "points": [point(), point()], "length_m": number()},
            {"verb": "SetFocal", "focal": {"value": number(), "sigma": number()}},
            {"verb": "SetLock", "locked": chance.random() < 0.3},
            {"verb": "DrawTrace", "heading": "up", "points": [point(), point()], "reach": number(),
             "by_direction": chance.random() < 0.5},
            {"verb": "PullTraceEnd", "trace": "trace-3", "end": 1, "to": point(), "reach": 4},
            {"verb": "FollowEdge", "trace": chance.choice(["trace-4", "trace-99"]), "reach": 8},
            {"verb": "TakeSpread"},
            {"verb": "TakeAdvised"},
            {"verb": "LayRectangle", "points": [point() for _ in range(4)], "aspect": number()},
            {"verb": "TrustHeading", "heading": "across", "trust": number()},
            {"verb": "SetPrincipal", "principal": chance.choice([None, "solve", point()])},
            {"verb": "SetBend", "bend": chance.choice([None, "solve", {"k1": number()}])},
            {"verb": "GiveFocal", "focal_mm": number(), "crop": number()},
            {"verb": "StartByEye"},
            {"verb": "SetByEye", "by_eye": None},
            {"verb": "PullByEye", "what": chance.choice(["horizon", "tilt", "ground", "focal"]),
             "start": point(), "end": point()},
            {"verb": "SetLevel", "level": chance.random() < 0.3},
            {"verb": "TurnWays", "by": chance.choice(["left", "right", "round", "swap"])},
            {"verb": "MarkCorner", "traces": ["trace-1", chance.choice(["trace-5", "trace-88"])]},
            {"verb": "SetDistance", "metres": chance.choice([None, number()])},
            {"verb": "LayTape", "points": [point(), point()], "length_m": number(),
             "on": chance.choice(["ground", "up", "proxy"])},
            {"verb": "KeepSighting", "name": chance.choice(["a", ""])},
            {"verb": "UseSighting", "kept": "sighting-36"},
            {"verb": "GoBackToBuilt"},
            {"verb": "AcceptSighting"},
            {"verb": "Stand", "kind": chance.choice(["card", "box", "drum", "floor"]),
             "feet": [pick() for _ in range(chance.choice([1, 2, 3]))], "top": pick()},
            {"verb": "Slide", "proxy": proxy, "start": pick(), "end": pick()},
            {"verb": "PullCorner", "proxy": proxy, "corner": chance.randrange(5), "to": pick()},
            {"verb": "Raise", "proxy": proxy, "to": pick()},
            {"verb": "Swing", "proxy": proxy, "start": pick(), "end": pick()},
            {"verb": "AlterProxy", "proxy": proxy, "to": {chance.choice(numbers): number()}},
            {"verb": "AlterProxy", "proxy": proxy, "to": {chance.choice(numbers): number()}},
            {"verb": "AlterProxy", "proxy": proxy, "to": {"name": "n" * chance.choice([0, 9, 99])}},
            *block_changes(chance, proxy, other, number, pick),
            {"verb": "DuplicateProxy", "proxy": proxy},
            {"verb": "DeleteProxy", "proxy": proxy},
            {"verb": "Hang", "distance_m": number()},
            {"verb": "LayGround", "distance_m": chance.choice([None, number()])},
            {"verb": "SetKey", "key": key()},
            {"verb": "SetKeys", "keys": [key(), key()]},
            *cast_changes(chance, proxy, other, number),
            {"verb": "Push", "distance_m": number()},
            {"verb": "KeyHere", "frame": frame, "forward_m": number(), "tilt_deg": number(),
             "right_m": number(), "turn_deg": number()},
            {"verb": "ShiftKey", "frame": 0, "to": frame},
            {"verb": "DeleteKey", "frame": frame},
            {"verb": "SetShot", "fps": number(), "frames": chance.choice([0, 1, 96, 10**7])},
        ]
    )  # fmt: skip


def cast_changes(chance: random.Random, proxy: str, other: str, number) -> list[dict]:
    """Changes of lanterns and of the sheet."""
    lantern = chance.choice(["lantern-0", "lantern-0", "lantern-37", "lantern-38", "lantern-99"])
    row = {"proxy": proxy, "lanterns": chance.choice([[], [lantern], ["lantern-0", lantern]])}
    face = {"proxy": other, "face": chance.choice([1, 2, 99]), "lanterns": [lantern]}
    view = {"position": [number(), number(), number()], "focal_mm": number(), "width": 320,
            "height": 200, "yaw_deg": number()}  # fmt: skip
    to = chance.choice([
        {"edge": chance.choice(["hold", "mirror", "stop"])}, {"through": chance.random() < 0.5},
        {"strength": number()}, {"name": chance.choice(["still", "a", ""])}, {"view": view},
        {"view": None}, {"window": {"left": number(), "top": 0, "width": number(), "height": 9}},
    ])  # fmt: skip
    return [
        {"verb": "AddLantern", "name": chance.choice(["b", "c", ""])},
        {"verb": "AlterLantern", "lantern": lantern, "to": to},
        {"verb": "AlterLantern", "lantern": lantern, "to": to},
        {"verb": "DeleteLantern", "lantern": lantern},
        {"verb": "MoveLantern", "lantern": lantern, "before": chance.choice([None, "lantern-0"])},
        {"verb": "CastOn", "rows": [row, face]},
        {"verb": "CastOn", "rows": [row]},
        {"verb": "CastOn", "cleared": [row]},
        {"verb": "Glaze", "proxies": [proxy]},
        {"verb": "Glaze", "proxies": ["box-24", "box-25"]},
        {"verb": "Unglaze", "proxies": [proxy]},
        {"verb": "Squash", "to": chance.choice([0.01, 0.5, 3, number()])},
        {"verb": "Squash", "proxies": [proxy], "to": 0.7},
        {"verb": "AddFlat", "proxy": proxy, "face": chance.choice([1, 2, 6, 400])},
        {"verb": "TakeSplit"},
        {"verb": "UseEarlier", "lantern": lantern, "number": 0},
    ]


def block_changes(chance: random.Random, proxy: str, other: str, number, pick) -> list[dict]:
    """Changes of Block that work on parts, on several proxies, and between two."""
    some = chance.choice([1, 2, 5, 99])
    part = chance.choice([{"face": some}, {"corner": some}, {"edge": [some, some + 1]}, {}])
    way = chance.choice(["face", "level", "sight", "view", "across", "up", "A"])
    picks = [pick() for _ in range(chance.choice([2, 3, 6]))]
    weld = [{"proxy": proxy, "corner": 1}, {"proxy": other, "corner": some}]
    row = chance.choice([None, {"step_m": number(), "count": some}])
    sizes = {"by": chance.choice([None, number()]), "to_m": chance.choice([None, number()])}
    return [
        {"verb": "PushFace", "proxy": proxy, "face": some, "by_m": number()},
        {"verb": "SetIn", "proxy": proxy, "face": some, "margin_m": number()},
        {"verb": "SetIn", "proxy": proxy, "face": some, "outline": picks},
        {"verb": "DropFaces", "proxy": proxy, "faces": [some]},
        {"verb": "CloseOff", "proxy": proxy},
        {"verb": "Cut", "proxy": proxy, "line": picks, "drop": chance.choice([None, pick()]),
         "face": chance.choice([None, some])},
        {"verb": "OpenHole", "proxy": proxy, "shape": other, "well_m": abs(number())},
        {"verb": "Thicken", "proxy": proxy, "by_m": number()},
        {"verb": "PullPart", "proxy": proxy, "part": part, "to": pick(), "along": way,
         "catch_px": 9, "weld": chance.random() < 0.5},
        {"verb": "WeldCorners", "corners": weld},
        {"verb": "Reach", "proxy": proxy, "part": chance.choice([None, part]), **sizes,
         "onto": chance.choice([None, other]), "catch": chance.random() < 0.5},
        {"verb": "StretchSpan", "between": [proxy, other], "capped": chance.random() < 0.5},
        {"verb": "StretchSpan", "first": picks, "second": picks[::-1]},
        {"verb": "CutOutline", "feet": picks[:2], "outline": [*picks, pick()],
         "thickness_m": abs(number()), "curved": [some]},
        {"verb": "Turn", "proxy": proxy, "by_deg": number(), "about": "left"},
        {"verb": "SettleOnto", "proxy": proxy},
        {"verb": "AlignTo", "proxy": proxy, "to": other},
        {"verb": "ShapeDrum", "proxy": proxy, "rim": picks},
        {"verb": "RunOver", "proxy": proxy, "px": number()},
        {"verb": "MeetEdges", "proxy": proxy, "other": other, "px": number()},
        {"verb": "MirrorAcross", "proxy": proxy, "along": way},
        {"verb": "RowAlong", "proxy": proxy, "along": "across", "step_m": number(), "count": some},
        {"verb": "AlterProxy", "proxy": proxy, "to": {"row": row}},
        {"verb": "BreakOff", "proxy": proxy},
        {"verb": "ReadOff", "what": chance.choice(["length", "angle", "area"]), "at": picks},
        {"verb": "AlterProxies", "proxies": [proxy, other], "to": {"group": "g", "locked": False}},
        {"verb": "Reorder", "proxies": [proxy], "before": chance.choice([None, other])},
    ]  # fmt: skip
