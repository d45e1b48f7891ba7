from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from django.test import Client

from jade_lantern.core.scene.model import Scene
from jade_lantern.studio import levels, plates, projects, revisions
from jade_lantern.studio.api import project as project_api
from jade_lantern.studio.models import Project
from tests.answers import whole


@pytest.fixture(autouse=True)
def _own_folder(settings: Any, tmp_path: Path) -> Iterator[None]:
    settings.DATA = tmp_path
    settings.FILE_UPLOAD_TEMP_DIR = tmp_path / "uploads"
    settings.FILE_UPLOAD_TEMP_DIR.mkdir()
    projects._at_hand.clear()
    projects._deleted.clear()
    revisions._maps.clear()
    plates.held.clear()
    project_api._histories.clear()
    yield
    levels.settle()
    plates.smalls.settle()


class Api:
    """The API as a client uses it."""

    def __init__(self) -> None:
        self.client = Client()

    def get(self, path: str) -> Any:
        return self.client.get(f"/api/{path}")

    def post(self, path: str, **body: Any) -> Any:
        return self.client.post(f"/api/{path}", body, content_type="application/json")

    def whole(self, project: int) -> dict[str, Any]:
        """A project as it stands, everything told."""
        return whole(self.get(f"projects/{project}").json())

    def keep(self, project: int, base: int, **change: Any) -> Any:
        return self.post(f"projects/{project}/edits", base=base, change=change)


@pytest.fixture
def api(db: None) -> Api:
    return Api()


@pytest.fixture
def project(db: None, demo_scene: Scene, still_file: Path) -> Project:
    """The demo scene as a project with one revision."""
    plates.take_in(still_file.read_bytes())
    return projects.start(demo_scene)
