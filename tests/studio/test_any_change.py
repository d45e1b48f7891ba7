"""Whatever a client sends, the answer is a new state or a reason, and what is stored is sound."""

import random

from jade_lantern.core.scene.document import read
from jade_lantern.studio.models import Revision


def any_change(chance: random.Random) -> dict:
    """A change with plausible, borderline and absurd numbers."""

    def number() -> float:
        return chance.choice([0, -1, 1e-9, 0.5, 7, 900, 1279.5, 1e5, -1e5, 1e300])

    def point() -> list[float]:
        return [number(), number()]

    proxy = chance.choice(["box-24", "floor-13", "drum-29", "backdrop-35", "box-99", "x"])
    frame = chance.choice([0, 1, 40, 95, 96, -3, 10**9])
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
             "feet": [point() for _ in range(chance.choice([1, 2, 3]))], "top": point()},
            {"verb": "Slide", "proxy": proxy, "start": point(), "end": point()},
            {"verb": "PullCorner", "proxy": proxy, "corner": chance.randrange(5), "to": point()},
            {"verb": "Raise", "proxy": proxy, "to": point()},
            {"verb": "Swing", "proxy": proxy, "start": point(), "end": point()},
            {"verb": "AlterProxy", "proxy": proxy, "to": {"height_m": number(), "x": number()}},
            {"verb": "DuplicateProxy", "proxy": proxy},
            {"verb": "DeleteProxy", "proxy": proxy},
            {"verb": "Hang", "distance_m": number()},
            {"verb": "LayGround"},
            {"verb": "Push", "distance_m": number()},
            {"verb": "KeyHere", "frame": frame, "forward_m": number(), "tilt_deg": number()},
            {"verb": "ShiftKey", "frame": 0, "to": frame},
            {"verb": "DeleteKey", "frame": frame},
            {"verb": "SetShot", "fps": number(), "frames": chance.choice([0, 1, 96, 10**7])},
        ]
    )  # fmt: skip


def test_any_change_is_kept_or_refused_in_words(api, project):
    chance = random.Random(1)
    revision, kept, refused = 0, 0, 0
    for _ in range(600):
        change = any_change(chance)
        tried = api.post(f"projects/{project.pk}/tries", base=revision, change=change)
        answer = api.keep(project.pk, revision, **change)
        assert answer.status_code in (200, 422), (change, answer.content)
        assert tried.status_code == answer.status_code, change
        if answer.status_code == 200:
            revision = answer.json()["revision"]
            kept += 1
        else:
            assert answer.json()["message"]
            refused += 1
    assert kept > 40
    assert refused > 40
    for row in Revision.objects.all():
        read(row.scene)
