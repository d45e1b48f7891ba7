"""Plates that play: every picture is found, at its frame, in any order; what is missing is said."""

import io
import random
import struct
import zipfile
from fractions import Fraction

import av
import cv2
import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image

from jade_lantern.core.batch import PicturesAtHand
from jade_lantern.core.camera import Frame
from jade_lantern.core.cast.borrow import Borrow
from jade_lantern.core.cast.ofscene import cast_of
from jade_lantern.core.cast.paint import taken_in
from jade_lantern.core.deliver.archive import packed, unpacked
from jade_lantern.core.deliver.frames import frames
from jade_lantern.core.deliver.movie import Movie
from jade_lantern.core.move.frames import RenderRequest
from jade_lantern.core.move.strip import whole_move
from jade_lantern.core.picture import head_of, png, read_deep, read_still
from jade_lantern.core.picture.eight import eight_bit
from jade_lantern.core.picture.source import numbered, sequence_of, source_of
from jade_lantern.core.picture.timecode import number_at
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.scene.edits import CastOn, Play, SetShot, apply
from jade_lantern.core.scene.model import CastRow
from jade_lantern.core.scene.moment import at, pictures_at
from jade_lantern.core.scene.pictures import said_of
from jade_lantern.core.scene.plate import Playing, Rest
from jade_lantern.core.scene.shot import shot_camera
from jade_lantern.core.sight.flatten import Flatten
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.store import Memory

COUNT = 40
SIZE = (96, 64)


def picture(n, channels=3):
    """A picture that tells its own number: a grey, and a bright bar that moves."""
    out = np.full((SIZE[1], SIZE[0], channels), 40 + 4 * n, np.uint8)
    out[:, 2 * n : 2 * n + 8, :3] = 250
    if channels == 4:
        out[..., 3] = 255
        out[: n + 1, :, 3] = 0
    return out


def number_of(shown):
    return int((float(np.median(shown[..., :3])) - 40) / 4 + 0.75)


@pytest.fixture(scope="module")
def movie(tmp_path_factory):
    path = tmp_path_factory.mktemp("movie") / "smoke.mp4"
    with Movie(path, *SIZE, 24.0) as out:
        for n in range(COUNT):
            out.add(picture(n, 4) | np.array([0, 0, 0, 255], np.uint8))
    return path.read_bytes()


def sequence(numbers, first=1001, channels=3):
    return sequence_of([(f"smoke.{first + n}.png", png(picture(n, channels))) for n in numbers])


@pytest.fixture
def quay(demo_scene, still_file):
    """The quay with what plays on its wall; the scene, and how it is taken there."""
    at_hand = PicturesAtHand(Memory({demo_scene.plate.digest: still_file.read_bytes()}))

    def with_(data, name="smoke.mp4"):
        edit, told = taken_in(
            demo_scene, [(name, data)], at_hand.deep, at_hand.store.keep, plays=True
        )
        scene = apply(demo_scene, edit)
        row = CastRow(proxy=scene.proxies[0].id, lanterns=(scene.lanterns[-1].id,))
        return apply(scene, CastOn(rows=(row,))), told, at_hand

    return with_


def test_every_picture_of_a_movie_is_found_in_any_order(movie):
    source = source_of(io.BytesIO(movie))
    assert source.facts.count == COUNT
    assert (source.facts.width, source.facts.height, source.facts.rate) == (*SIZE, 24.0)
    order = [*range(COUNT), 39, 0, 17, 18, 19, 5, 5, 38, 12, 13, 2]
    assert [number_of(source.at(n)) for n in order] == order
    assert [number_of(source.at(n)) for n in (-3, COUNT, 999)] == [0, COUNT - 1, COUNT - 1]


def counted(number):
    """A picture that tells its number by eight bars, dark or bright."""
    out = np.full((96, 128, 3), 30, np.uint8)
    for bit in range(8):
        if number >> bit & 1:
            out[10:50, 8 + 14 * bit : 18 + 14 * bit] = 230
    return out


def count_of(shown):
    bars = (shown[15:45, 10 + 14 * bit : 16 + 14 * bit].mean() > 128 for bit in range(8))
    return sum(on << bit for bit, on in enumerate(bars))


@pytest.mark.parametrize(
    ("kind", "codec"), [("mp4", "libx264"), ("matroska", "libx264"), ("mov", "mpeg4")]
)
def test_each_of_two_hundred_pictures_at_any_rate_is_its_own(kind, codec):
    """Between B-frames, at times that jump; forwards, backwards and at random."""
    rng, file = random.Random(3), io.BytesIO()
    with av.open(file, "w", format=kind) as out:
        stream = out.add_stream(codec, rate=30)
        stream.width, stream.height, stream.pix_fmt = 128, 96, "yuv420p"
        if codec == "libx264":
            stream.options = {"bf": "3", "g": "48", "crf": "14"}
        stream.codec_context.time_base = Fraction(1, 1000)
        time = 0
        for number in range(200):
            frame = av.VideoFrame.from_ndarray(counted(number), format="rgb24")
            frame.pts, frame.time_base = time, Fraction(1, 1000)
            time += rng.choice([17, 33, 33, 50, 100])
            out.mux(stream.encode(frame))
        out.mux(stream.encode())
    source = source_of(io.BytesIO(file.getvalue()))
    assert source.facts.count == 200
    order = [*range(200), *range(199, -1, -1), *(rng.randrange(200) for _ in range(100))]
    assert [count_of(source.at(n)) for n in order] == order


def test_a_movie_held_on_its_side_is_shown_upright(movie):
    """Its header says that it is turned by a quarter to the right."""
    at = movie.index(b"tkhd") + 4 + 40
    quarter = struct.pack(">9i", 0, 1 << 16, 0, -(1 << 16), 0, 0, SIZE[1] << 16, 0, 1 << 30)
    turned = movie[:at] + quarter + movie[at + 36 :]
    source, plain = source_of(io.BytesIO(turned)), source_of(io.BytesIO(movie))
    assert (source.facts.width, source.facts.height) == (SIZE[1], SIZE[0])
    for number in (0, 17, 39):
        assert (source.at(number) == np.rot90(plain.at(number), -1)).all()


def test_a_file_with_nothing_but_sound_is_refused():
    file = io.BytesIO()
    with av.open(file, "w", format="mp4") as out:
        stream = out.add_stream("aac", rate=44100)
        frame = av.AudioFrame.from_ndarray(
            np.zeros((1, 4096), np.float32), format="fltp", layout="mono"
        )
        frame.rate = 44100
        out.mux(stream.encode(frame))
        out.mux(stream.encode())
    with pytest.raises(Refusal, match="no picture in this movie"):
        source_of(io.BytesIO(file.getvalue()))


@pytest.mark.parametrize("grown", [(3000, 2000), (32, 24)])
def test_a_movie_whose_pictures_change_their_size_is_refused_where_they_do(grown):
    file = io.BytesIO()
    with av.open(file, "w", format="matroska") as out:
        stream = out.add_stream("mjpeg", rate=24)
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuvj420p"
        for number in range(6):
            one = io.BytesIO()
            Image.new("RGB", grown if number == 3 else (64, 48), (9, 99, 40)).save(one, "JPEG")
            packet = av.Packet(one.getvalue())
            packet.stream, packet.pts, packet.dts = stream, number, number
            packet.time_base = Fraction(1, 24)
            out.mux(packet)
    source = source_of(io.BytesIO(file.getvalue()))
    assert source.at(1).shape == (48, 64, 3)
    with pytest.raises(Refusal, match="64 × 48, and one is"):
        source.at(3)


def test_a_movie_is_decoded_once_where_it_is_read_in_order(movie):
    source = source_of(io.BytesIO(movie))
    seeks = []
    seek = source._movie.seek

    class Counted:
        def __getattr__(self, name):
            return getattr(movie_, name)

        def seek(self, *given, **more):
            seeks.append(given)
            return seek(*given, **more)

    movie_, source._movie = source._movie, Counted()
    for n in range(1, COUNT):
        source.at(n)
    assert len(seeks) == 0


def test_a_movie_that_is_cut_short_shows_what_is_there_and_says_so(tmp_path):
    import av

    whole = io.BytesIO()
    with av.open(whole, "w", format="matroska") as out:
        stream = out.add_stream("mjpeg", rate=24)
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuvj420p"
        for n in range(COUNT):
            out.mux(stream.encode(av.VideoFrame.from_ndarray(picture(n), format="rgb24")))
        out.mux(stream.encode(None))
    data = whole.getvalue()
    source = source_of(io.BytesIO(data[: len(data) // 2]))
    assert 5 < source.facts.count < COUNT - 5
    last = source.facts.count - 1
    assert number_of(source.at(last - 1)) == last - 1
    assert number_of(source.at(last)) in (last - 1, last)
    with pytest.raises(Refusal, match="movie cannot be read"):
        source_of(io.BytesIO(b"\x1aE\xdf\xa3" + b"\0" * 500))


def test_a_sequence_knows_its_numbers_and_holds_over_what_is_missing():
    source = source_of(io.BytesIO(sequence([0, 1, 2, 5, 6, 9], channels=4)))
    facts = source.facts
    assert (facts.count, facts.first, facts.alpha, facts.bits) == (10, 1001, True, 8)
    assert facts.missing == (3, 4, 7, 8)
    assert [number_of(source.at(n)) for n in range(10)] == [0, 1, 2, 2, 5, 5, 6, 6, 9, 9]
    assert said_of(facts) == [
        "Missing: 1004, 1005, 1008, 1009. The nearest picture stands in for each."
    ]


@pytest.mark.parametrize(("text", "rate", "number"), [
    ("01:00:00:12", 24.0, 86412), ("00:01:00:00", 24000 / 1001, 1440),
    # what numbers are dropped for: an hour of them is an hour of time
    ("00:01:00;02", 30000 / 1001, 1800), ("00:10:00;00", 30000 / 1001, 17982),
    ("01:00:00;00", 30000 / 1001, 107892), ("01:00:00;00", 60000 / 1001, 215784),
    ("00:00:10:24", 24.0, 0), ("yesterday", 24.0, 0), ("00:00:10:20", 0.0, 0),
])  # fmt: skip
def test_the_number_at_a_timecode(text, rate, number):
    assert number_at(text, rate) == number


def test_a_movie_begins_with_the_number_of_its_timecode(tmp_path):
    path = tmp_path / "take.mov"
    with av.open(str(path), "w") as file:
        stream = file.add_stream("libx264", rate=24)
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        stream.metadata["timecode"] = "00:00:42:05"
        for shade in range(0, 250, 50):
            frame = av.VideoFrame.from_ndarray(np.full((48, 64, 3), shade, np.uint8))
            file.mux(stream.encode(frame))
        file.mux(stream.encode())
    facts = source_of(io.BytesIO(path.read_bytes())).facts
    assert (facts.first, facts.count, facts.rate) == (42 * 24 + 5, 5, 24.0)


def test_a_zip_that_somebody_packed_is_a_sequence_too():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.mkdir("smoke") if hasattr(archive, "mkdir") else None
        for n in range(3):
            archive.writestr(f"smoke/take2.{n + 7}.png", png(picture(n)))
    source = source_of(io.BytesIO(out.getvalue()))
    assert (source.facts.first, source.facts.count) == (7, 3)
    assert [number_of(source.at(n)) for n in range(3)] == [0, 1, 2]


def test_files_are_a_sequence_where_only_a_number_differs():
    assert numbered(["a.0009.png", "a.0010.png"]) == [9, 10]
    assert numbered(["a9.png", "a10.PNG"]) == [9, 10]
    for other in (
        ["a.1.png", "b.2.png"],
        ["a.1.png", "a.2.tif"],
        ["a.png"],
        [],
        ["1.png", "01.png"],
    ):
        assert numbered(other) is None
    with pytest.raises(Refusal, match="no sequence"):
        sequence_of([("a.png", b""), ("b.png", b"")])


def test_a_sequence_of_two_sizes_is_refused_when_it_comes(demo_scene):
    at_hand = PicturesAtHand(Memory())
    files = [("a.1.png", png(picture(0))), ("a.2.png", png(picture(1)[:, :80]))]
    edit, told = taken_in(demo_scene, files, at_hand.deep, at_hand.store.keep, plays=True)
    assert edit is None
    assert "Picture 2 is 80 × 64, and the first 96 × 64" in told[0].said[0]
    assert told[0].file == "a"


def test_a_zip_that_is_no_sequence_is_refused_in_words():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("readme.txt", "hello")
    for data in (out.getvalue(), sequence([0, 1])[:-40]):
        with pytest.raises(Refusal, match="no numbered sequence"):
            source_of(io.BytesIO(data))


def test_pictures_begin_on_their_frame_and_rest():
    playing = Playing(count=100, rate=12.0, offset=10)
    assert pictures_at(playing, np.arange(8.0, 16.0), 24.0).tolist() == [0, 0, 0, 0, 1, 1, 2, 2]
    rests = (Rest(frame=14, frames=4), Rest(frame=30, frames=100))
    resting = playing.model_copy(update={"rate": 24.0, "rests": rests})
    shown = pictures_at(resting, np.arange(10.0, 24.0), 24.0).tolist()
    assert shown == [0, 1, 2, 3, 4, 4, 4, 4, 4, 5, 6, 7, 8, 9]
    assert pictures_at(resting, np.array([30.0, 129.0, 130.0, 500.0]), 24.0).tolist() == [
        16, 16, 16, 99,
    ]  # fmt: skip
    # 23.976 pictures a second in a shot of as many: one a frame, however long it is
    film = Playing(count=100_000, rate=24000 / 1001)
    frames = np.arange(0.0, 90_000.0)
    assert (pictures_at(film, frames, 24000 / 1001) == frames).all()


def test_a_frame_shows_the_picture_of_its_moment_and_of_no_other(quay, movie):
    scene, told, at_hand = quay(movie)
    assert told[0].done[0] == "It plays: 40 pictures, from frame 0 on."
    lantern = scene.lanterns[-1]
    assert lantern.plate.playing == Playing(count=COUNT, rate=24.0)
    scene = apply(scene, Play(plate=lantern.plate.digest, offset=20, rate=12.0))
    assert (
        at(scene, 10.0).lanterns[-1] is lantern or at(scene, 10.0).lanterns[-1].plate.picture == 0
    )
    assert at(scene, 50.0).lanterns[-1].plate.picture == 15
    assert at(scene, 50.0).lanterns[0] is scene.lanterns[0]
    asked = RenderRequest(Frame(120, 80), first=44, last=49)
    sighted = required_camera(scene)
    for n, frame in enumerate(frames(scene, at_hand.deep, asked), 44):
        there = at(scene, float(n))
        alone = rendered(
            cast_of(there, at_hand.deep), shot_camera(scene, n, sighted).resized(120, 80)
        )
        assert there.lanterns[-1].plate.picture == (n - 20) // 2
        assert (frame == alone).all()
    first = next(frames(scene, at_hand.deep, RenderRequest(Frame(120, 80), first=10, last=10)))
    assert (np.abs(first.astype(int) - frame) > 20).mean() > 0.02  # it does play


def test_what_stands_still_is_made_ready_once_beside_what_plays(quay, movie):
    scene, _, at_hand = quay(movie)
    asked = []

    def counted(plate):
        asked.append((plate.digest, plate.picture))
        return at_hand.deep(plate)

    made = list(frames(scene, counted, RenderRequest(Frame(120, 80), first=2, last=7)))
    smoke = scene.lanterns[-1].plate.digest
    assert len(made) == 6
    assert asked.count((scene.plate.digest, 0)) == 1
    assert sorted(n for digest, n in asked if digest == smoke) == sorted(
        {n for digest, n in asked if digest == smoke}
    )  # each of its pictures once


def test_a_sequence_with_alpha_plays_over_what_is_behind_it(quay):
    scene, _, at_hand = quay(sequence(range(30), channels=4), "smoke.zip")
    assert scene.lanterns[-1].plate.alpha
    asked = RenderRequest(Frame(120, 80), first=3, last=5)
    made = list(frames(scene, at_hand.deep, asked))
    assert made[0].dtype == np.uint16
    told = whole_move(scene, at_hand.deep)
    assert told.leak.shape == (scene.move.frames,)


def test_the_maps_of_what_plays_are_of_its_shape_alone(quay, movie):
    scene, _, at_hand = quay(movie)
    still = scene.model_copy(
        update={
            "lanterns": tuple(
                one.model_copy(update={"plate": one.plate.model_copy(update={"playing": None})})
                if one.plate is not None and one.plate.playing else one
                for one in scene.lanterns
            )
        }
    )  # fmt: skip
    asked = []

    def counted(plate):
        asked.append(plate.picture)
        return at_hand.deep(plate)

    some, other = whole_move(scene, counted), whole_move(still, at_hand.deep)
    for name in ("leak", "spill", "stretch", "reveal"):
        assert (getattr(some, name) == getattr(other, name)).all()
    assert not any(asked)  # no picture but the first was looked at


def test_what_plays_goes_into_an_archive_and_comes_back(quay, movie):
    scene, _, at_hand = quay(movie)
    data = packed(scene, at_hand.store)
    found = unpacked(data)
    assert found.scene == scene
    again = PicturesAtHand(found.pictures)
    plate = at(found.scene, 21.0).lanterns[-1].plate
    assert number_of(again.deep(plate)) == 21
    lie = scene.lanterns[-1].plate.playing.model_copy(update={"count": COUNT + 1})
    plate = scene.lanterns[-1].plate.model_copy(update={"playing": lie})
    wrong = scene.model_copy(
        update={
            "lanterns": (
                *scene.lanterns[:-1], scene.lanterns[-1].model_copy(update={"plate": plate})
            )
        }
    )  # fmt: skip
    with pytest.raises(Refusal, match="is not what its scene says"):
        unpacked(packed(wrong, at_hand.store))


def test_a_still_does_not_play(demo_scene):
    with pytest.raises(Refusal, match="one picture"):
        apply(demo_scene, Play(plate=demo_scene.plate.digest, rate=24))
    assert apply(demo_scene, SetShot(fps=25, frames=100)).plate.playing is None


def test_what_makes_one_picture_of_many_is_refused(quay, movie):
    scene, _, at_hand = quay(movie)
    smoke = scene.lanterns[-1]
    outline = ((800, 500), (900, 500), (900, 600))
    borrow = Borrow(lantern=smoke.id, outline=outline, source=(860, 540), target=(700, 540))
    playing = scene.model_copy(update={"plate": smoke.plate})
    for at_it, change in ((scene, borrow), (playing, Flatten())):
        with pytest.raises(Refusal, match="smoke has 40 pictures"):
            change.edit_with(at_it, at_hand)


def test_a_painted_still_is_written_as_before(quay, movie, tmp_path):
    """Of a movie that is not told to play one frame is taken."""
    scene, _, at_hand = quay(movie)
    edit, told = taken_in(scene, [("one.mp4", movie)], at_hand.deep, at_hand.store.keep, frame=7)
    plate = edit.lanterns[-1].plate
    assert plate.playing is None
    shown = cv2.imdecode(
        np.frombuffer(at_hand.store.files[plate.digest], np.uint8), cv2.IMREAD_COLOR
    )
    assert number_of(shown) == 7
    assert "Frame 7" in told[0].done[0]


def written_exr(path, numbers, data_at=(0, 0), display=None):
    """numbers: (H, W, 3 or 4) linear, premultiplied. data_at: where its first pixel is; display:
    the size of its display window, its own where there is none."""
    high, wide = numbers.shape[:2]
    size = display or (wide, high)
    low = np.array(data_at, np.int32)
    header = {
        "compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage,
        "dataWindow": (low, low + np.array([wide - 1, high - 1], np.int32)),
        "displayWindow": (np.zeros(2, np.int32), np.array(size, np.int32) - 1),
    }  # fmt: skip
    name = "RGBA" if numbers.shape[2] == 4 else "RGB"
    with OpenEXR.File(header, {name: np.ascontiguousarray(numbers, np.float32)}) as file:
        file.write(str(path))
    return path.read_bytes()


@pytest.mark.parametrize("kind", ["png", "tiff", "exr"])
def test_a_sequence_of_any_kind_shows_its_own_pictures_past_gaps(kind, tmp_path):
    rng = np.random.default_rng(4)
    there = [n for n in range(59) if n % 7 != 3]
    truth, files = {}, []
    for n in there:
        grey = rng.integers(0, 65535, (24, 32, 3)).astype(np.uint16)
        grey[0, 0] = n
        if kind == "exr":
            truth[n] = grey.astype(np.float32) / 65535
            data = written_exr(tmp_path / "one.exr", truth[n])
        else:
            truth[n] = grey
            out = io.BytesIO()
            tifffile.imwrite(out, grey, photometric="rgb")
            data = png(grey) if kind == "png" else out.getvalue()
        files.append((f"plate.{n + 990:04d}.{kind}", data))
    source = source_of(io.BytesIO(sequence_of(files)))
    assert (source.facts.first, source.facts.count) == (990, 59)
    assert source.facts.missing == tuple(n for n in range(59) if n % 7 == 3)
    asked = [*range(59), *reversed(range(59)), *rng.permutation(59).tolist()]
    for n in asked:
        shown = n if n in truth else n - 1
        assert np.array_equal(source.at(n), truth[shown])


def test_an_exr_is_read_as_it_is_with_its_alpha_taken_out_and_its_windows_kept(tmp_path):
    rng = np.random.default_rng(1)
    light = rng.uniform(0, 4, (70, 90, 3)).astype(np.float32)
    alpha = rng.uniform(0.1, 1, (70, 90, 1)).astype(np.float32)
    mixed = np.dstack([light * alpha, alpha])
    data = written_exr(tmp_path / "a.exr", mixed, data_at=(10, 5), display=(120, 80))
    deep = read_deep(data)
    assert deep.shape == (80, 120, 4)
    assert deep[5:75, 10:100, :3] == pytest.approx(light, rel=1e-5)
    assert deep[5:75, 10:100, 3:] == pytest.approx(alpha)
    assert (deep[:5] == 0).all()
    # what is larger than the frame is kept whole
    data = written_exr(tmp_path / "b.exr", mixed[..., :3], data_at=(-8, -6), display=(70, 60))
    assert read_deep(data).shape == (70, 90, 3)
    still = read_still(data)
    assert (still.width, still.height, still.bits, still.format) == (90, 70, 32, "EXR")
    assert head_of(data)[:2] == (90, 70)
    assert np.array_equal(still.pixels, eight_bit(read_deep(data)))
    for broken in (data[:200], data[: len(data) // 2], data[:4] + b"nothing"):
        with pytest.raises(Refusal, match="cut short or damaged"):
            read_still(broken)
