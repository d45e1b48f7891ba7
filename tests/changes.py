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
            {"verb": "DuplicateProxy", "proxy": proxy},
            {"verb": "DeleteProxy", "proxy": proxy},
            {"verb": "Hang", "distance_m": number()},
            {"verb": "LayGround", "distance_m": chance.choice([None, number()])},
            {"verb": "SetKey", "key": key()},
            {"verb": "SetKeys", "keys": [key(), key()]},
            {"verb": "SetEdge", "edge": "hold"},
            {"verb": "Push", "distance_m": number()},
            {"verb": "KeyHere", "frame": frame, "forward_m": number(), "tilt_deg": number(),
             "right_m": number(), "turn_deg": number()},
            {"verb": "ShiftKey", "frame": 0, "to": frame},
            {"verb": "DeleteKey", "frame": frame},
            {"verb": "SetShot", "fps": number(), "frames": chance.choice([0, 1, 96, 10**7])},
        ]
    )  # fmt: skip
