"""What the commands have in common."""

from __future__ import annotations

import fcntl
import json
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Annotated, Any, BinaryIO

import typer

Project = Annotated[str, typer.Argument(help="A project's number, or an exported archive.")]


def set_up() -> None:
    import django
    from django.conf import settings

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jade_lantern.studio.settings")
    settings.DATA.mkdir(parents=True, exist_ok=True)
    django.setup()


def migrated() -> None:
    set_up()
    from django.conf import settings
    from django.core.management import call_command

    # two programs that begin on a new folder at once would both make its tables
    with (settings.DATA / "migrating.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        call_command("migrate", verbosity=0, interactive=False)


def stop(message: str) -> typer.Exit:
    typer.echo(message, err=True)
    return typer.Exit(1)


def write(to: Path, data: bytes) -> None:
    """Write a file whole or not at all."""
    write_by(to, lambda file: file.write(data))


def write_by(to: Path, fill: Callable[[BinaryIO], object]) -> None:
    """Write a file whole or not at all. fill: writes what is in it."""
    part = to.with_name("part-" + to.name)
    try:
        with part.open("wb") as file:
            fill(file)
    except BaseException:
        part.unlink(missing_ok=True)
        raise
    part.replace(to)


def json_in(file: Path) -> Any:
    from jade_lantern.core.refusal import Refusal

    try:
        return json.loads(sys.stdin.read() if str(file) == "-" else file.read_bytes())
    except (ValueError, RecursionError) as error:
        raise Refusal(f"{file.name} is not JSON.") from error


def said(error: BaseException) -> str:
    """An error as one line for the terminal."""
    from django.core.exceptions import ImproperlyConfigured

    from jade_lantern.core.refusal import Refusal
    from jade_lantern.studio.trouble import UNKNOWN, in_words

    words = in_words(error)[1]
    if isinstance(error, Refusal | ImproperlyConfigured):
        return str(error)
    if words != UNKNOWN:
        return words
    if isinstance(error, OSError):
        where = f"{error.filename}: " if error.filename else ""
        return f"{where}{error.strerror or error}."
    return f"{UNKNOWN} ({type(error).__name__}: {error})"


def number_of(named: str) -> int | None:
    """A project's number; None for what is the path of an archive."""
    return int(named) if named.isascii() and named.isdigit() and len(named) < 19 else None


def project_at(named: str) -> tuple[Any, Any]:
    """A scene and its pictures at hand, from a project's number, an archive, or a project's address
    at a studio on another machine, such as http://there:8000/api/projects/3?key=…"""
    from jade_lantern.core.batch import PicturesAtHand
    from jade_lantern.core.deliver.archive import unpacked
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.core.scene.document import read
    from jade_lantern.core.store import Far, Over, Temporary, fetched

    number = number_of(named)
    if named.startswith(("http://", "https://")):
        address, _, key = named.partition("?key=")
        says = {"x-jade-lantern-key": key} if key else {}
        scene = read(fetched(f"{address.rstrip('/')}/scene", says))
        return scene, PicturesAtHand(Far(f"{address.rstrip('/')}/pictures", Temporary(), says))
    if number is None:
        found = unpacked(Path(named))
        return found.scene, PicturesAtHand(Over(Temporary(), found.pictures))
    migrated()
    from jade_lantern.studio import plates, projects
    from jade_lantern.studio.models import Project

    row = Project.objects.filter(pk=number).first()
    if row is None:
        raise Refusal(f"There is no project {named}.")
    return projects.scene_at(row), PicturesAtHand(Over(Temporary(), plates.store()))


def keep_in(project: str, change: Any, files: Sequence[bytes] = ()) -> str:
    """Keep a change in a project, or in an archive in its place; what it is called in the history.
    files: pictures that the change names."""
    from jade_lantern.core.change import changed
    from jade_lantern.core.deliver.archive import pack

    number = number_of(project)
    if number is None:
        scene, there = project_at(project)
        for data in files:
            there.store.keep(data)
        edit, after = changed(scene, change, there)
        write_by(Path(project), lambda file: pack(after, there.store, file))
        return str(edit.title(scene))
    from jade_lantern.studio import plates, projects

    brought = plates.KeepingPictures()
    for data in files:
        brought.keep(data)
    kept = projects.keep_at_head(number, change, brought)
    return str(kept.edit.title(kept.before))
