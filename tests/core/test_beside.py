"""Footage of the still's own view, over the trick and under it, against laying one picture over the
other by hand."""

import numpy as np
import pytest

from jade_lantern.core.batch import PicturesAtHand
from jade_lantern.core.cast.beside import FootageAsked, TakePicture, footage_laid
from jade_lantern.core.cast.ofscene import cast_of
from jade_lantern.core.change import changed
from jade_lantern.core.deliver.movie import Movie
from jade_lantern.core.picture import png
from jade_lantern.core.picture.source import sequence_of
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.scene.edits import Play, PutLanterns, apply
from jade_lantern.core.scene.moment import at
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.store import Memory

COUNT, SMALL = 6, 8  # pictures; how much smaller than the still they are
OVER, UNDER = FootageAsked(), FootageAsked(over=False)


def grey_of(n):
    return 60 + 25 * n


@pytest.fixture
def quay(demo_scene, still_file):
    at_hand = PicturesAtHand(Memory({demo_scene.plate.digest: still_file.read_bytes()}))
    return demo_scene, at_hand


def size_of(scene, by=SMALL):
    return scene.plate.width // by, scene.plate.height // by


def with_alpha(scene, n, more=0):
    """A grey that tells the number; the left half of it can be seen."""
    width, height = (side + 2 * more for side in size_of(scene, 1 if more else SMALL))
    out = np.full((height, width, 4), grey_of(n), np.uint8)
    out[..., 3] = 0
    out[:, : width // 2, 3] = 255
    return out


def sequence(pictures, first=1001):
    return sequence_of([(f"rain.{first + n}.png", png(p)) for n, p in enumerate(pictures)])


def footage(scene):
    return sequence([with_alpha(scene, n) for n in range(COUNT)])


def movie_of(pictures, folder):
    height, width = pictures[0].shape[:2]
    path = folder / "made.mp4"
    with Movie(path, width, height, 24.0) as out:
        for one in pictures:
            out.add(np.dstack([one[..., :3], np.full((height, width), 255, np.uint8)]))
    return path.read_bytes()


def seen(scene, at_hand, frame=0.0):
    """What the lens sees at a frame, and where something stands there."""
    moment = at(scene, frame)
    made = rendered(cast_of(moment, at_hand.deep), required_camera(moment))
    grey = made[..., :3].astype(float) * (255 / np.iinfo(made.dtype).max)
    return grey, made[..., 3] == np.iinfo(made.dtype).max


def halves(where):
    """Of what stands, the left and the right half, off the seam by some pixels."""
    middle = where.shape[1] // 2
    left, right = where.copy(), where.copy()
    left[:, middle - 2 * SMALL :] = False
    right[:, : middle + 2 * SMALL] = False
    return left, right


def test_over_the_trick_it_is_seen_by_its_alpha(quay):
    scene, at_hand = quay
    before, stands = seen(scene, at_hand)
    laid = footage_laid(scene, "rain.zip", footage(scene), None, at_hand.store.keep, OVER)
    after = apply(scene, laid.edit)
    left, right = halves(stands)
    for frame in (0, 3, 5):
        shown, there = seen(after, at_hand, frame)
        assert abs(shown[left & there] - grey_of(frame)).max() < 1
        assert abs(shown - before)[right & there].max() <= 1
    assert laid.edit.title(scene) == "Lay rain over the trick"
    assert not laid.said


def test_a_matte_that_plays_cuts_it_out_picture_by_picture(quay, tmp_path):
    scene, at_hand = quay
    plain = [np.full((*size_of(scene)[::-1], 3), grey_of(n), np.uint8) for n in range(COUNT)]
    mattes = [np.zeros_like(one) for one in plain]
    for n, one in enumerate(mattes):  # a bar that goes from left to right
        one[:, 10 + 20 * n : 30 + 20 * n] = 255
    data, matte = movie_of(plain, tmp_path), sequence(mattes, first=1)
    with pytest.raises(Refusal, match="hide everything"):
        footage_laid(scene, "walk.mp4", data, None, at_hand.store.keep, OVER)
    laid = footage_laid(scene, "walk.mp4", data, matte, at_hand.store.keep, OVER)
    after = apply(scene, laid.edit)
    before, stands = seen(scene, at_hand)
    for frame in (1, 4):
        shown, there = seen(after, at_hand, frame)
        bar = np.zeros_like(stands)
        bar[:, SMALL * (12 + 20 * frame) : SMALL * (28 + 20 * frame)] = True
        out = np.zeros_like(stands)
        out[:, SMALL * (32 + 20 * frame) :] = True
        assert abs(np.median(shown[bar & there]) - grey_of(frame)) < 3
        assert abs(shown - before)[out & there].max() <= 1
    # where it plays otherwise its matte goes along
    digest = after.lanterns[-1].plate.digest
    later = apply(after, Play(plate=digest, offset=2, rate=24, begins=1, ends=3))
    moment = at(later, 4.0).lanterns[-1]
    assert (moment.plate.picture, moment.mask.picture) == (3, 3)
    assert at(later, 0.0).lanterns[-1].plate.picture == 1
    assert at(later, 90.0).lanterns[-1].mask.picture == 3


def test_under_the_trick_it_is_seen_where_that_is_clear(quay):
    scene, at_hand = quay
    still = at_hand.deep(scene.plate)
    clear = np.dstack([still, np.full(still.shape[:2], 255, np.uint8)])
    clear[:, : still.shape[1] // 2, 3] = 0  # a clean plate with its left half cut out
    digest = at_hand.store.keep(png(clear))
    plate = scene.plate.model_copy(update={"digest": digest, "alpha": True})
    cut = scene.lanterns[0].model_copy(update={"plate": plate})
    laid = footage_laid(scene, "rain.zip", footage(scene), None, at_hand.store.keep, UNDER)
    assert "nothing of that is clear yet" in laid.said[0]
    scene = apply(scene, PutLanterns(lanterns=(cut,), said="Cut it out"))
    laid = footage_laid(scene, "rain.zip", footage(scene), None, at_hand.store.keep, UNDER)
    assert not laid.said
    shown, there = seen(apply(scene, laid.edit), at_hand, 2.0)
    left, right = halves(there)
    assert abs(shown[left] - grey_of(2)).max() < 1
    assert abs(shown - still)[right].max() <= 1


def test_overscan_lies_pixel_for_pixel_in_the_middle(quay):
    scene, at_hand = quay
    more = 40
    data = sequence([with_alpha(scene, n, more) for n in range(2)])
    with pytest.raises(Refusal, match="unless it has overscan"):
        footage_laid(scene, "rain.zip", data, None, at_hand.store.keep, OVER)
    asked = FootageAsked(overscan=True)
    laid = footage_laid(scene, "rain.zip", data, None, at_hand.store.keep, asked)
    after = apply(scene, laid.edit)
    window = after.lanterns[-1].window
    assert (window.left, window.top) == (-more, -more)
    shown, there = seen(after, at_hand, 1.0)
    row = shown[there.argmax(axis=0).max() + 4]
    assert np.median(row[: shown.shape[1] // 2 - 4]) == pytest.approx(grey_of(1), abs=1)
    # past the still's own edge there is more of it: the shot may look there
    assert after.lanterns[-1].plate.width == scene.plate.width + 2 * more
    small = sequence([with_alpha(scene, 0)])
    with pytest.raises(Refusal, match="no overscan"):
        footage_laid(scene, "rain.zip", small, None, at_hand.store.keep, asked)


def test_one_picture_of_it_becomes_a_still_and_the_footage_is_kept(quay):
    scene, at_hand = quay
    laid = footage_laid(scene, "rain.zip", footage(scene), None, at_hand.store.keep, OVER)
    scene = apply(scene, laid.edit)
    one = scene.lanterns[-1]
    edit, after = changed(scene, TakePicture(lantern=one.id, frame=3), at_hand)
    assert edit.title(scene) == "Take picture 1004 of rain"
    plate = after.lanterns[-1].plate
    assert plate.playing is None
    assert (at_hand.deep(plate) == with_alpha(scene, 3)).all()
    assert after.lanterns[-1].earlier == (one.plate,)
    with pytest.raises(Refusal, match="no plate of its own that plays"):
        changed(after, TakePicture(lantern=one.id), at_hand)


@pytest.mark.parametrize(
    ("data", "words"),
    [(b"nothing", "neither a movie"), (b"PK\x03\x04nothing", "no numbered sequence")],
)
def test_what_is_no_footage_is_refused_in_words(quay, data, words):
    scene, at_hand = quay
    with pytest.raises(Refusal, match=words):
        footage_laid(scene, "rain.zip", data, None, at_hand.store.keep)


def test_a_matte_of_another_size_or_length_is_said(quay):
    scene, at_hand = quay
    data = footage(scene)
    other = sequence([np.zeros((20, 30, 3), np.uint8)])
    with pytest.raises(Refusal, match="The mask is 30 × 20"):
        footage_laid(scene, "rain.zip", data, other, at_hand.store.keep)
    short = sequence([np.zeros((*size_of(scene)[::-1], 3), np.uint8) for _ in range(2)])
    laid = footage_laid(scene, "rain.zip", data, short, at_hand.store.keep)
    assert laid.said == ["It has 2 pictures, and rain 6."]


def test_pictures_past_its_last_are_refused(quay):
    scene, at_hand = quay
    laid = footage_laid(scene, "rain.zip", footage(scene), None, at_hand.store.keep)
    after = apply(scene, laid.edit)
    digest = after.lanterns[-1].plate.digest
    for begins, ends in ((4, 2), (0, 6), (9, None)):
        with pytest.raises(Refusal, match="pictures 1001 to 1006"):
            apply(after, Play(plate=digest, rate=24, begins=begins, ends=ends))
    looped = apply(after, Play(plate=digest, rate=24, begins=2, ends=4, loops=True))
    shown = [at(looped, float(f)).lanterns[-1].plate.picture for f in range(7)]
    assert shown == [2, 3, 4, 2, 3, 4, 2]
