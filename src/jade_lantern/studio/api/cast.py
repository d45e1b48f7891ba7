"""Cast: diagnosis, the proposed split, paint kits, painted plates and wide lanterns."""

from __future__ import annotations

import base64
from dataclasses import asdict
from typing import Annotated

import numpy as np
from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, Query, Router, Schema
from ninja.files import UploadedFile
from pydantic import Field

from ...core.budget import Budget
from ...core.cast import compare
from ...core.cast.beside import FootageAsked, footage_laid
from ...core.cast.borrow import plane_under
from ...core.cast.footage import apart, ranked, ranked_in
from ...core.cast.inside import standing_inside
from ...core.cast.ofscene import cast_of
from ...core.cast.paint import taken_in
from ...core.cast.squash import Squash, effect_of
from ...core.cast.take import in_the_picture, split_of
from ...core.move.diagnosis import diagnosed_cast, looked_at
from ...core.move.frames import render_request
from ...core.move.maps import map_picture
from ...core.picture import png
from ...core.picture.eight import in_eight_bit
from ...core.picture.source import sequence_name, sequence_of
from ...core.refusal import Refusal
from ...core.render.diagnose import Diagnosis
from ...core.render.frame import rendered
from ...core.scene.edits.edit import the_one
from ...core.scene.model import Scene
from ...core.scene.moment import at
from ...core.scene.shot import shot_cameras
from ...core.sight.measure import required_camera
from ...core.value import Id, Point2
from .. import plates, projects
from ..models import Project
from ..worked_out import WorkedOut
from . import project as project_api
from .project import Answer, BroughtOut, StepNumber, Trouble, answer
from .sight import Revision

router = Router(tags=["cast"])

MAP_WIDTH = 480  # of the maps that are laid over a frame
WIDTH = 320  # of the frame that is looked at: enough for shares, and at once


class OfProxy(Schema):
    """What one proxy shows of it, as shares of the frame."""

    id: str
    name: str
    spill: float
    stretch: float
    reveal: float


class OfLantern(Schema):
    """What is wrong where one lantern's picture lands, as shares of the frame."""

    id: str
    name: str
    spill: float
    stretch: float


class FrameDiagnosis(Schema):
    """Shares of a frame: where nothing is to land on, where a nearer thing's picture lands, where
    plate pixels are pulled too large, and what no lantern sees; by proxy, the worst first, and by
    lantern."""

    frame: int
    leak: float
    spill: float
    stretch: float
    reveal: float
    proxies: list[OfProxy]
    lanterns: list[OfLantern]


@router.get("/projects/{id}/diagnosis", response={200: FrameDiagnosis, 404: Trouble, 422: Trouble})
def diagnosis(
    request: HttpRequest,
    id: StepNumber,
    revision: Revision,
    frame: Annotated[int, Query(ge=0, lt=100_001)],
) -> FrameDiagnosis:
    """Where the trick would show at one frame of the shot, as a revision has it."""
    scene = project_api.scene_or_404(id, revision)
    width = min(WIDTH, scene.plate.width)
    diagnosis = _diagnosis_of(scene, width, frame)
    shown = [p for p in scene.proxies if not p.hidden]
    every = [(p, diagnosis.shares_of(i)) for i, p in enumerate(shown)]
    of = [OfProxy(id=p.id, name=p.name, **s) for p, s in every if any(s.values())]
    of.sort(key=lambda p: -max(p.spill, p.stretch, p.reveal))
    lit = [
        OfLantern(id=one.id, name=one.name, **diagnosis.shares_by(i))
        for i, one in enumerate(scene.lanterns)
    ]
    return FrameDiagnosis(frame=frame, **diagnosis.shares(), proxies=of, lanterns=lit)


class RankOut(Schema):
    """How well a frame of the footage sees a proxy, or what a region shows: the share of it that it
    sees, and that is hidden; pixels a metre, and how many times more along the other direction; the
    name of what hides most of it; which picture it is, and the left, top, right and bottom of what
    is seen there, as shares of that."""

    frame: int
    seen: float
    hidden: float
    sharp: float
    stretch: float
    by: str | None
    picture: int
    box: tuple[float, float, float, float]


class RankedIn(Schema):
    """What frames are ranked for: a proxy, a face of one, or what the lens sees inside a ring, px
    of the lens view. few: only so many, that are not neighbours of each other."""

    proxy: Id | None = None
    face: Annotated[int, Field(ge=1, le=10**9)] | None = None
    ring: Annotated[list[Point2], Field(min_length=3, max_length=1000)] | None = None
    few: Annotated[int, Field(ge=1, le=100)] | None = None


@router.post("/projects/{id}/rank", response={200: list[RankOut], 404: Trouble, 422: Trouble})
def rank(
    request: HttpRequest, id: StepNumber, revision: Revision, body: RankedIn
) -> list[RankOut]:  # fmt: skip
    """The frames of the footage by how well they see something, the best first."""
    scene = project_api.scene_or_404(id, revision)
    if body.ring is not None:
        told = ranked_in(scene, body.ring)
    elif body.proxy is not None:
        told = ranked(scene, body.proxy, body.face)
    else:
        raise Refusal("Say what the frames are ranked for: a proxy, or a part of the picture.")
    few = told if body.few is None else apart(told, body.few)
    return [RankOut(**one._asdict()) for one in few]


# what a scene casts, ready to be looked at from any frame; the keys of the shot are not in it
_ready = WorkedOut(
    lambda scene: diagnosed_cast(scene, plates.deep),
    ("plate", "sighting", "proxies", "lanterns", "sheet", "glazed"), 1 << 30,
)  # fmt: skip


def _diagnosis_of(scene: Scene, width: int, frame: int, whole: bool = False) -> Diagnosis:
    """A frame of the shot looked at; whole: all that its camera sees, whatever is delivered."""
    asked = render_request(scene, width, frame, frame)
    (camera,) = shot_cameras(scene, np.array([float(frame)]), required_camera(scene))
    cast = _ready.of(at(scene, float(frame)))
    if not whole:
        return looked_at(cast, asked, camera)
    small, larger, _ = asked.looked_at(camera)
    seen = camera.at_width(width)
    return cast.from_(seen, larger * small.focal_px / seen.focal_px)


@router.get("/projects/{id}/diagnosis.png", response={404: Trouble, 422: Trouble})
def diagnosis_map(
    request: HttpRequest, id: StepNumber, revision: Revision,
    frame: Annotated[int, Query(ge=0, lt=100_001)],
    show: Annotated[str, Query(pattern="^[a-z,]{0,40}$")] = "leak,spill,stretch,reveal",
) -> HttpResponse:  # fmt: skip
    """The maps of one frame, one over another, to be laid over it."""
    scene = project_api.scene_or_404(id, revision)
    width = min(MAP_WIDTH, scene.plate.width)
    diagnosis = _diagnosis_of(scene, width, frame, whole=True)
    data = png(map_picture(diagnosis, set(show.split(","))))
    return HttpResponse(data, content_type="image/png", headers={"Cache-Control": "no-store"})


class PlateOut(Schema):
    """proxies: ids of those that are cast from it. removed: ids of those painted out of it."""

    proxies: list[str]
    removed: list[str]


class SplitOut(Schema):
    """The fewest plates, the picture as it is first. crossing: pairs of ids that are each before
    the other somewhere, so that no order is right for both. inside: ids of lanterns that stand
    inside a proxy, and of that."""

    plates: list[PlateOut]
    crossing: list[tuple[str, str]]
    inside: list[tuple[str, str]]


@router.get("/projects/{id}/split", response={200: SplitOut, 404: Trouble, 422: Trouble})
def split(request: HttpRequest, id: StepNumber, revision: Revision) -> SplitOut:
    """The fewest plates by which no proxy gets a nearer one's picture."""
    return splits.of(project_api.scene_or_404(id, revision))


def _split(scene: Scene) -> SplitOut:
    camera = required_camera(scene)
    found = split_of(scene, camera)
    ids = [p.id for p in in_the_picture(scene)]
    plates = [
        PlateOut(proxies=[ids[i] for i in own], removed=[ids[i] for i in gone])
        for own, gone in zip(found.plates, found.removed, strict=True)
    ]
    crossing = [(ids[i], ids[j]) for i, j in found.crossing]
    return SplitOut(plates=plates, crossing=crossing, inside=standing_inside(scene, camera))


splits = WorkedOut(
    _split, ("plate", "sighting", "proxies", "glazed", "lanterns", "sheet"), 16 << 20
)


class SquashOut(Schema):
    """What a squash would change: metres before the lens, and the share of the picture where the
    lens would see another proxy than before."""

    near_m: float
    far_m: float
    far_after_m: float
    otherwise: float


@router.post("/projects/{id}/squash", response={200: SquashOut, 404: Trouble, 422: Trouble})
def squash(request: HttpRequest, id: StepNumber, revision: Revision, body: Squash) -> SquashOut:
    """What a squash would change, before it is made."""
    found = effect_of(project_api.scene_or_404(id, revision), body)
    return SquashOut(**asdict(found))


@router.post(
    "/projects/{id}/footage",
    response={200: Answer, 404: Trouble, 409: Trouble, 413: Trouble, 422: Trouble},
)
def footage(
    request: HttpRequest, id: StepNumber, files: File[list[UploadedFile]],
    base: Annotated[int, Form(ge=0, lt=2**31)], matte: File[list[UploadedFile] | None] = None,
    over: Annotated[bool, Form()] = True, overscan: Annotated[bool, Form()] = False,
) -> HttpResponse:  # fmt: skip
    """Lay footage of the still's own view over the trick or under it, by its alpha or a matte:
    movies, or the numbered files of a sequence, as several or in a ZIP."""
    get_object_or_404(Project, pk=id)
    scene = project_api.scene_or_404(id, base)
    name, data = _one_of(files)
    kept = plates.KeepingPictures()
    laid = footage_laid(
        scene, name, data, _one_of(matte)[1] if matte else None, kept.keep,
        FootageAsked(over, overscan), settings.MOST_PIXELS, Budget(settings.MOST_DECODED_BYTES),
    )  # fmt: skip
    now = projects.keep(id, base, laid.edit, kept).now
    called = now.scene.lanterns[-1].name
    return answer(now, [BroughtOut(file=name, lantern=called, said=laid.said, done=[])])


def _one_of(files: list[UploadedFile]) -> tuple[str, bytes]:
    """A file, or several numbered ones as one sequence. Raises Refusal."""
    named = [(file.name or "footage", file.read()) for file in files]
    if len(named) == 1:
        return named[0]
    return sequence_name(named[0][0]), sequence_of(named)


class PlaneIn(Schema):
    """at: px of the lens view. proxy: whose plane is meant; the nearest that takes the lantern
    where it is left out."""

    lantern: Id
    at: Point2
    proxy: Id | None = None


class PlaneOut(Schema):
    """The plane that a patch is borrowed on: whose it is, a place on it, and its normal."""

    proxy: str
    point: tuple[float, float, float]
    normal: tuple[float, float, float]


@router.post("/projects/{id}/plane", response={200: PlaneOut, 404: Trouble, 422: Trouble})
def plane(request: HttpRequest, id: StepNumber, revision: Revision, body: PlaneIn) -> PlaneOut:
    """The plane that a patch is borrowed on at a place of the lens view."""
    scene = project_api.scene_or_404(id, revision)
    lantern = the_one(scene.lanterns, body.lantern, "lantern")
    on = plane_under(scene, lantern, body.at, body.proxy)
    point, normal = tuple(on.point.tolist()), tuple(on.normal.tolist())
    return PlaneOut(proxy=on.proxy or "", point=point, normal=normal)


class IdentityOut(Schema):
    """The plate seen again through its own lantern. covered: share of the plate that something
    stands on. most: the largest difference there, of 255; zero is zero."""

    covered: float
    most: int


@router.get("/projects/{id}/identity", response={200: IdentityOut, 404: Trouble, 422: Trouble})
def identity(request: HttpRequest, id: StepNumber, revision: Revision) -> IdentityOut:
    """What is cast against the plate at the lens, at the plate's own size, without what was put
    before the picture."""
    whole = project_api.scene_or_404(id, revision)
    scene = whole.model_copy(update={"proxies": tuple(in_the_picture(whole))})
    camera = required_camera(scene)
    pixels = plates.pixels(scene.plate)
    seen = in_eight_bit(rendered(cast_of(scene, plates.deep), camera))
    there = seen[..., 3] == 255
    off = np.abs(seen[..., :3].astype(np.int16) - pixels[..., :3])
    return IdentityOut(covered=float(there.mean()), most=int(off[there].max(initial=0)))


class OffOut(Schema):
    """How far a placed photograph is off. px: half of what could be compared lies within it, most:
    nine tenths of it. share: of the photograph, that could. picture: a PNG, as a data address."""

    px: float
    most: float
    share: float
    picture: str


@router.get("/projects/{id}/off/{lantern}", response={200: OffOut, 404: Trouble, 422: Trouble})
def off(request: HttpRequest, id: StepNumber, lantern: str, revision: Revision) -> OffOut:
    """How far a lantern's photograph is from what the still throws there, as numbers and a map."""
    scene = project_api.scene_or_404(id, revision)
    found = compare.off(scene, the_one(scene.lanterns, lantern, "lantern"), plates.deep)
    coded = base64.b64encode(png(found.picture())).decode()
    return OffOut(
        px=found.within(0.5), most=found.within(0.9), share=found.share,
        picture=f"data:image/png;base64,{coded}",
    )  # fmt: skip


@router.post(
    "/projects/{id}/paint",
    response={200: Answer, 404: Trouble, 409: Trouble, 413: Trouble, 422: Trouble},
)
def paint(
    request: HttpRequest, id: StepNumber, files: File[list[UploadedFile]],
    base: Annotated[int, Form(ge=0, lt=2**31)], frame: Annotated[int, Form(ge=0, lt=10**6)] = 0,
    plays: Annotated[bool, Form()] = False,
) -> HttpResponse:  # fmt: skip
    """Bring painted plates back: each file finds its lantern by its name, and what has no lantern's
    name becomes one. PNG, JPEG, TIFF, WebP, OpenEXR or OpenRaster; or a movie, of which one frame
    is taken. plays: all of a movie is, and numbered files are one sequence; their plate plays."""
    get_object_or_404(Project, pk=id)
    scene = project_api.scene_or_404(id, base)
    named = [(file.name or "paint", file.read()) for file in files]
    kept = plates.KeepingPictures()
    edit, taken = taken_in(
        scene, named, plates.deep, kept.keep, settings.MOST_PIXELS, frame,
        Budget(settings.MOST_DECODED_BYTES), plays,
    )  # fmt: skip
    brought = [
        BroughtOut(file=b.file, lantern=b.lantern, said=list(b.said), done=list(b.done))
        for b in taken
    ]
    if edit is None:
        words = " ".join(f"{b.file}: {' '.join(b.said)}" for b in taken)
        raise Refusal(f"Nothing was taken. {words}"[:600])
    return answer(projects.keep(id, base, edit, kept).now, brought)
