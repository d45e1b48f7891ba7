"""Longer runs by hand: `python -m tests.fuzz changes 20000 --seed 1`, or `files`, or `tries`."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

import typer

app = typer.Typer(no_args_is_help=True, pretty_exceptions_enable=False)


def _set_up() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jade_lantern.studio.settings")
    os.environ["JADE_LANTERN_DATA"] = tempfile.mkdtemp(prefix="jade-lantern-fuzz-")
    import django

    django.setup()


@app.command()
def changes(times: int, seed: int = 0) -> None:
    """So many changes, in walks of two thousand."""
    _set_up()
    from jade_lantern.core.picture import read_still
    from jade_lantern.core.sight.look import Look
    from tests.fuzz.changes import Tally, walk
    from tests.fuzz.starts import unlocked_quay

    scene, still = unlocked_quay(Path(tempfile.mkdtemp()))
    look, tally = Look(read_still(still).pixels), Tally()
    for at in range(0, times, 2000):
        print("seed", seed + at)
        walk(scene, look, min(2000, times - at), seed + at, tally)
        slow = sorted(tally.longest.items(), key=lambda one: -one[1])[:5]
        print(f"  kept {tally.kept.total()}, refused {tally.refused.total()}; longest {slow}")
    print("never kept:", tally.never_kept)


@app.command()
def files(times: int, seed: int = 0) -> None:
    """So many broken files of every format."""
    _set_up()
    from django.core.management import call_command
    from django.test.utils import setup_test_environment

    call_command("migrate", verbosity=0)
    setup_test_environment()
    from jade_lantern.demo.project import carried, demo_still
    from jade_lantern.studio import plates, projects
    from jade_lantern.studio.models import Project
    from tests.fuzz.files import throw

    still = demo_still(Path(tempfile.mkdtemp())).read_bytes()
    plates.take_in(still)
    project = projects.start(carried(still)[-1][1])

    def swept() -> None:
        for other in Project.objects.exclude(pk=project.pk):
            projects.delete(other)
        plates.sweep(0)

    for at in range(0, times, 1000):
        print("seed", seed + at, throw(min(1000, times - at), seed + at, project.pk, swept))
        project.refresh_from_db()


if __name__ == "__main__":
    app()
