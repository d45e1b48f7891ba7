"""What Sight asks of the studio beside changes: proposals, opinions, sensors."""

import numpy as np
import pytest

from jade_lantern.demo.world import lens


def test_the_proposal_is_of_the_revision_that_is_asked_for(api, project):
    at = f"projects/{project.pk}/proposal?revision="
    locked = api.get(f"{at}0").json()
    ends = np.array([(edge["a"], edge["b"]) for edge in locked["edges"]])
    assert len(ends) > 50
    assert (ends >= 0).all()
    assert (ends <= [lens().width, lens().height]).all()
    trace = api.whole(project.pk)["scene"]["sighting"]["traces"][0]
    api.keep(project.pk, 0, verb="SetLock", locked=False)
    api.keep(project.pk, 1, verb="DeleteTrace", trace=trace["id"])
    assert api.get(f"{at}2").json() != locked
    assert api.get(f"{at}0").json() == locked
    assert api.get(f"{at}9").status_code == 404
    assert api.get(f"{at}-1").status_code == 422


def test_each_two_headings_say_nearly_the_truth(api, project):
    said = api.get(f"projects/{project.pk}/opinions?revision=0").json()
    assert len(said) >= 2
    for opinion in said:
        off = abs(opinion["focal_px"] - lens().focal_px)
        assert off < 4 * opinion["focal_px_sigma"] + 1
        a, b, c = opinion["horizon"]
        x = lens().width / 2
        assert np.hypot(a, b) == pytest.approx(1)
        # the horizon crosses the picture's middle where the true one does
        rays = lens().rays(np.array([[x, -(a * x + c) / b]]))
        assert abs(rays[0, 1] / np.linalg.norm(rays[0])) < 0.01


def test_sensors_have_a_crop_that_is_theirs(api):
    for sensor in api.get("sensors").json():
        assert sensor["crop"] == pytest.approx(
            36 / max(sensor["width_mm"], sensor["height_mm"]), rel=0.02
        ) or sensor["crop"] == pytest.approx(
            np.hypot(36, 24) / np.hypot(sensor["width_mm"], sensor["height_mm"]), rel=0.02
        )
