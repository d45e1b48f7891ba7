"""Move without a browser: how far the camera may go."""

from __future__ import annotations

import json
import sys
from typing import Annotated

import typer

from .shared import Project, project_at, said, stop


def limits(
    project: Project,
    frame: Annotated[int, typer.Option(min=0, help="The frame that is gone from.")] = 0,
    way: Annotated[
        list[str] | None, typer.Option(help="right, left, up …, amount; all if none.")
    ] = None,
    most: Annotated[
        float, typer.Option(help="The share of a frame that may be leak or reveal.")
    ] = 0.001,
    stretch: Annotated[
        float, typer.Option(help="Shot pixels per plate pixel that are too many.")
    ] = 2.0,
) -> None:
    """Say how far the shot camera may go each way, and how much of the move stands up.

    One line of JSON a way: {"way", "most": metres, a factor of the focal length, or how much of the
    move, "breaks": what shows beyond that or null, "frame": of the move, where it shows first}.
    """
    from jade_lantern.core.move.limits import WAYS, Tolerance
    from jade_lantern.core.move.limits import limits as travel_limits
    from jade_lantern.core.refusal import Refusal

    try:
        scene, pictures = project_at(project)
        unknown = [name for name in way or () if name not in WAYS]
        if unknown:
            raise Refusal(f"There is no way {unknown[0]}. The ways are {', '.join(WAYS)}.")
        if not (0 < most <= 1 and 1 < stretch <= 100):
            raise Refusal("Of a frame 0 to 1 may show, and a stretch is from 1 to 100.")
        asked = tuple(w for w in WAYS if (w in way if way else w != "amount" or scene.move.keyed))
        tolerance = Tolerance(most=most, stretch=stretch)
        for one in asked:
            (found,) = travel_limits(scene, frame, tolerance, (one,), pictures.deep)
            sys.stdout.write(json.dumps(found._asdict()) + "\n")
            sys.stdout.flush()
    except (Refusal, OSError, MemoryError) as error:
        raise stop(said(error)) from error
