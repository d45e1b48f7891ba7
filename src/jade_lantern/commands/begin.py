"""Beginnings without a browser: on nothing, on a camera; a picture in the still's place."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal

import typer

from .shared import Project, migrated, project_at, said, stop, write

Number = Annotated[int, typer.Argument(help="A project's number.")]
AtFrame = Annotated[int, typer.Option(help="The frame of the file that the still is.")]
EyeHeight = Annotated[
    float | None, typer.Option(help="How high it is at that frame, metres: lifts all.")
]
Which = Annotated[str | None, typer.Option("--camera", help="Which camera, where it has several.")]
Size = Annotated[float, typer.Option(help="Metres for each of the file's own.")]


def begin(
    name: Annotated[str, typer.Argument(help="The project's name.")],
    width: Annotated[int, typer.Option(help="Of its frame, px.")] = 1920,
    height: Annotated[int, typer.Option(help="Of its frame, px.")] = 1080,
    eye_height: Annotated[float, typer.Option(help="Metres.")] = 1.6,
    tilt: Annotated[float, typer.Option(help="Degrees; up is positive.")] = 0.0,
    focal: Annotated[float, typer.Option(help="mm, in 35 mm terms.")] = 35.0,
    camera: Annotated[
        Path | None, typer.Option(help="A GLB, USD or JSON whose camera it begins on.")
    ] = None,
    meshes: Annotated[bool, typer.Option(help="That file's meshes become proxies.")] = True,
) -> None:
    """Begin a project that has no picture yet; prints its number."""
    migrated()
    from pydantic import ValidationError

    from jade_lantern.core.begin.camera import CameraAsked
    from jade_lantern.core.begin.nothing import Nothing
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.core.scene.document import plainly
    from jade_lantern.studio import projects

    words: list[str] = []
    try:
        if camera is not None:
            data = camera.read_bytes()
            project, words = projects.project_from_camera(
                data, camera.name, CameraAsked(), width, meshes, name
            )
        else:
            asked = Nothing(
                name=name, width=width, height=height, eye_height_m=eye_height, tilt_deg=tilt,
                focal_mm=focal,
            )  # fmt: skip
            project = projects.project_on_nothing(asked)
    except ValidationError as error:
        raise stop(plainly(error)) from error
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error
    typer.echo(project.pk)
    for line in words:
        typer.echo(line, err=True)


def camera(
    project: Number,
    file: Annotated[Path, typer.Argument(help="A .glb, .usd, .usda, .usdc, .usdz or .json.")],
    which: Which = None,
    sighted: Annotated[
        bool, typer.Option("--sighted", help="So that it is the sighted camera at that frame.")
    ] = False,
    ground: Annotated[
        Path | None,
        typer.Option(
            help='Places on the ground in two pictures of the footage, as JSON: {"pictures": [0, '
            '47], "places": [[[x, y], [x, y]], …], "apart_m": 3}.'
        ),
    ] = None,
    frame: AtFrame = 0,
    eye_height: EyeHeight = None,
    size: Size = 1.0,
    meshes: Annotated[bool, typer.Option(help="The file's meshes become proxies.")] = False,
) -> None:
    """Take a file's camera as a project's sighted one; prints what it is called in the history, and
    what is odd about it."""
    migrated()
    from pydantic import ValidationError

    from jade_lantern.core.begin.camera import (
        CameraAsked,
        camera_come,
        camera_paths_in,
        meshes_come,
        said_inside,
    )
    from jade_lantern.core.begin.ground import GroundPicks
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.core.scene.document import plainly
    from jade_lantern.studio import projects

    try:
        if sighted and ground is not None:
            raise Refusal("It is placed as sighted, or by its ground, and not by both.")
        picks = None if ground is None else GroundPicks.model_validate_json(ground.read_bytes())
        place: Literal["own", "sighted", "picked"] = "sighted" if sighted else "own"
        asked = CameraAsked(
            camera=which, place=place if picks is None else "picked", frame=frame,
            eye_height_m=eye_height, size=size, picks=picks,
        )  # fmt: skip
        scene, _ = project_at(str(project))
        data = file.read_bytes()
        come = camera_come(camera_paths_in(data, file.name), asked, scene)
        kept = projects.keep_at_head(project, come.edit)
        typer.echo(kept.edit.title(kept.before))
        if meshes:
            stood = meshes_come(data, file.name, kept.now.scene, come)
            kept = projects.keep_at_head(project, stood)
            typer.echo(kept.edit.title(kept.before))
    except ValidationError as error:
        raise stop(plainly(error)) from error
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error
    for line in (*come.said, *said_inside(kept.now.scene)):
        typer.echo(line)


def still(
    project: Number,
    file: Annotated[Path, typer.Argument(help="A picture, a movie, or numbered stills.")],
    shows: Annotated[
        str | None,
        typer.Option(help="What one of another shape does: more, part or pulled."),
    ] = None,
) -> None:
    """Put another picture in the place of a project's still; prints what it is called in the
    history."""
    migrated()
    from jade_lantern.core.picture.source import sequence_in
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.studio import projects
    from jade_lantern.studio.models import Project as Row

    try:
        if shows not in (None, "more", "part", "pulled"):
            raise Refusal(f"A picture shows more, part or pulled, and not {shows}.")
        data = sequence_in(file) if file.is_dir() else file.read_bytes()
        head = Row.objects.get(pk=project).head
        kept = projects.replace_still(project, head, data, file.name, shows)  # type: ignore[arg-type]
    except Row.DoesNotExist as error:
        raise stop(f"There is no project {project}.") from error
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error
    typer.echo(kept.edit.title(kept.before))


def draw(
    project: Project,
    out: Annotated[Path, typer.Argument(help="A folder, or a .zip.")],
) -> None:
    """Draw the blocking as the lens sees it, to be painted over: grey, wire, grid, depth, and
    proxies by colour."""
    from jade_lantern.core.begin.drawing import drawing_files, drawings_zip
    from jade_lantern.core.refusal import Refusal

    try:
        scene, _ = project_at(project)
        if out.suffix == ".zip":
            write(out, drawings_zip(scene))
            return
        files = list(drawing_files(scene))
        out.mkdir(parents=True, exist_ok=True)
        for name, data in files:
            write(out / name, data)
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error
