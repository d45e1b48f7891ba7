"""Changes kept by a process that can be killed at any moment.

`python -m tests.studio.keeper DATA` imports what keeps changes once and then forks: for each line
on its standard input, `rename PROJECT ROUND` or `flatten PROJECT BASE`, a child process does that
until it is done or killed. The child's process id comes first on standard output, and then a line
for every change that was acknowledged: the revision's number and the name it gave the project.
An empty line says that the child is gone."""

from __future__ import annotations

import os
import sys

os.environ["DJANGO_SETTINGS_MODULE"] = "jade_lantern.studio.settings"


def say(*words: object) -> None:
    """One write for a line, so that a kill leaves whole lines only."""
    os.write(1, (" ".join(map(str, words)) + "\n").encode())


def rename(project: int, turn: int) -> None:
    from jade_lantern.core.scene.edits import RenameProject
    from jade_lantern.studio import projects
    from jade_lantern.studio.models import Project

    head = Project.objects.get(pk=project).head
    for step in range(10_000):
        name = f"round {turn} step {step}"
        head = projects.keep(project, head, RenameProject(name=name)).now.project.head
        say(head, name)


def flatten(project: int, base: int) -> None:
    from jade_lantern.core.sight.flatten import Flatten
    from jade_lantern.studio import projects

    say(projects.keep(project, base, Flatten()).now.project.head, "flattened")


def main() -> None:
    import django

    django.setup()
    from jade_lantern.studio import projects  # noqa: F401 (what a child needs is imported here)

    say("ready")
    for line in sys.stdin:
        what, *numbers = line.split()
        child = os.fork()
        if child == 0:
            try:
                {"rename": rename, "flatten": flatten}[what](*map(int, numbers))
            finally:
                os._exit(0)
        say(child)
        os.waitpid(child, 0)
        say()


if __name__ == "__main__":
    main()
