"""Sightings for pipelines, one JSON line each."""

import json
import time

import numpy as np
import pytest
from typer.testing import CliRunner

from jade_lantern.cli import app
from jade_lantern.core.sight.request import answered
from jade_lantern.demo.project import DATUM, EDGES, seen
from jade_lantern.demo.world import EYE_HEIGHT_M, lens


def request(**more):
    camera = lens()
    traces = [{"heading": h, "points": [seen(camera, a), seen(camera, b)]} for h, a, b in EDGES]
    return {"image": {"width": camera.width, "height": camera.height}, "traces": traces, **more}


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
