"""What the picture proposes to the sighting, what each heading says."""

from __future__ import annotations

from typing import Annotated

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Schema

from ...core.scene.model import Heading
from ...core.sight.measure import unit_camera
from ...core.sight.propose import Proposal, proposal
from ...core.sight.reading import CameraReading, camera_reading
from ...core.sight.rectangle import opinions
from ...core.sight.sensors import SENSORS
from .. import plates
from . import project as project_api
from .project import StepNumber, Trouble

router = Router(tags=["sight"])

Revision = Annotated[int, Query(ge=0, lt=2**31)]


class Opinion(Schema):
    """What two headings say by themselves."""

    headings: tuple[Heading, Heading]
    focal_px: float
    focal_px_sigma: float
    focal_35mm: float
    tilt_deg: float
    roll_deg: float
    horizon: tuple[float, float, float]
    camera: CameraReading


class SensorOut(Schema):
    name: str
    width_mm: float
    height_mm: float
    crop: float


@router.get("/projects/{id}/proposal", response={200: Proposal, 404: Trouble, 422: Trouble})
def propose(request: HttpRequest, id: StepNumber, revision: Revision) -> HttpResponse:
    """The picture's edges by heading, as the sighting stands at a revision, and the one worth
    most."""
    scene = project_api.scene_or_404(id, revision)
    return project_api.as_json(proposal(scene, plates.look(scene.plate)))


@router.get("/projects/{id}/opinions", response={200: list[Opinion], 404: Trouble})
def disagreement(request: HttpRequest, id: StepNumber, revision: Revision) -> list[Opinion]:
    """What each two headings would say without the third, at a revision."""
    scene = project_api.scene_or_404(id, revision)
    out = []
    for headings, lens in opinions(scene):
        (tilt, roll, _), _ = lens.angles()
        a, b, c = lens.numbers[6:9]
        out.append(
            Opinion(
                headings=headings, focal_px=lens.focal_px, focal_px_sigma=lens.focal_sigma,
                focal_35mm=lens.focal_35mm, tilt_deg=tilt, roll_deg=roll, horizon=(a, b, c),
                camera=camera_reading(unit_camera(lens)),
            )
        )  # fmt: skip
    return out


@router.get("/sensors", response=list[SensorOut])
def sensors(request: HttpRequest) -> list[SensorOut]:
    """Usual sizes of sensors and film gates."""
    return [
        SensorOut(name=s.name, width_mm=s.width_mm, height_mm=s.height_mm, crop=s.crop)
        for s in SENSORS
    ]
