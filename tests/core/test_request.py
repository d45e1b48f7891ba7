"""Sightings for pipelines, one JSON line each."""

import json
import time
from dataclasses import replace

import cv2
import numpy as np
import pytest
from typer.testing import CliRunner

from jade_lantern.cli import app
from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.sight.request import answered
from jade_lantern.demo.made import HEIGHT, WIDTH, bent_by, made_traces
from jade_lantern.demo.project import DATUM, EDGES, seen
from jade_lantern.demo.world import EYE_HEIGHT_M, lens


def request(**more):
    camera = lens()
    traces = [{"heading": h, "points": [seen(camera, a), seen(camera, b)]} for h, a, b in EDGES]
    size = {"width": camera.width, "height": camera.height}
    return {"image": size, "traces": traces, "made": "render", **more}


def test_the_demo_camera_is_answered_exactly():
    truth = lens()
    answer = answered(request(datum=seen(truth, DATUM), eye_height_m=EYE_HEIGHT_M))
    assert answer["focal_px"] == pytest.approx(truth.focal_px, rel=1e-6)
    assert answer["focal_35mm"] == pytest.approx(32)
    assert np.allclose(answer["rotation"], truth.rotation, atol=1e-6)
    assert np.allclose(answer["position"], truth.position - DATUM, atol=1e-4)
    assert (answer["tilt_deg"], answer["roll_deg"]) == pytest.approx((4.2, 0.9), abs=1e-4)
    assert answer["verdict"] == "True"
    assert answer["principal_point"] == [960, 640]
    assert [t["disagrees"] for t in answer["traces"]] == [False] * len(EDGES)


def test_a_tape_sets_the_size_as_an_eye_height_does():
    truth = lens()
    tape = {
        "points": [seen(truth, (0, 0, -6)), seen(truth, (0, 0, -9))],
        "length_m": 3.0,
        "on": "ground",
    }
    answer = answered(request(datum=seen(truth, DATUM), tapes=[tape]))
    assert answer["position"][1] == pytest.approx(EYE_HEIGHT_M, rel=1e-5)


def test_nothing_that_is_not_set_is_made_up():
    assert answered(request())["position"] is None
    assert answered(request(eye_height_m=1.6))["position"] is None


UP = {"heading": "up", "points": [[0, 0], [1, 500]]}


@pytest.mark.parametrize(
    ("bad", "word"),
    [
        (5, "valid dict"),
        ({}, "image"),
        (request(image={"width": 0, "height": 5}), "width"),
        (request(traces=[UP, {**UP, "points": [[9, 0], [9, 500]]}]), "one way"),
        (request(traces=[{**UP, "points": [[5, 5], [5, 5]]}]), "no length"),
        (request(traces=[UP, UP]), "on top of each other"),
        (request(datum=[900, 50], eye_height_m=1.6), "above the horizon"),
        (request(datum=[900, 1200], eye_height_m=0), "eye height m"),
        (request(focal_px={"value": float("nan"), "sigma": 1}), "value"),
        (request(surprise=1), "surprise"),
    ],
)
def test_a_bad_request_is_answered_with_its_reason(bad, word):
    assert word in answered(bad)["error"]


def test_the_command_line_answers_each_request_in_order(tmp_path):
    good, bad = tmp_path / "good.json", tmp_path / "bad.json"
    good.write_text(json.dumps([request(), {"image": {}}, request()]))
    bad.write_text("{")
    done = CliRunner().invoke(app, ["sight", str(good), str(bad), str(tmp_path / "none.json")])
    lines = [json.loads(line) for line in done.stdout.splitlines()]
    assert ["error" in line for line in lines] == [False, True, False, True, True]
    assert done.exit_code == 1
    assert CliRunner().invoke(app, ["sight", str(good)]).exit_code == 1
    good.write_text(json.dumps(request()))
    assert CliRunner().invoke(app, ["sight", str(good)]).exit_code == 0


def test_three_hundred_requests_are_answered_while_one_waits(tmp_path):
    many = tmp_path / "many.json"
    many.write_text(json.dumps([request()] * 300))
    start = time.monotonic()
    done = CliRunner().invoke(app, ["sight", str(many)])
    assert len(done.stdout.splitlines()) == 300
    assert time.monotonic() - start < 60  # a guard against a blow-up, not a measure


def test_every_kind_of_still_is_answered_from_the_command_line(still_file):
    rng = np.random.default_rng(5)
    camera = Camera.centred(WIDTH, HEIGHT, 1400.0, rotation_of(20, 2, 40), np.zeros(3))
    camera = replace(camera, cx=camera.cx + 90, cy=camera.cy - 60)
    exact = made_traces(rng, camera, 24, 7)
    size = {"width": WIDTH, "height": HEIGHT}
    traces = [{"heading": h, "points": p} for h, p in exact]

    def asked(**more):
        return answered({"image": size, "traces": traces, **more})

    free = asked(principal_point="solve")
    assert free["principal_point"] == pytest.approx([camera.cx, camera.cy], abs=1)
    assert 0 < free["principal_point_sigma"][0] < 50
    given = asked(principal_point=[camera.cx, camera.cy])
    assert given["focal_px"] == pytest.approx(1400, rel=1e-4)
    assert given["tilt_deg"] == pytest.approx(20, abs=1e-3)
    assert 0 < given["tilt_deg_sigma"] < 1
    assert 0 < given["roll_deg_sigma"] < 1

    middle = replace(camera, cx=WIDTH / 2, cy=HEIGHT / 2)
    curved = bent_by(made_traces(rng, middle, 24, 7), middle, -0.08)
    kept = [t for t in curved if all(0 <= x <= WIDTH and 0 <= y <= HEIGHT for x, y in t[1])]
    bow = {"image": size, "traces": [{"heading": h, "points": p} for h, p in kept]}
    solved = answered({**bow, "lens": "solve"})
    assert solved["lens"]["k1"] == pytest.approx(-0.08, abs=0.005)
    assert solved["lens"]["k1_sigma"] > 0
    typed = answered({**bow, "lens": {"k1": -0.08, "k2": 0}})
    assert typed["focal_px"] == pytest.approx(1400, rel=1e-3)
    assert answered({**bow, "lens": {"k1": -4}})["error"].startswith("With k1")

    doubted = [{**t, "trust": 0.0} if t["heading"] == "away" else t for t in traces]
    assert "focal_px" in answered({"image": size, "traces": doubted, "focal_px": None})


def test_rectangles_and_upright_tapes_are_answered():
    camera = Camera.centred(WIDTH, HEIGHT, 1500.0, rotation_of(-6, 0, 30), np.array([0, 1.6, 0]))

    def seen(*points):
        return camera.project(np.array(points, float))[0].tolist()

    floor = seen((2, 0, -5), (4, 0, -5), (4, 0, -6), (2, 0, -6))
    wall = seen((2, 0, -6), (4, 0, -6), (4, 2.5, -6), (2, 2.5, -6))
    out = answered(
        {
            "image": {"width": WIDTH, "height": HEIGHT},
            "rectangles": [
                {"points": floor, "aspect": 2.0, "headings": ["across", "away"]},
                {"points": wall, "aspect": 0.8},
            ],
            "datum": seen((2, 0, -5))[0],
            "tapes": [{"points": seen((2, 0, -6), (2, 2.5, -6)), "length_m": 2.5, "on": "up"}],
        }
    )
    assert out["focal_px"] == pytest.approx(1500, rel=1e-4)
    assert out["position"] == pytest.approx([-2, 1.6, 5], abs=1e-3)
    assert set(out["rectangles"][1]["headings"]) == {"across", "up"}
    assert out["advice"]["heading"] in ("across", "up", "away")
    assert out["advice"]["focal_px_sigma_then"] < out["focal_px_sigma"]


def test_a_picture_is_sighted_by_its_own_edges(still_file, tmp_path):
    truth = lens()
    empty = tmp_path / "grey.png"
    cv2.imwrite(str(empty), np.full((200, 300, 3), 128, np.uint8))
    cut = tmp_path / "cut.png"
    cut.write_bytes(still_file.read_bytes()[:5000])
    done = CliRunner().invoke(app, ["sight", str(still_file), str(empty), str(cut)])
    first, second, third = (json.loads(line) for line in done.stdout.splitlines())
    assert first["focal_px"] == pytest.approx(truth.focal_px, rel=0.03)
    assert first["tilt_deg"] == pytest.approx(4.2, abs=0.5)
    assert first["roll_deg"] == pytest.approx(0.9, abs=0.5)
    assert len(first["traces"]) > 12
    assert {"misfit_px", "disagrees", "heading", "points"} <= set(first["traces"][0])
    assert "edges" in second["error"]
    assert "error" in third
    assert done.exit_code == 1
