"""Where pictures' files are kept, under the digest of their bytes: in memory, in a folder, in an
archive, or on another machine. Nothing here holds more than one of them at a time."""

from __future__ import annotations

import hashlib
import io
import os
import re
import tempfile
import urllib.error
import urllib.request
import zipfile
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType
from typing import BinaryIO, Protocol, cast

from .refusal import Refusal

DIGEST = re.compile(r"[0-9a-f]{64}")
PART = "part-"  # prefix of files that are still being written
PATIENCE_S = 60.0  # how long another machine may take to answer
GONE = "The plate's file is not in the project's folder any more."
NONE: Mapping[str, str] = MappingProxyType({})
MISSING = "A picture of this project is missing here."


class NotThere(Refusal):
    """Another machine answers that it has no such thing."""


class Store(Protocol):
    """Files by digest. Reading one that is not there raises Refusal."""

    def there(self, digest: str) -> bool: ...

    def open(self, digest: str) -> BinaryIO:
        """A file, to be read from any place in it, and closed."""

    def keep(self, data: bytes) -> str:
        """Keep a file, whole or not at all, and return its digest."""


def digest_of(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def read(store: Store, digest: str) -> bytes:
    """A whole file. Raises Refusal where it is not there."""
    with store.open(digest) as file:
        return file.read()


class Memory:
    """Files in memory. files: those that are there from the beginning, by digest."""

    def __init__(self, files: Mapping[str, bytes] | None = None) -> None:
        self.files = dict(files or {})

    def there(self, digest: str) -> bool:
        return digest in self.files

    def open(self, digest: str) -> BinaryIO:
        if digest not in self.files:
            raise Refusal(MISSING)
        return io.BytesIO(self.files[digest])

    def keep(self, data: bytes) -> str:
        digest = digest_of(data)
        self.files[digest] = data
        return digest


class Folder:
    """Files in a folder, each called by its digest."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def place(self, digest: str) -> Path:
        """Where a file is. Only a digest names one: nothing else becomes a path."""
        if not DIGEST.fullmatch(digest):
            raise Refusal("This is no plate's digest.")
        return self.path / digest

    def there(self, digest: str) -> bool:
        return self.place(digest).exists()

    def open(self, digest: str) -> BinaryIO:
        try:
            return self.place(digest).open("rb")
        except FileNotFoundError as error:
            raise Refusal(GONE) from error

    def keep(self, data: bytes) -> str:
        digest = digest_of(data)
        place = self.place(digest)
        if place.exists():
            os.utime(place)  # a sweep that is under way leaves it alone
        else:
            self.part(data).replace(place)
        return digest

    def part(self, data: bytes) -> Path:
        """Data on disk, in a file that is yet to be given its name."""
        handle, name = tempfile.mkstemp(dir=self.path, prefix=PART)
        part = Path(name)
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
        except BaseException:
            part.unlink(missing_ok=True)
            raise
        return part


class Temporary(Folder):
    """Files in a folder that goes when this does."""

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="jade-lantern-")
        super().__init__(Path(self._folder.name))


class Members:
    """Files in a ZIP archive, which stays as it is. names: what they are called in it, by digest;
    those that are not in it are not there."""

    def __init__(self, source: Path | bytes, names: Mapping[str, str]) -> None:
        self.source = source
        with self._archive() as archive:
            there = set(archive.namelist())
        self.names = {digest: name for digest, name in names.items() if name in there}

    def _archive(self) -> zipfile.ZipFile:
        source = io.BytesIO(self.source) if isinstance(self.source, bytes) else self.source
        return zipfile.ZipFile(source)

    def there(self, digest: str) -> bool:
        return digest in self.names

    def open(self, digest: str) -> BinaryIO:
        if digest not in self.names:
            raise Refusal(MISSING)
        with self._archive() as archive:  # the file stays open until its member is closed
            return cast(BinaryIO, archive.open(self.names[digest]))

    def keep(self, data: bytes) -> str:
        raise Refusal("An archive is written anew, not added to.")


class Over:
    """A store over another one: what is kept goes to the upper, what is read comes from either."""

    def __init__(self, upper: Store, lower: Store) -> None:
        self.upper, self.lower = upper, lower

    def there(self, digest: str) -> bool:
        return self.upper.there(digest) or self.lower.there(digest)

    def open(self, digest: str) -> BinaryIO:
        return (self.upper if self.upper.there(digest) else self.lower).open(digest)

    def keep(self, data: bytes) -> str:
        return self.upper.keep(data)


class Far:
    """Files on another machine, fetched over HTTP when they are first read and kept here from then
    on. address: what a digest is put behind. here: where they are kept. headers: what every request
    says."""

    def __init__(self, address: str, here: Store, headers: Mapping[str, str] = NONE) -> None:
        self.address, self.here, self.headers = address.rstrip("/"), here, headers

    def there(self, digest: str) -> bool:
        try:
            self.open(digest).close()  # who asks whether it is there is about to read it
        except NotThere:
            return False
        return True

    def open(self, digest: str) -> BinaryIO:
        if not self.here.there(digest):
            data = fetched(f"{self.address}/{digest}", self.headers)
            if self.here.keep(data) != digest:
                raise Refusal("A picture came from the other machine otherwise than it was sent.")
        return self.here.open(digest)

    def keep(self, data: bytes) -> str:
        return self.here.keep(data)


def fetched(address: str, headers: Mapping[str, str] = NONE) -> bytes:
    """What another machine answers. Raises Refusal where it has nothing there, or does not."""
    try:
        asked = urllib.request.Request(address, headers=dict(headers))
        with urllib.request.urlopen(asked, timeout=PATIENCE_S) as answer:
            return bytes(answer.read())
    except urllib.error.HTTPError as error:
        raise NotThere(f"There is nothing at {address} ({error.code}).") from error
    except (OSError, ValueError) as error:
        raise Refusal(unreached(address, error)) from error


def unreached(address: str, error: Exception) -> str:
    why = getattr(error, "reason", error)
    return f"{address} cannot be reached: {why}."
