import numpy as np
import pytest

from jade_lantern.core.camera import Camera, Frame, focal_35mm, rotation_of, tilt_roll_yaw


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


def test_a_frame_of_another_shape_crops_and_never_squashes():
    camera = Camera.centred(1920, 1080, 1400.0, rotation_of(4, 1, 20), np.array([1.0, 1.6, 2.0]))
    points = camera.position + camera.rays(np.array([[960, 540], [700, 200], [1200, 900]])) * 7.0
    was, _ = camera.project(points)
    for frame in (
        Frame(960, 540), Frame(607, 1080), Frame(1080, 1920), Frame(2000, 500),
        Frame(400, 400, window=(0.25, -0.1, 0.6)), Frame(640, 360, overscan=0.1),
    ):  # fmt: skip
        made = frame.of(camera)
        assert (made.width, made.height) == frame.size
        now, _ = made.project(points)
        across, down = (now[1:] - now[0]).T / (was[1:] - was[0]).T
        assert across == pytest.approx(down)
        assert across == pytest.approx(np.full(2, across[0]))
    tall = Frame(607, 1080).of(camera)
    assert (tall.cx, tall.cy, tall.focal_px) == pytest.approx((303.5, 540.0, 1400.0))
    wide = Frame(640, 360, overscan=0.1).of(camera)
    inner = Frame(640, 360).of(camera)
    assert (wide.project(points)[0] - inner.project(points)[0]) == pytest.approx(
        np.tile([64.0, 36.0], (3, 1))
    )
    part = Frame(400, 400, window=(0.25, -0.1, 0.6)).of(camera)
    corner = camera.position + camera.rays(np.array([0.25 * 1920, -0.1 * 1920])) * 3.0
    assert part.project(corner)[0] == pytest.approx(np.zeros(2), abs=1e-9)
    beyond = camera.position + camera.rays(np.array([0.85 * 1920, 0.5 * 1920])) * 3.0
    assert part.project(beyond)[0] == pytest.approx(np.full(2, 400.0))
