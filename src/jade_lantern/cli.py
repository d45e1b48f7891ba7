"""The same program for the command line."""

from __future__ import annotations

import errno
import json
import os
import socket
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, Literal

import typer

from .commands import begin, cast, move
from .commands.edit import edit
from .commands.shared import migrated, project_at, said, set_up, stop, write, write_by

if TYPE_CHECKING:
    from .core.render.film import Plane

app = typer.Typer(
    help="Jade Lantern: from one still to a moving shot.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    add_completion=False,
)

for command in (
    begin.begin, begin.camera, begin.still, begin.draw,
    cast.diagnose, cast.split, cast.kit, cast.paint, cast.footage, cast.fill, cast.gather,
    cast.rank, cast.off, move.limits,
    edit,
):  # fmt: skip
    app.command()(command)

HOST, PORT = "127.0.0.1", 8000


Host = Annotated[str, typer.Option(help="Address to listen on.")]
Port = Annotated[int, typer.Option(min=1, max=65535, help="Port to listen on.")]
OpenToAll = Annotated[
    bool, typer.Option("--open-to-all", help="Ask nobody for a key, beyond this machine either.")
]


@app.command()
def serve(host: Host = HOST, port: Port = PORT, open_to_all: OpenToAll = False) -> None:
    """Serve the application. Beyond this machine, with a key that is printed with its link."""
    _serve(host, port, open_to_all)


def _serve(
    host: str, port: int, open_to_all: bool, later: Callable[[], None] = lambda: None
) -> None:
    """Answer from now on. later: what is to be done beside that, first thing."""
    from jade_lantern.studio.reached import addresses_of

    listening = _listening(host, port)
    named = [h for h in os.environ.get("JADE_LANTERN_HOSTS", "").split(",") if h]
    reached = addresses_of(host, port, named, open_to_all)
    os.environ["JADE_LANTERN_HOSTS"] = ",".join(dict.fromkeys([*named, *reached.hosts]))
    os.environ["JADE_LANTERN_KEY"] = reached.key
    migrated()
    import uvicorn

    from jade_lantern.studio import caretaker
    from jade_lantern.studio.server import app as served  # before a thread competes with its import
    from jade_lantern.studio.warm import warm_sighting

    def first() -> None:
        later()
        warm_sighting()

    if older := caretaker.older_database():
        typer.echo(f"An older database is left untouched, and not shown: {older}")
    over = caretaker.start(first)
    if reached.hosts:
        asked = "with the key in its link" if reached.key else "without being asked for anything"
        typer.echo(f"Whoever reaches it, {asked}, may do everything with all projects.")
    for link in reached.links:
        typer.echo(f"Jade Lantern is at {link}")
    config = uvicorn.Config(
        served, log_level="error", access_log=False, lifespan="off",
        server_header=False, timeout_graceful_shutdown=5,
    )  # fmt: skip
    uvicorn.Server(config).run(sockets=[listening])
    over.set()


def _listening(host: str, port: int) -> socket.socket:
    """A socket on an address. Exits in words where there can be none."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    # Said to be TCP: only on such sockets does asyncio turn Nagle's algorithm off, which holds the
    # second half of each answer back for 40 ms.
    found = socket.socket(family, proto=socket.IPPROTO_TCP)
    found.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        found.bind((host.strip("[]"), port))
        found.listen(2048)
    except OSError as error:
        found.close()
        taken = error.errno == errno.EADDRINUSE
        why = "another program is there" if taken else error.strerror or str(error)
        raise stop(f"It cannot listen on {host}, port {port}: {why}. Try another.") from error
    return found


@app.command()
def demo(
    host: Host = HOST,
    port: Port = PORT,
    open_to_all: OpenToAll = False,
    load_only: Annotated[bool, typer.Option(help="Load the demo projects, do not serve.")] = False,
    parent: Annotated[int | None, typer.Option(hidden=True, help="Stop when it is gone.")] = None,
) -> None:
    """Load the demo projects where there are none yet, and serve."""

    if load_only:
        if parent is not None:
            threading.Thread(target=_stop_without, args=[parent], daemon=True).start()
        os.nice(10)  # somebody may have begun to work meanwhile
        migrated()
        from jade_lantern.studio.demo import load_demo
        from jade_lantern.studio.warm import LATER

        load_demo(typer.echo)
        for kernel in LATER.values():  # so that the first use of them does not wait
            kernel()
        return

    def load() -> None:
        from jade_lantern.studio.demo import load_beside

        load_beside()

    _serve(host, port, open_to_all, load)


def _stop_without(parent: int) -> None:
    """End this process when the one that started it has ended, however that was."""
    while os.getppid() == parent:
        time.sleep(0.5)
    os._exit(1)


@app.command()
def warm(
    first: Annotated[bool, typer.Option("--first", help="Only what is needed at once.")] = False,
) -> None:
    """Compile what is compiled, so that no first drag or first render waits for it."""
    set_up()
    from jade_lantern.studio.warm import FIRST, LATER, compiled

    typer.echo("Compiling; the first time this takes a minute or two …")
    began = time.monotonic()
    for name in compiled(FIRST if first else FIRST | LATER):
        ready = f"{name} is compiled" if name else "still compiling"
        typer.echo(f"  {time.monotonic() - began:3.0f} s  {ready}")


@app.command()
def work() -> None:
    """Make the deliveries that are waiting, then stop. The server starts this by itself."""
    set_up()
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


# how PNG, JPEG, TIFF, WebP and OpenEXR files begin
PICTURE_MARKS = (b"\x89PNG", b"\xff\xd8", b"II*\x00", b"MM\x00*", b"RIFF", b"\x76\x2f\x31\x01")


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


LAYERS = ("lanterns", "light", "shadow", "darkening", "haze", "ungraded")


@app.command()
def render(
    project: Annotated[str, typer.Argument(help="A project's number, or an exported archive.")],
    out: Annotated[Path, typer.Argument(help="An .mp4, or a folder for numbered PNGs.")],
    width: Annotated[
        int | None, typer.Option(help="Frame width; the plate's if not given.")
    ] = None,
    height: Annotated[
        int | None, typer.Option(help="Frame height; of another shape it shows the middle.")
    ] = None,
    overscan: Annotated[
        float, typer.Option(help="More picture on each side, as a share of the frame.")
    ] = 0.0,
    first: Annotated[int | None, typer.Option(help="First frame.")] = None,
    last: Annotated[int | None, typer.Option(help="Last frame.")] = None,
    plane: Annotated[
        list[str] | None,
        typer.Option(
            help="depth, id, position, normal, motion, coverage, lanterns, light, shadow, haze or "
            "ungraded, as TIFF "
            "beside each PNG; repeatable."
        ),
    ] = None,
    layers: Annotated[
        bool, typer.Option(help="All that a frame is laid together of: lanterns, light, haze.")
    ] = False,
) -> None:
    """Render a project's shot."""
    from jade_lantern.core.deliver.frames import films, frame_png, plane_files
    from jade_lantern.core.deliver.movie import Movie
    from jade_lantern.core.move.frames import render_request
    from jade_lantern.core.picture.eight import in_eight_bit
    from jade_lantern.core.refusal import Refusal

    try:
        scene, pictures = project_at(project)
        asked = render_request(scene, width, first, last, height, overscan)
        planes = _planes([*(plane or []), *(LAYERS if layers else ())], out)
        shots = films(scene, pictures.deep, asked, planes, pictures.file)
        total = asked.last - asked.first + 1
        with typer.progressbar(shots, length=total, label="Rendering", file=sys.stderr) as bar:
            if out.suffix == ".mp4":
                part = out.with_name("part-" + out.name)
                with Movie(part, asked.width, asked.height, scene.move.fps) as movie:
                    for film in bar:
                        movie.add(in_eight_bit(film.beauty))
                part.replace(out)
            else:
                out.mkdir(parents=True, exist_ok=True)
                for i, film in enumerate(bar):
                    name = f"frame-{scene.move.first + asked.first + i:05d}"
                    (out / f"{name}.png").write_bytes(frame_png(film.beauty))
                    for called, data in plane_files(scene, film, planes):
                        (out / f"{name}.{called}.tif").write_bytes(data)
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error


def _planes(asked: list[str], out: Path) -> list[Plane]:
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.core.render.film import PLANES

    if out.suffix == ".mp4" and asked:
        raise Refusal("A movie has no planes. Give a folder for numbered frames.")
    for name in asked:
        if name not in PLANES:
            raise Refusal(f"There is no plane {name}. There are {', '.join(PLANES)}.")
    return [one for one in PLANES if one in asked]


@app.command()
def export(
    project: Annotated[str, typer.Argument(help="A project's number, or an exported archive.")],
    out: Annotated[Path, typer.Argument(help=".glb, .usdz, .obj, .usda, .usdc, .json or .zip.")],
    bare: Annotated[bool, typer.Option(help="A GLB of the blocking only.")] = False,
    up: Annotated[str, typer.Option(help="Up in a USDZ or JSON: y or z.")] = "y",
    unit: Annotated[float, typer.Option(min=1e-6, help="Of a USDZ or JSON, metres.")] = 1.0,
    plate: Annotated[bool, typer.Option(help="The plate's file beside a JSON.")] = False,
) -> None:
    """Export the scene as a GLB or USDZ, its blocking as OBJ or USD, the shot camera as JSON, or
    the whole project as a .zip."""
    from jade_lantern.core.block.blocking import KINDS, blocking
    from jade_lantern.core.deliver.archive import pack
    from jade_lantern.core.deliver.camera_file import camera_json, plate_name, require_picture
    from jade_lantern.core.deliver.gltf import glb
    from jade_lantern.core.deliver.usdz import usdz
    from jade_lantern.core.refusal import Refusal

    try:
        if up not in ("y", "z"):
            raise Refusal(f"Up is y or z, and not {up}.")
        axis: Literal["y", "z"] = "z" if up == "z" else "y"
        scene, pictures = project_at(project)
        kind = out.suffix.lstrip(".")
        if kind in KINDS and (bare or kind != "glb"):
            data = blocking(scene, kind)
        elif kind == "glb":
            data = glb(scene, pictures.deep, files=pictures.file)
        elif kind == "usdz":
            data = usdz(scene, pictures.deep, files=pictures.file, up=axis, unit_m=unit)
        elif kind == "json":
            data = camera_json(scene, axis, unit).encode()
            if plate:
                require_picture(scene)
                write(out.with_name(plate_name(scene)), pictures.file(scene.plate.digest))
        elif kind == "zip":
            write_by(out, lambda file: pack(scene, pictures.store, file))
            return
        else:
            raise Refusal("Export to .glb, .usdz, .obj, .usda, .usdc, .json or .zip.")
        write(out, data)
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error


@app.command()
def bring(
    project: Annotated[int, typer.Argument(help="A project's number.")],
    file: Annotated[Path, typer.Argument(help="A .glb, .obj, .usd, .usda, .usdc or .usdz.")],
    unit: Annotated[float | None, typer.Option(help="What one of its units is, metres.")] = None,
) -> None:
    """Bring a blocking into a project, as solids; prints what it is called in the history."""
    migrated()
    from jade_lantern.core.block.blocking import brought
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.studio import projects

    try:
        scene, _ = project_at(str(project))
        edit = brought(file.read_bytes(), file.name, scene, unit)
        projects.keep_at_head(project, edit)
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error
    typer.echo(edit.title(scene))


@app.command()
def stand(
    project: Annotated[int, typer.Argument(help="A project's number.")],
    file: Annotated[Path, typer.Argument(help="A model, a picture, a movie or a ZIP.")],
    x: Annotated[float, typer.Argument(help="Where it stands: a pixel of the plate, across.")],
    y: Annotated[float, typer.Argument(help="And down.")],
    lies: Annotated[bool, typer.Option(help="Flat on what is there.")] = False,
) -> None:
    """Stand a file in a project as a guest; prints what it is called in the history, and what is
    odd about it."""
    migrated()
    from django.conf import settings

    from jade_lantern.core.dress.bring import guest_of
    from jade_lantern.core.dress.standing import StandGuest
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.studio import plates, projects

    try:
        scene, _ = project_at(str(project))
        kept = plates.KeepingPictures()
        named = [(file.name, file.read_bytes())]
        fps = scene.move.fps
        come = guest_of(named, kept.keep, kept.keep_file, settings.MOST_PIXELS, fps)
        gesture = StandGuest(guest=come.guest, at=(x, y), lies=lies)
        made = projects.keep_at_head(project, gesture, kept)
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error
    typer.echo(made.edit.title(made.before))
    for words in come.said:
        typer.echo(words)


@app.command("import")
def import_(
    file: Annotated[
        Path, typer.Argument(help="A still, a movie, a folder of numbered stills, or an archive.")
    ],
    name: Annotated[str, typer.Option(help="The project's name.")] = "",
) -> None:
    """Make a project from a still, from pictures over time, or from an exported archive; prints its
    number."""
    migrated()
    from jade_lantern.core.deliver.archive import is_archive
    from jade_lantern.core.picture.source import sequence_in
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.studio import projects

    try:
        if file.is_dir():
            data = sequence_in(file)
            project = projects.project_from_still(data, file.name, name)
        elif is_archive(file):
            project = projects.project_from_archive(file.read_bytes(), name)
        else:
            project = projects.project_from_still(file.read_bytes(), file.name, name)
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error
    typer.echo(project.pk)


def main() -> None:
    """The program; whatever goes wrong in it is one line."""
    try:
        app()
    except Exception as error:
        typer.echo(said(error), err=True)
        sys.exit(1)


if __name__ == "__main__":
    main()
