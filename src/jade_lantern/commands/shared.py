"""What the commands have in common."""

from __future__ import annotations

import fcntl
import json
import os
import sys
from pathlib import Path
from typing import Annotated, Any

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
    part = to.with_name("part-" + to.name)
    part.write_bytes(data)
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
    """A scene and its pictures at hand, from a project's number or an archive."""
    from jade_lantern.core.batch import PicturesAtHand
    from jade_lantern.core.deliver.archive import unpacked
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.core.scene.pictures import pictures_in

    number = number_of(named)
    if number is None:
        found = unpacked(Path(named).read_bytes())
        return found.scene, PicturesAtHand(dict(found.files))
    migrated()
    from jade_lantern.studio import plates, projects
    from jade_lantern.studio.models import Project

    row = Project.objects.filter(pk=number).first()
    if row is None:
        raise Refusal(f"There is no project {named}.")
    scene = projects.scene_at(row)
    by = scene.plate.flattened
    bent = None if by is None else by.digest
    needed = [d for d in pictures_in(scene) if d != bent or plates.there(d)]
    return scene, PicturesAtHand({d: plates.original(d) for d in needed})


def keep_in(project: str, change: Any, pictures: Any = None) -> str:
    """Keep a change in a project, or in an archive in its place; what it is called in the history.
    pictures: those that the change names, where they are at hand already."""
    from jade_lantern.core.change import changed
    from jade_lantern.core.deliver.archive import packed

    number = number_of(project)
    if number is None:
        scene, there = project_at(project)
        if pictures is not None:
            there.files.update(pictures.files)
        edit, after = changed(scene, change, there)
        write(Path(project), packed(after, there.files))
        return str(edit.title(scene))
    from jade_lantern.studio import plates, projects

    brought = plates.KeepingPictures()
    for data in pictures.files.values() if pictures is not None else ():
        brought.keep(data)
    kept = projects.keep_at_head(number, change, brought)
    return str(kept.edit.title(kept.before))
