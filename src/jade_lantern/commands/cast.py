"""Cast without a browser: where the trick would show, the split, the paint kit, paint and fill."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

if TYPE_CHECKING:
    from jade_lantern.core.scene.model import Lantern, Scene

from .shared import Project, keep_in, project_at, said, stop, write


def diagnose(
    project: Project,
    first: Annotated[int | None, typer.Option(help="First frame.")] = None,
    last: Annotated[int | None, typer.Option(help="Last frame.")] = None,
    width: Annotated[int, typer.Option(help="Width at which it is worked out.")] = 480,
    maps: Annotated[Path | None, typer.Option(help="A folder for maps as PNG.")] = None,
) -> None:
    """Say where the trick would show: one line of JSON a frame.

    leak, spill, stretch and reveal, as shares of the frame, in all, by proxy and by lantern.
    """
    import numpy as np

    from jade_lantern.core.move.diagnosis import diagnosed, line_of
    from jade_lantern.core.move.frames import render_request
    from jade_lantern.core.picture import png
    from jade_lantern.core.refusal import Refusal

    try:
        scene, pictures = project_at(project)
        asked = render_request(scene, width, first, last)
        for number, diagnosis in diagnosed(scene, asked, pictures.deep):
            sys.stdout.write(json.dumps(line_of(scene, number, diagnosis)) + "\n")
            if maps is None:
                continue
            maps.mkdir(parents=True, exist_ok=True)
            flags = {"leak": diagnosis.leak, "spill": diagnosis.spill, "reveal": diagnosis.reveal}
            for name, where in {**flags, "stretch": (diagnosis.stretch / 4).clip(0, 1)}.items():
                # the last row of what was looked at may lie past the frame
                grey = np.asarray(where[: asked.height] * 255, np.uint8)
                shade = np.repeat(grey[..., None], 3, axis=2)
                (maps / f"{name}-{number:05d}.png").write_bytes(png(shade))
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error


def split(
    project: Project,
    take: Annotated[
        bool, typer.Option("--take", help="Make its lanterns; fill the sheet.")
    ] = False,
) -> None:
    """Propose the fewest plates by which no proxy gets a nearer one's picture.

    One line of JSON a plate: {"plate": n, "proxies": names, "paint_out": names}, and one for what
    crosses, if anything does.
    """
    from jade_lantern.core.cast.take import TakeSplit, in_the_picture, split_of
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.core.sight.measure import required_camera

    try:
        scene, _ = project_at(project)
        camera = required_camera(scene)
        found = split_of(scene, camera)
        if take:
            keep_in(project, TakeSplit())
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error
    names = [p.name for p in in_the_picture(scene)]
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


def kit(
    project: Project,
    out: Annotated[Path, typer.Argument(help="A .zip, or a folder.")],
) -> None:
    """Write the paint kit: of each lantern that takes paint an OpenRaster file and PNGs of the
    plate, what to paint out, what the move reveals, wire and grid; and a note in words."""
    from jade_lantern.core.cast.kit import kit as packed_kit
    from jade_lantern.core.cast.kit import kit_bytes, kit_files
    from jade_lantern.core.refusal import Refusal
    from jade_lantern.studio.machine import require_memory

    try:
        scene, pictures = project_at(project)
        require_memory(kit_bytes(scene), "A paint kit of these plates")
        if out.suffix == ".zip":
            write(out, packed_kit(scene, pictures.deep))
            return
        for name, data in kit_files(scene, pictures.deep):
            out.mkdir(parents=True, exist_ok=True)
            write(out / name, data)
            typer.echo(out / name)
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error


def paint(
    project: Project,
    files: Annotated[list[Path], typer.Argument(help="Painted plates: PNG, TIFF, OpenRaster …")],
    frame: Annotated[int, typer.Option(min=0, help="Of a movie, the frame that is taken.")] = 0,
    plays: Annotated[
        bool, typer.Option("--plays", help="Movies play, and numbered files are one sequence.")
    ] = False,
) -> None:
    """Bring painted plates back; each finds its lantern by its name.

    One line of JSON a file: {"file", "lantern": a name or null, "said": what is odd about it}.
    """
    from jade_lantern.core.cast.paint import taken_in
    from jade_lantern.core.refusal import Refusal

    try:
        scene, pictures = project_at(project)
        named = [(file.name, file.read_bytes()) for file in files]
        kept: list[bytes] = []

        def keep(data: bytes) -> str:
            kept.append(data)
            return str(pictures.store.keep(data))

        edit, brought = taken_in(scene, named, pictures.deep, keep, frame=frame, plays=plays)
        for one in brought:
            line = {
                "file": one.file, "lantern": one.lantern, "said": list(one.said),
                "done": list(one.done),
            }  # fmt: skip
            sys.stdout.write(json.dumps(line) + "\n")
        if edit is None:
            raise Refusal("Nothing was taken.")
        keep_in(project, edit, kept)
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error


def footage(
    project: Project,
    files: Annotated[list[Path], typer.Argument(help="A movie, a ZIP, or numbered stills.")],
    matte: Annotated[
        Path | None, typer.Option(help="A movie, a ZIP or a picture: white is seen.")
    ] = None,
    under: Annotated[bool, typer.Option("--under", help="Behind the trick, not before.")] = False,
    overscan: Annotated[
        bool, typer.Option("--overscan", help="Larger than the still: pixel for pixel.")
    ] = False,
) -> None:
    """Lay footage of the still's own view over the trick or under it, by its alpha or a matte: one
    line of JSON, what is odd about it."""
    from jade_lantern.core.cast.beside import FootageAsked, footage_laid
    from jade_lantern.core.picture.source import sequence_name, sequence_of
    from jade_lantern.core.refusal import Refusal

    try:
        scene, pictures = project_at(project)
        kept: list[bytes] = []

        def keep(data: bytes) -> str:
            kept.append(data)
            return str(pictures.store.keep(data))

        named = [(file.name, file.read_bytes()) for file in files]
        one = named[0] if len(named) == 1 else (sequence_name(named[0][0]), sequence_of(named))
        laid = footage_laid(
            scene, *one, None if matte is None else matte.read_bytes(), keep,
            FootageAsked(not under, overscan),
        )  # fmt: skip
        done = keep_in(project, laid.edit, kept)
        sys.stdout.write(json.dumps({"kept": done, "said": laid.said}) + "\n")
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error


def fill(
    project: Project,
    lantern: Annotated[
        list[str] | None, typer.Option(help="A lantern's name; all if none.")
    ] = None,
) -> None:
    """Fill in roughly what nearer things hide in plates that nobody has painted, as stand-ins."""
    from jade_lantern.core.cast.fill import Fill
    from jade_lantern.core.refusal import Refusal

    try:
        scene, _ = project_at(project)
        todo = [
            one for one in scene.lanterns
            if (one.name in lantern if lantern else one.stand_in and one.view is None)
        ]  # fmt: skip
        if not todo:
            raise Refusal("No lantern is left to be filled.")
        for one in todo:
            typer.echo(keep_in(project, Fill(lanterns=(one.id,))))
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error


def gather(
    project: Project,
    lantern: Annotated[str, typer.Argument(help="The name of a lantern that stands elsewhere.")],
    maps: Annotated[Path | None, typer.Option(help="A folder for its files.")] = None,
) -> None:
    """Fill a lantern's plate with all that the footage saw of what the lantern sees: one line of
    JSON. With --maps, nothing is kept: the picture, its layers, which frame gave each place, and
    how far frames are apart are written instead, a line of JSON for each."""
    from jade_lantern.core.cast.gather import Gather
    from jade_lantern.core.cast.gather_files import gathered_files
    from jade_lantern.core.refusal import Refusal

    try:
        scene, pictures = project_at(project)
        one = _lantern(scene, lantern)
        if maps is None:
            sys.stdout.write(json.dumps({"kept": keep_in(project, Gather(lantern=one.id))}) + "\n")
            return
        for name, data in gathered_files(scene, one, pictures.deep):
            maps.mkdir(parents=True, exist_ok=True)
            write(maps / name, data)
            sys.stdout.write(json.dumps({"file": name}) + "\n")
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error


def off(
    project: Project,
    lantern: Annotated[str, typer.Argument(help="The name of a lantern that throws a photograph.")],
    out: Annotated[Path | None, typer.Argument(help="A .png for the map.")] = None,
) -> None:
    """How far a placed photograph is from what the still throws there, in its pixels: one line of
    JSON; as a map from green (none) over yellow (2 px) to red (8 px)."""
    from jade_lantern.core.cast.compare import off as how_far
    from jade_lantern.core.picture import png
    from jade_lantern.core.refusal import Refusal

    try:
        scene, pictures = project_at(project)
        found = how_far(scene, _lantern(scene, lantern), pictures.deep)
        numbers = {"px": found.within(0.5), "most": found.within(0.9), "share": found.share}
        if out is not None:
            write(out, png(found.picture()))
        sys.stdout.write(json.dumps(numbers) + "\n")
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error


def _lantern(scene: Scene, name: str) -> Lantern:
    """A lantern by its name or id. Raises Refusal."""
    from jade_lantern.core.refusal import Refusal

    one = next((k for k in scene.lanterns if name in (k.name, k.id)), None)
    if one is None:
        there = ", ".join(k.name for k in scene.lanterns)
        raise Refusal(f"There is no lantern {name}. There are {there}.")
    return one


def rank(
    project: Project,
    proxy: Annotated[str | None, typer.Argument(help="A proxy's name or id; all without.")] = None,
    face: Annotated[int | None, typer.Option(help="One face of it, by its number.")] = None,
) -> None:
    """The frames of the footage by how well they see proxies, the best first: a line of JSON
    each."""
    from jade_lantern.core.cast.footage import ranked
    from jade_lantern.core.refusal import Refusal

    try:
        scene, _ = project_at(project)
        wanted = [p for p in scene.proxies if not p.hidden and proxy in (None, p.name, p.id)]
        if not wanted:
            raise Refusal(f"There is no proxy {proxy}, or it is hidden.")
        for one in wanted:
            for told in ranked(scene, one.id, face):
                line = {"proxy": one.name, **told._asdict()}
                sys.stdout.write(json.dumps(line) + "\n")
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error
