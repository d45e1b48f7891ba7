"""A preview's frames against the film's."""

import numpy as np
import pytest

from jade_lantern.core.change import changed
from jade_lantern.core.deliver.frames import frames
from jade_lantern.core.deliver.preview import Preview
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.move.hinged import OpenOn
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import Drive, Glaze, apply


def test_in_any_order_they_are_the_films_whatever_moves_and_however_far(demo_scene, still):
    crate = next(p.id for p in demo_scene.proxies if p.name == "crate 1")
    scene = apply(demo_scene, Glaze(proxies=(crate,)))
    _, scene = changed(scene, OpenOn(proxy=crate, by_deg=60, first=10, last=70))

    def pixels(_):
        return still.pixels

    preview = Preview(scene, pixels)
    shots = (scene, apply(scene, Drive(amount=0.4)))  # the same place, another shot
    for number, shot in ((60, shots[0]), (0, shots[1]), (95, shots[1]), (60, shots[0])):
        (film,) = frames(shot, pixels, render_request(shot, 240, number, number))
        bare = film[..., 3] == 0
        shown = preview.frame(shot, number, 240)
        assert shown.shape == (160, 240, 3)
        assert (shown[bare] == 0).all()
        whole = film[..., 3] == 255
        assert np.array_equal(shown[whole], film[whole][:, :3])
        assert whole.mean() > 0.99
    with pytest.raises(Refusal, match="not all in the shot"):
        preview.frame(scene, 96, 240)
