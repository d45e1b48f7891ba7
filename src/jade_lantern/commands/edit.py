"""Changes as a pipeline sends them."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any

import typer

from .shared import json_in, number_of, project_at, said, write_by


def edit(
    project: Annotated[str, typer.Argument(help="A project's number, or an exported archive.")],
    changes: Annotated[Path, typer.Argument(help="A list of changes as JSON; - for the input.")],
    out: Annotated[Path | None, typer.Option(help="Write the outcome as an archive here.")] = None,
    dry: Annotated[bool, typer.Option("--dry", help="Keep nothing.")] = False,
) -> None:
    """Apply changes, as the API takes them, in order: one line of JSON each.

    {"kept": title, "id": what it made or was done to}, or {"refused": why}; then it stops with
    exit status 1, and what came before is kept. An archive is changed in its place, unless --out
    says where to.
    """
    from jade_lantern.core.batch import edited, read_changes
    from jade_lantern.core.deliver.archive import pack
    from jade_lantern.core.refusal import Refusal

    def say(line: dict[str, Any]) -> None:
        sys.stdout.write(json.dumps(line) + "\n")

    why = None
    try:
        asked = read_changes(json_in(changes))
        scene, pictures = project_at(project)
        number = number_of(project)
        steps = edited(scene, asked, pictures)
        if number is not None and not dry:
            steps = kept_one_by_one(number, asked)
        try:
            for step in steps:
                say({"kept": step.title, "id": step.id})
                scene = step.scene
        except Refusal as error:
            why = str(error)
        if not dry and (out is not None or number is None):
            if number is not None:
                scene, pictures = project_at(project)
            write_by(out or Path(project), lambda file: pack(scene, pictures.store, file))
    except Exception as error:
        why = said(error)
    if why is not None:
        say({"refused": why})
        raise typer.Exit(1)


def kept_one_by_one(number: int, changes: list[Any]) -> Iterator[Any]:
    """Keep each change in a project of the database, as the studio does."""
    from jade_lantern.core.batch import step_of
    from jade_lantern.studio import projects

    for change in changes:
        kept = projects.keep_at_head(number, change)
        yield step_of(kept.before, change, kept.edit, kept.now.scene)
