"""Guests of files: models, pictures and clips are stood where a place is picked; a font is given to
words."""

from __future__ import annotations

from typing import Annotated, Literal

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, Router, UploadedFile
from pydantic import TypeAdapter, ValidationError

from ...core.change import changed
from ...core.dress.bring import font_of, guest_of
from ...core.dress.ofscene import panorama_in
from ...core.dress.relief import relief_picture
from ...core.dress.standing import StandGuest
from ...core.dress.table import read_table
from ...core.pick import Pick
from ...core.refusal import Refusal
from ...core.scene.dressing import Look, Relief, Surroundings
from ...core.scene.edits import AddLight, AlterGuest, AlterLight, Edit, SetLook, SetRelief
from ...core.scene.edits.dress import facts_of as light_facts
from ...core.scene.edits.edit import the_one
from ...core.scene.edits.guests import facts_of
from ...core.value import NEW_ID
from .. import plates, projects
from ..models import Project
from . import project as project_api
from .project import Answer, BroughtOut, StepNumber, Trouble, answer

router = Router(tags=["dress"])
PICK: TypeAdapter[Pick] = TypeAdapter(Pick)


@router.post(
    "/projects/{id}/guest",
    response={200: Answer, 404: Trouble, 409: Trouble, 413: Trouble, 422: Trouble},
)
def stand(
    request: HttpRequest, id: StepNumber, files: File[list[UploadedFile]],
    base: Annotated[int, Form(ge=0, lt=2**31)], at: Annotated[str, Form(max_length=400)],
    lies: Annotated[bool, Form()] = False,
) -> HttpResponse:  # fmt: skip
    """Stand a file as a guest, and keep it: a model (GLB, OBJ, USD, or an OBJ with its materials
    and pictures in a ZIP), a picture, a movie, or numbered pictures. at: the picked place, a pixel
    of the lens view or a ray, as JSON. lies: flat on what was picked."""
    get_object_or_404(Project, pk=id)
    scene = project_api.scene_or_404(id, base)
    try:
        where = PICK.validate_json(at)
    except ValidationError as error:
        raise Refusal("The place to stand it at cannot be read.") from error
    named = [(file.name or "guest", file.read()) for file in files]
    kept = plates.KeepingPictures()
    come = guest_of(named, kept.keep, kept.keep_file, settings.MOST_PIXELS, scene.move.fps)
    gesture = StandGuest(guest=come.guest, at=where, lies=lies)
    edit, _ = changed(scene, gesture, kept)
    brought = BroughtOut(file=named[0][0], lantern=None, said=come.said, done=[])
    return answer(projects.keep(id, base, edit, kept).now, [brought])


@router.post(
    "/projects/{id}/font",
    response={200: Answer, 404: Trouble, 409: Trouble, 413: Trouble, 422: Trouble},
)
def font(
    request: HttpRequest, id: StepNumber, file: File[UploadedFile],
    base: Annotated[int, Form(ge=0, lt=2**31)], guest: Annotated[str, Form(max_length=40)],
) -> HttpResponse:  # fmt: skip
    """Give words the letters of a font's file (TTF, OTF, WOFF or WOFF2), and keep it."""
    get_object_or_404(Project, pk=id)
    kept = plates.KeepingPictures()
    digest = font_of(file.read(), file.name or "font", kept.keep_file)
    edit = AlterGuest(guest=guest, to=facts_of({"font": digest}))
    return answer(projects.keep(id, base, edit, kept).now)


@router.post(
    "/projects/{id}/table",
    response={200: Answer, 404: Trouble, 409: Trouble, 413: Trouble, 422: Trouble},
)
def table(
    request: HttpRequest, id: StepNumber, file: File[UploadedFile],
    base: Annotated[int, Form(ge=0, lt=2**31)],
) -> HttpResponse:  # fmt: skip
    """Give the look a .cube file's 3D table, and keep it."""
    get_object_or_404(Project, pk=id)
    scene = project_api.scene_or_404(id, base)
    data, name = file.read(), (file.name or "table")[-80:]
    read_table(data)
    kept = plates.KeepingPictures()
    new = {"table": kept.keep_file(data), "table_name": name}
    look = (scene.look or Look()).model_copy(update=new)
    return answer(projects.keep(id, base, SetLook(look=look), kept).now)


@router.post(
    "/projects/{id}/relief",
    response={200: Answer, 404: Trouble, 409: Trouble, 413: Trouble, 422: Trouble},
)
def relief(
    request: HttpRequest, id: StepNumber, file: File[UploadedFile],
    base: Annotated[int, Form(ge=0, lt=2**31)], lantern: Annotated[str, Form(max_length=40)],
    by: Annotated[Literal["heights", "normals"], Form()],
) -> HttpResponse:  # fmt: skip
    """Give what a lantern throws the relief of a picture of heights or normals, and keep that."""
    get_object_or_404(Project, pk=id)
    scene = project_api.scene_or_404(id, base)
    data, name = file.read(), (file.name or "relief")[-80:]
    kept = plates.KeepingPictures()
    old = the_one(scene.lanterns, lantern, "lantern").relief or Relief()
    new = {"by": by, "picture": kept.keep_file(data), "picture_name": name}
    made = old.model_copy(update=new)
    relief_picture(data, made)
    edit = SetRelief(lantern=lantern, relief=made)
    return answer(projects.keep(id, base, edit, kept).now)


@router.post(
    "/projects/{id}/panorama",
    response={200: Answer, 404: Trouble, 409: Trouble, 413: Trouble, 422: Trouble},
)
def panorama(
    request: HttpRequest, id: StepNumber, file: File[UploadedFile],
    base: Annotated[int, Form(ge=0, lt=2**31)],
    light: Annotated[str | None, Form(max_length=40)] = None,
) -> HttpResponse:  # fmt: skip
    """Light a place by a panorama, an equirectangular picture of all that is around (OpenEXR,
    Radiance HDR, or any still), and keep that. light: of which surroundings it takes the place;
    without, new ones."""
    get_object_or_404(Project, pk=id)
    data, name = file.read(), (file.name or "panorama")[-80:]
    panorama_in(data, name)
    kept = plates.KeepingPictures()
    new = {"picture": kept.keep_file(data), "picture_name": name}
    if light is not None:
        edit: Edit = AlterLight(light=light, to=light_facts(new))
    else:
        edit = AddLight(light=Surroundings(id=NEW_ID, name="surroundings", **new))
    return answer(projects.keep(id, base, edit, kept).now)
