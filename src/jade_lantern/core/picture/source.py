"""Pictures over time as one file: a movie, or a numbered sequence of stills in a ZIP. An index
tells where each picture is, so that any of them can be had; in order they are decoded one from the
other."""

from __future__ import annotations

import io
import re
import zipfile
from bisect import bisect_right
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from threading import RLock
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from ..refusal import Refusal
from .deep import read_deep
from .eight import for_views
from .encode import preview
from .footage import MOST_PIXELS, NO_MOVIE, is_movie, upright
from .still import head_of
from .timecode import number_at

Picture = NDArray[Any]

LEAST_DECODED = 1 << 20  # px that a decoder may take, however small a movie's pictures are
MOST_PICTURES = 100_000
MOST_OPEN = 64  # sources whose files are held open: all that a scene's lanterns can throw
NUMBERED = re.compile(r"^(.*?)(\d+)(\.[A-Za-z0-9]{1,5})$")
NO_SEQUENCE = "This is no numbered sequence of pictures, or it is damaged."
# the ZIP of a sequence is the same whenever it is made, so that its digest is its pictures'
LONG_AGO = (1980, 1, 1, 0, 0, 0)


@dataclass(frozen=True)
class SourceFacts:
    """What there is to know of pictures over time. rate: pictures a second, 0 where it is not told.
    first: the number of the first one, as files are numbered, or as a movie's timecode counts it.
    missing: how many of them are not there, counted from 0; the nearest is shown for each.
    promised: how many the file says that there are, where it is cut short."""

    width: int
    height: int
    bits: int
    alpha: bool
    count: int
    rate: float = 0.0
    first: int = 0
    missing: tuple[int, ...] = ()
    promised: int = 0


class Source:
    """Pictures over time. Of several threads one reads at a time."""

    facts: SourceFacts

    def __init__(self, file: BinaryIO) -> None:
        self._file = file
        self._lock = RLock()

    def at(self, number: int) -> Picture:
        """The picture (H, W, 3 or 4) of a number from 0; before the first and after the last the
        nearest. Raises Refusal where it cannot be read."""
        with self._lock:
            return self._read(min(max(number, 0), self.facts.count - 1))

    def small(self, number: int, longest: int) -> NDArray[np.uint8]:
        """The picture of a number as views show it (see `for_views`), its longer side so many
        pixels at the most."""
        with self._lock:
            return self._read_small(min(max(number, 0), self.facts.count - 1), longest)

    def _read(self, number: int) -> Picture:
        raise NotImplementedError

    def _read_small(self, number: int, longest: int) -> NDArray[np.uint8]:
        return preview(for_views(self._read(number)), longest)

    def check(self) -> None:
        """Raises Refusal where one of the pictures is of another size than the first, as far as
        their files say it."""

    def close(self) -> None:
        with self._lock:
            self._file.close()


class MovieSource(Source):
    """A movie. Asked for in order, each picture is decoded once; else from the key picture before
    it."""

    def __init__(self, file: BinaryIO) -> None:
        super().__init__(file)
        import av  # takes a while to load

        self._av = av
        try:
            self._movie = av.open(file, "r", metadata_errors="replace")
            if not self._movie.streams.video:
                raise Refusal("There is no picture in this movie.")
            self._stream = self._movie.streams.video[0]
            named = self._stream.codec_context
            if named.width * named.height > MOST_PIXELS:
                raise Refusal("This movie is larger than can be worked on.")
            self._stream.thread_type = "AUTO"
            self._size = named.width, named.height
            # The decoder refuses a larger picture before it takes memory for it. It counts the rim
            # that it works with, which for small pictures is most of them.
            most = max(2 * named.width * named.height, LEAST_DECODED)
            named.options = {**named.options, "max_pixels": str(most)}
            self._times, self._keys = self._index()
            self._numbers = {time: number for number, time in enumerate(self._times)}
            self._coming: Iterator[tuple[int, Any]] = iter(())
            self._next, self._last = -1, (-1, None)
            self._whole: tuple[int, Picture] = -1, np.zeros((1, 1, 3), np.uint8)
            first = self._read(0)
        except av.FFmpegError as error:
            raise Refusal(NO_MOVIE) from error
        count, promised = len(self._times), int(self._stream.frames or 0)
        rate = float(self._stream.average_rate or 0)
        self.facts = SourceFacts(
            first.shape[1], first.shape[0], 8, False, count,
            rate=rate, first=number_at(self._timecode(), rate),
            promised=promised if promised > count else 0,
        )  # fmt: skip

    def _timecode(self) -> str:
        every = (self._movie, *self._movie.streams)
        return next((one.metadata["timecode"] for one in every if "timecode" in one.metadata), "")

    def _index(self) -> tuple[list[int], list[int]]:
        """The times of all pictures in the order in which they are shown, and of those that are
        decoded by themselves."""
        times, keys = [], []
        with suppress(self._av.FFmpegError):  # where it is cut short, up to there
            for packet in self._movie.demux(self._stream):
                if packet.pts is None or not packet.size:
                    continue
                times.append(packet.pts)
                if packet.is_keyframe:
                    keys.append(packet.pts)
                if len(times) > MOST_PICTURES:
                    raise Refusal(f"A movie of more than {MOST_PICTURES:,} pictures is too long.")
        if not times:
            raise Refusal(NO_MOVIE)
        return sorted(set(times)), sorted(keys)

    def _read(self, number: int) -> Picture:
        if self._whole[0] != number:
            self._whole = number, upright(self._frame(number))
        return self._whole[1]

    def _read_small(self, number: int, longest: int) -> NDArray[np.uint8]:
        return upright(self._frame(number), longest)

    def _frame(self, number: int) -> Any:
        if self._last[0] == number:
            return self._last[1]
        before = bisect_right(self._keys, self._times[number])
        key = self._keys[before - 1] if before else self._times[0]
        if not 0 <= self._next <= number or key > self._times[self._next]:
            self._movie.seek(key, stream=self._stream)
            self._coming = self._decoded()
        last = None
        for at, frame in self._coming:
            self._next, last = at + 1, frame
            if at >= number:
                break
        if last is None:  # what the file says is there cannot be decoded: the one before is held
            self._next = -1
            if self._last[0] < 0:
                raise Refusal(NO_MOVIE)
            return self._last[1]
        self._last = number, last
        return last

    def _decoded(self) -> Iterator[tuple[int, Any]]:
        with suppress(self._av.FFmpegError):
            for frame in self._movie.decode(self._stream):
                self._require_size(frame.width, frame.height)
                if frame.pts in self._numbers:
                    yield self._numbers[frame.pts], frame
        coder = self._stream.codec_context
        self._require_size(coder.width, coder.height)

    def _require_size(self, width: int, height: int) -> None:
        """Raises Refusal where a picture is not of the size that the movie states."""
        if (width, height) != self._size:
            raise Refusal(
                f"This movie states that its pictures are {self._size[0]} × {self._size[1]}, and "
                f"one is {width} × {height}: it is damaged, or no movie of one shot."
            )

    def close(self) -> None:
        with self._lock:
            self._movie.close()
            super().close()


class SequenceSource(Source):
    """Stills in a ZIP, whose names are the same but for a number."""

    def __init__(self, file: BinaryIO) -> None:
        super().__init__(file)
        try:
            self._zip = zipfile.ZipFile(file)
            names = [n for n in self._zip.namelist() if not n.endswith("/")]
            numbers = numbered([Path(n).name for n in names])
            if numbers is None:
                raise Refusal(NO_SEQUENCE)
            named = dict(zip(numbers, names, strict=True))
            first = min(named)
            count = max(named) - first + 1
            if count > MOST_PICTURES:
                raise Refusal(f"A sequence of more than {MOST_PICTURES:,} pictures is too long.")
            self._names = [named.get(first + i) for i in range(count)]
            there = np.array(sorted(named)) - first
            after = np.searchsorted(there, np.arange(count)).clip(1, max(len(there) - 1, 1))
            pair = there[[after - 1, np.minimum(after, len(there) - 1)]]
            off = abs(pair - np.arange(count))
            # by number: which picture is shown, its own or the nearest, of two the one before
            self._stands_in: list[int] = np.where(off[0] <= off[1], *pair).tolist()
            one = self._picture(0)
        except (zipfile.BadZipFile, ValueError, OSError) as error:
            raise Refusal(NO_SEQUENCE) from error
        self.facts = SourceFacts(
            one.shape[1], one.shape[0], {1: 8, 2: 16}.get(one.dtype.itemsize, 32),
            one.shape[2] == 4, count, first=first,
            missing=tuple(i for i, name in enumerate(self._names) if name is None),
        )  # fmt: skip

    def _picture(self, number: int) -> Picture:
        name = self._names[number]
        assert name is not None
        return read_deep(self._zip.read(name))

    def _read(self, number: int) -> Picture:
        number = self._stands_in[number]
        try:
            picture = self._picture(number)
        except (zipfile.BadZipFile, OSError) as error:
            raise Refusal(f"Picture {self.facts.first + number} of it is damaged.") from error
        if picture.shape[:2] != (self.facts.height, self.facts.width):
            raise self._other_size(number, picture.shape[1], picture.shape[0])
        return picture

    def check(self) -> None:
        facts = self.facts
        for number, name in enumerate(self._names):
            if name is None:
                continue
            try:
                head = head_of(self._zip.read(name))
            except (zipfile.BadZipFile, OSError) as error:
                raise Refusal(f"Picture {facts.first + number} of it is damaged.") from error
            # one that is held on its side is turned when it is read
            if {head.width, head.height} != {facts.width, facts.height}:
                raise self._other_size(number, head.width, head.height)

    def _other_size(self, number: int, width: int, height: int) -> Refusal:
        return Refusal(
            f"Picture {self.facts.first + number} is {width} × {height}, and the first "
            f"{self.facts.width} × {self.facts.height}: they are no sequence."
        )


def source_of(file: BinaryIO) -> Source:
    """Pictures over time, from a file that stays open until they are closed. Raises Refusal where
    it is neither a movie nor a sequence."""
    head = file.read(16)
    file.seek(0)
    if is_movie(head):
        return MovieSource(file)
    if head[:2] == b"PK":
        return SequenceSource(file)
    raise Refusal("This is neither a movie nor a numbered sequence.")


def plays(head: bytes) -> bool:
    """Whether a file that begins so may be pictures over time."""
    return is_movie(head) or head[:2] == b"PK"


def numbered(names: Sequence[str]) -> list[int] | None:
    """The numbers of files that are one sequence: their names are the same but for a number at the
    end. None where they are not."""
    found = [NUMBERED.match(name) for name in names]
    if not names or any(one is None for one in found):
        return None
    same = {(one[1], one[3].lower()) for one in found if one is not None}
    numbers = [int(one[2]) for one in found if one is not None]
    return numbers if len(same) == 1 and len(set(numbers)) == len(numbers) else None


def sequence_name(name: str) -> str:
    """What a sequence is called, by the name of one of its files."""
    found = NUMBERED.match(name)
    return (found[1].rstrip("._- ") if found else "") or "sequence"


def sequence_of(files: Sequence[tuple[str, bytes]]) -> bytes:
    """Numbered stills, names and contents, as one ZIP, each as it is. Raises Refusal where they are
    no sequence."""
    numbers = numbered([name for name, _ in files])
    if numbers is None:
        raise Refusal("These files are no sequence: their names differ by more than a number.")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for number, (name, data) in sorted(zip(numbers, files, strict=True)):
            info = zipfile.ZipInfo(f"{number:08d}{Path(name).suffix.lower()}", LONG_AGO)
            archive.writestr(info, data)
    return out.getvalue()


def sequence_in(folder: Path) -> bytes:
    """The numbered stills of a folder as one ZIP. Raises Refusal where they are no sequence."""
    files = sorted(p for p in folder.iterdir() if p.is_file() and not p.name.startswith("."))
    return sequence_of([(file.name, file.read_bytes()) for file in files])


class OpenSources:
    """Sources by digest, the last few held open. open: how a file is opened."""

    def __init__(self, open: Callable[[str], BinaryIO]) -> None:
        self._open = open
        self._held: OrderedDict[str, Source] = OrderedDict()
        self._lock = RLock()

    def of(self, digest: str) -> Source:
        """Raises Refusal where it is not there, or is none."""
        with self._lock:
            source = self._held.pop(digest, None)
            if source is None:
                file = self._open(digest)
                try:
                    source = source_of(file)
                except BaseException:
                    file.close()
                    raise
            self._held[digest] = source
            while len(self._held) > MOST_OPEN:
                self._held.popitem(last=False)[1].close()
            return source

    def close(self) -> None:
        with self._lock:
            while self._held:
                self._held.popitem()[1].close()
