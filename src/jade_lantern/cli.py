"""The same program for the command line."""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Annotated, Any

import typer

app = typer.Typer(
    help="Jade Lantern: from one still to a moving shot.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    add_completion=False,
)

HOST, PORT = "127.0.0.1", 8000


def _django() -> None:
    import django
    from django.conf import settings

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jade_lantern.studio.settings")
    settings.DATA.mkdir(parents=True, exist_ok=True)
    django.setup()


def _migrated() -> None:
    _django()
    from django.core.management import call_command

    call_command("migrate", verbosity=0, interactive=False)


def _stop(message: str) -> typer.Exit:
    typer.echo(message, err=True)
    return typer.Exit(1)


Host = Annotated[str, typer.Option(help="Address to listen on.")]
Port = Annotated[int, typer.Option(help="Port to listen on.")]


@app.command()
def serve(host: Host = HOST, port: Port = PORT) -> None:
    """Serve the application."""
    _serve(host, port)


def _serve(host: str, port: int, later: Callable[[], None] = lambda: None) -> None:
    """Answer from now on. later: what is to be done beside that, first thing."""
    _migrated()
    import uvicorn

    from jade_lantern.studio import caretaker
    from jade_lantern.studio.warm import warm_sighting

    def first() -> None:
        warm_sighting()
        later()

    if older := caretaker.older_database():
        typer.echo(f"An older database is left untouched, and not shown: {older}")
    over = caretaker.start(first)
    typer.echo(f"Jade Lantern is at http://{host}:{port}")
    uvicorn.run(
        "jade_lantern.studio.server:app", host=host, port=port, log_level="error",
        access_log=False, lifespan="off", server_header=False, timeout_graceful_shutdown=5,
    )  # fmt: skip
    over.set()


@app.command()
def demo(
    host: Host = HOST,
    port: Port = PORT,
    load_only: Annotated[bool, typer.Option(help="Load the demo projects, do not serve.")] = False,
) -> None:
    """Load the demo projects where there are none yet, and serve."""
    _migrated()
    from jade_lantern.studio.demo import load_demo

    if load_only:
        load_demo(typer.echo)
    else:
        _serve(host, port, lambda: load_demo(typer.echo))


@app.command()
def warm() -> None:
    """Compile what is compiled, so that no first drag or first render waits for it."""
    _django()
    from jade_lantern.studio.warm import compiled

    typer.echo("Compiling; the first time this takes a minute or two …")
    for name, share in compiled():
        typer.echo(f"  {share:4.0%}  {name}")


@app.command()
def work() -> None:
    """Make the deliveries that are waiting, then stop. The server starts this by itself."""
    _django()
    from jade_lantern.studio.deliveries import work as take_work

    take_work()


@app.command()
def sight(
    files: Annotated[list[Path], typer.Argument(help="Requests as JSON files, or pictures.")],
) -> None:
    """Sight a camera for each request: one line of JSON each, in order.

    A file holds one request or a list of them, or is a picture, which is sighted by its own
    edges. What cannot be sighted gets a line {"error": why}, and the exit status is 1.
    """
    from jade_lantern.core.sight.request import answered, answered_picture

    failed = False
    for file in files:
        for request in _requests(file):
            if isinstance(request, _Unread):
                line = {"error": request.why}
            else:
                picture = isinstance(request, bytes)
                line = answered_picture(request) if picture else answered(request)
            failed = failed or "error" in line
            sys.stdout.write(json.dumps(line) + "\n")
    if failed:
        raise typer.Exit(1)


# how PNG, JPEG, TIFF and WebP files begin
PICTURE_MARKS = (b"\x89PNG", b"\xff\xd8", b"II*\x00", b"MM\x00*", b"RIFF")


class _Unread:
    def __init__(self, why: str) -> None:
        self.why = why


def _requests(file: Path) -> list[Any]:
    try:
        raw = file.read_bytes()
        if raw.startswith(PICTURE_MARKS):
            return [raw]
        data = json.loads(raw)
    except OSError as error:
        return [_Unread(f"{file.name} cannot be read: {error.strerror}.")]
    except (ValueError, RecursionError):
        return [_Unread(f"{file.name} is not JSON.")]
    return data if isinstance(data, list) else [data]


@app.command()
def render(
    project: Annotated[str, typer.Argument(help="A project's number, or an exported archive.")],
    out: Annotated[Path, typer.Argument(help="An .mp4, or a folder for numbered PNGs.")],
    width: Annotated[
        int | None, typer.Option(help="Frame width; the plate's if not given.")
    ] = None,
    first: Annotated[int | None, typer.Option(help="First frame.")] = None,
    last: Annotated[int | None, typer.Option(help="Last frame.")] = None,
) -> None:
    """Render a project's shot."""
    from jade_lantern.core.cast.render import in_eight_bit
    from jade_lantern.core.deliver.frames import cast_of, delivery, frame_png, frames
    from jade_lantern.core.deliver.movie import Movie
    from jade_lantern.core.refusal import Refusal

    try:
        scene, pictures = _project(project)
        asked = delivery(scene, width, first, last)
        shots = frames(scene, cast_of(scene, pictures.deep), asked)
        total = asked.last - asked.first + 1
        with typer.progressbar(shots, length=total, label="Rendering", file=sys.stderr) as bar:
            if out.suffix == ".mp4":
                part = out.with_name("part-" + out.name)
                with Movie(part, asked.width, asked.height, scene.move.fps) as movie:
                    for frame in bar:
                        movie.add(in_eight_bit(frame))
                part.replace(out)
            else:
                out.mkdir(parents=True, exist_ok=True)
                for i, frame in enumerate(bar):
                    (out / f"frame-{asked.first + i:05d}.png").write_bytes(frame_png(frame))
    except (Refusal, OSError, MemoryError) as error:
        raise _stop(_said(error)) from error


@app.command()
def diagnose(
    project: Annotated[str, typer.Argument(help="A project's number, or an exported archive.")],
    first: Annotated[int | None, typer.Option(help="First frame.")] = None,
    last: Annotated[int | None, typer.Option(help="Last frame.")] = None,
    width: Annotated[int, typer.Option(help="Width at which it is worked out.")] = 480,
    maps: Annotated[Path | None, typer.Option(help="A folder for maps as PNG.")] = None,
) -> None:
    """Say where the trick would show: one line of JSON a frame.

    leak, spill, stretch and reveal, as shares of the frame, in all, by proxy and by lantern.
    """
    import numpy as np

    from jade_lantern.core.deliver.diagnosis import diagnosed, line_of
    from jade_lantern.core.deliver.frames import delivery
    from jade_lantern.core.picture import png
    from jade_lantern.core.refusal import Refusal

    try:
        scene, pictures = _project(project)
        asked = delivery(scene, width, first, last)
        for number, told in diagnosed(scene, asked, pictures.deep):
            sys.stdout.write(json.dumps(line_of(scene, number, told)) + "\n")
            if maps is None:
                continue
            maps.mkdir(parents=True, exist_ok=True)
            grey = {"leak": told.leak, "spill": told.spill, "reveal": told.reveal}
            for name, where in {**grey, "stretch": (told.stretch / 4).clip(0, 1)}.items():
                shade = np.repeat(np.asarray(where * 255, np.uint8)[..., None], 3, axis=2)
                (maps / f"{name}-{number:05d}.png").write_bytes(png(shade))
    except (Refusal, OSError, MemoryError) as error:
        raise _stop(_said(error)) from error


@app.command()
def split(
    project: Annotated[str, typer.Argument(help="A project's number, or an exported archive.")],
) -> None:
    """Propose the fewest plates by which no proxy gets a nearer one's picture.

    One line of JSON a plate: {"plate": n, "proxies": names, "paint_out": names}, and one for what
    crosses, if anything does.
    """
    from jade_lantern.core.block.surfaces import meshes
    from jade_lantern.core.cast.split import proposed_split
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.core.sight.measure import required_camera

    try:
        scene, _ = _project(project)
        camera = required_camera(scene)
        found = proposed_split(meshes(scene, camera), camera)
    except (Refusal, OSError, MemoryError) as error:
        raise _stop(_said(error)) from error
    names = [p.name for p in scene.proxies if not p.hidden]
    for n, (own, gone) in enumerate(zip(found.plates, found.removed, strict=True)):
        line = {
            "plate": n,
            "proxies": [names[i] for i in own],
            "paint_out": [names[i] for i in gone],
        }
        sys.stdout.write(json.dumps(line) + "\n")
    if found.crossing:
        pairs = [[names[i], names[j]] for i, j in found.crossing]
        sys.stdout.write(json.dumps({"crossing": pairs}) + "\n")


@app.command()
def export(
    project: Annotated[str, typer.Argument(help="A project's number, or an exported archive.")],
    out: Annotated[Path, typer.Argument(help=".glb, .obj, .usda, .usdc, or .zip.")],
    bare: Annotated[bool, typer.Option(help="A GLB of the blocking only.")] = False,
) -> None:
    """Export the scene as a GLB, its blocking as OBJ or USD, or the whole project as a .zip."""
    from jade_lantern.core.deliver.archive import packed
    from jade_lantern.core.deliver.blocking import KINDS, blocking
    from jade_lantern.core.deliver.gltf import glb
    from jade_lantern.core.picture import png
    from jade_lantern.core.refusal import Refusal

    try:
        scene, pictures = _project(project)
        kind = out.suffix.lstrip(".")
        if kind in KINDS and (bare or kind != "glb"):
            data = blocking(scene, kind)
        elif kind == "glb":
            data = glb(scene, png(pictures.look(scene.plate).pixels), "image/png")
        elif kind == "zip":
            data = packed(scene, pictures.files)
        else:
            raise Refusal("Export to a file that ends in .glb, .obj, .usda, .usdc or .zip.")
        _write(out, data)
    except (Refusal, OSError, MemoryError) as error:
        raise _stop(_said(error)) from error


@app.command()
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
    from jade_lantern.core.deliver.archive import packed
    from jade_lantern.core.refusal import Refusal

    def say(line: dict[str, Any]) -> None:
        sys.stdout.write(json.dumps(line) + "\n")

    why = None
    try:
        asked = read_changes(_json(changes))
        scene, pictures = _project(project)
        number = _number(project)
        steps = edited(scene, asked, pictures)
        if number is not None and not dry:
            steps = _kept_one_by_one(number, asked)
        try:
            for step in steps:
                say({"kept": step.title, "id": step.id})
                scene = step.scene
        except Refusal as error:
            why = str(error)
        if not dry and (out is not None or number is None):
            if number is not None:
                scene, pictures = _project(project)
            _write(out or Path(project), packed(scene, pictures.files))
    except (Refusal, OSError, MemoryError) as error:
        why = _said(error)
    if why is not None:
        say({"refused": why})
        raise typer.Exit(1)


def _write(to: Path, data: bytes) -> None:
    """Write a file whole or not at all."""
    part = to.with_name("part-" + to.name)
    part.write_bytes(data)
    part.replace(to)


def _json(file: Path) -> Any:
    from jade_lantern.core.refusal import Refusal

    try:
        return json.loads(sys.stdin.read() if str(file) == "-" else file.read_bytes())
    except (ValueError, RecursionError) as error:
        raise Refusal(f"{file.name} is not JSON.") from error


def _kept_one_by_one(number: int, changes: list[Any]) -> Iterator[Any]:
    """Keep each change in a project of the database, as the studio does."""
    from jade_lantern.core.batch import step_of
    from jade_lantern.studio import projects

    for change in changes:
        yield step_of(*projects.keep_at_head(number, change))


@app.command()
def bring(
    project: Annotated[int, typer.Argument(help="A project's number.")],
    file: Annotated[Path, typer.Argument(help="A .glb, .obj, .usd, .usda, .usdc or .usdz.")],
    unit: Annotated[float | None, typer.Option(help="What one of its units is, metres.")] = None,
) -> None:
    """Bring a blocking into a project, as solids; prints what it is called in the history."""
    _migrated()
    from jade_lantern.core.deliver.blocking import brought
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.studio import projects

    try:
        scene, _ = _project(str(project))
        edit = brought(file.read_bytes(), file.name, scene, unit)
        projects.keep_at_head(project, edit)
    except (Refusal, OSError, MemoryError) as error:
        raise _stop(_said(error)) from error
    typer.echo(edit.title(scene))


@app.command("import")
def import_(
    file: Annotated[Path, typer.Argument(help="A still, or a project archive.")],
    name: Annotated[str, typer.Option(help="The project's name.")] = "",
) -> None:
    """Make a project from a still or from an exported archive; prints its number."""
    _migrated()
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.studio import projects

    try:
        data = file.read_bytes()
        if data[:2] == b"PK":
            project = projects.project_from_archive(data, name)
        else:
            project = projects.project_from_still(data, file.name, name)
    except (Refusal, OSError, MemoryError) as error:
        raise _stop(_said(error)) from error
    typer.echo(project.pk)


def _said(error: BaseException) -> str:
    """An error as one line for the terminal."""
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.studio.trouble import UNKNOWN, in_words

    words = in_words(error)[1]
    return str(error) if isinstance(error, Refusal) or words == UNKNOWN else words


def _number(named: str) -> int | None:
    """A project's number; None for what is the path of an archive."""
    return int(named) if named.isascii() and named.isdigit() and len(named) < 19 else None


def _project(named: str) -> tuple[Any, Any]:
    """A scene and its pictures at hand, from a project's number or an archive."""
    from jade_lantern.core.batch import PicturesAtHand
    from jade_lantern.core.deliver.archive import unpacked
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.core.scene.pictures import pictures_in

    number = _number(named)
    if number is None:
        found = unpacked(Path(named).read_bytes())
        return found.scene, PicturesAtHand(dict(found.files))
    _migrated()
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


if __name__ == "__main__":
    app()
