import numpy as np
import pytest

from jade_lantern.core.camera import Camera, focal_35mm, rotation_of, tilt_roll_yaw


@pytest.mark.parametrize("angles", [(0, 0, 0), (4.2, 0.9, 21), (-30, 12, -170), (39, -14, 95)])
def test_tilt_roll_and_yaw_make_the_rotation_they_are_read_from(angles):
    rotation = rotation_of(*angles)
    assert np.allclose(rotation @ rotation.T, np.eye(3), atol=1e-12)
    assert np.isclose(np.linalg.det(rotation), 1)
    assert np.allclose(tilt_roll_yaw(rotation), angles, atol=1e-9)


def test_a_camera_tilted_up_sees_the_horizon_below_its_middle():
    camera = Camera.centred(300, 200, 250, rotation_of(10, 0, 0), np.zeros(3))
    (_, y), depth = camera.project(np.array([0.0, 0.0, -1e9]))
    assert depth > 0
    assert y == pytest.approx(100 + 250 * np.tan(np.radians(10)), abs=1e-3)


def test_positive_roll_lets_the_horizon_fall_to_the_right():
    camera = Camera.centred(300, 200, 250, rotation_of(0, 5, 0), np.zeros(3))
    left, right = camera.project(np.array([[-1e8, 0, -1e9], [1e8, 0, -1e9]]))[0]
    assert right[1] > left[1]


def test_a_ray_leads_back_to_its_pixel():
    camera = Camera.centred(1920, 1280, 1700, rotation_of(4, 1, 21), np.array([1, 1.6, -2.0]))
    pixels = np.array([[0, 0], [1920, 1280], [333.3, 1000.5]])
    points = camera.position + camera.rays(pixels) * np.array([[2.0], [50], [0.3]])
    back, depth = camera.project(points)
    assert np.allclose(back, pixels, atol=1e-9)
    assert np.allclose(depth, [2, 50, 0.3])


def test_focal_length_in_35_mm_terms_goes_by_the_longer_side():
    assert focal_35mm(1600, 1920, 1280) == pytest.approx(30)
    assert focal_35mm(1600, 1280, 1920) == pytest.approx(30)
