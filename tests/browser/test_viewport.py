"""What the browser draws against what the core renders."""

import re
from dataclasses import replace

import numpy as np
from playwright.sync_api import Page, expect

from jade_lantern.core.batch import PicturesAtHand
from jade_lantern.core.cast.ofscene import Pixels, targets, throwers
from jade_lantern.core.deliver.movie import Movie
from jade_lantern.core.picture import png, read_deep, read_still
from jade_lantern.core.picture.eight import in_eight_bit
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.render.land import Cast, Thrower
from jade_lantern.core.render.pyramid import Pyramid
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.scene.moment import at
from jade_lantern.core.scene.plate import Plate
from jade_lantern.core.scene.shot import shot_camera
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.store import Folder
from tests.browser.lens import Lens, drawn, go_to, kept, open_project, state
from tests.truth import decibels

RATIO = 1  # what the viewport drew is looked at

EDGE = 3  # px round the frame, where the view's own border is antialiased


def core_view(
    scene: Scene, plate: Pyramid | None, frame: float | None, top: float, w: int, h: int,
    pixels: Pixels | None = None,
) -> np.ndarray:  # fmt: skip
    """The same view by the core: the shot camera with its principal point moved into the canvas.
    pixels: of the plates of all lanterns, where it is not the one that is thrown."""
    sighted = required_camera(scene)
    camera = sighted if frame is None else shot_camera(scene, frame, sighted)
    small = camera.resized(w, round(w * camera.height / camera.width))
    tall = w * camera.height / camera.width
    view = replace(small, height=h, cy=top + tall / 2)
    lit = [Thrower(sighted, plate)] if pixels is None else throwers(scene, sighted, pixels)
    return in_eight_bit(rendered(Cast(targets(scene, sighted), lit), view))


def compare(page: Page, view: str, scene: Scene, plate: Pyramid, frame: float | None) -> float:
    picture = drawn(page, view)
    h, w = picture.shape[:2]
    assert w / h < scene.plate.width / scene.plate.height  # the picture spans the view's width
    tall = w * scene.plate.height / scene.plate.width
    top = (h - tall) / 2
    core = core_view(scene, plate, frame, top, w, picture.shape[0])
    inside = np.zeros(picture.shape[:2], bool)
    inside[int(top) + EDGE : int(top + tall) - EDGE, EDGE:-EDGE] = True
    inside &= core[..., 3] == 255
    assert inside.mean() > 0.4
    return decibels(picture, core[..., :3], inside)


def test_the_viewport_shows_what_the_renderer_renders(page, demo_scene, plate):
    open_project(page, "Lantern Quay")
    go_to(page, "Cast")
    page.get_by_role("button", name="Wire", exact=True).click()
    assert compare(page, "Lens view", demo_scene, plate, None) > 35
    go_to(page, "Move")
    page.get_by_role("slider", name="Frame").press("End")
    expect(page.get_by_text("Shot · frame 95")).to_be_visible()
    assert compare(page, "Shot view", demo_scene, plate, 95) > 35


def test_glazed_moved_and_squashed_both_show_the_same(page, demo_scene, plate):
    """A crate is glazed in Cast, dragged in Block and squashed; its picture has gone along."""
    open_project(page, "Lantern Quay")
    go_to(page, "Cast")
    box = next(p for p in demo_scene.proxies if p.name == "crate 1")
    page.get_by_role("region", name="Cast sheet").get_by_role(
        "button", name="crate 1", exact=True
    ).click()
    glaze = page.get_by_role("region", name="Glaze")
    glaze.get_by_role("button", name="Glaze", exact=True).click()
    glaze.get_by_role("button", name="Glaze crate 1").click()
    expect(page.get_by_role("button", name="crate 1 · glazed")).to_be_visible()
    go_to(page, "Block")
    hand, camera = Lens(page, 1920, 1280), required_camera(demo_scene)
    middle = np.array([box.x, box.level_m + box.height_m / 2, box.z])
    start, end = camera.project(np.array([middle, middle + [-0.9, 0, 0.8]]))[0].tolist()
    page.mouse.move(*hand.at(tuple(start)))
    page.mouse.down()
    page.mouse.move(*hand.at(tuple(end)), steps=5)
    page.mouse.up()
    page.keyboard.press("Escape")
    go_to(page, "Cast")
    mine = glaze.get_by_role("button", name="crate 1", exact=True)
    if mine.get_attribute("aria-pressed") == "false":
        mine.click()
    expect(glaze.get_by_role("status")).to_contain_text("before the lens")
    glaze.get_by_role("button", name="Squash crate 1").click()
    expect(page.get_by_role("button", name="Undo")).to_have_attribute(
        "aria-description", re.compile("Squash crate 1")
    )
    scene = Scene.model_validate(state(page)["scene"])
    moved = next(p for p in scene.proxies if p.id == box.id)
    assert np.hypot(moved.x - box.x, moved.z - box.z) > 0.5
    assert [one.id for one in scene.glazed] == [box.id]
    page.get_by_role("button", name="Wire", exact=True).click()
    mine.click()
    expect(mine).to_have_attribute("aria-pressed", "false")
    assert compare(page, "Lens view", scene, plate, None) > 35
    bare = scene.model_copy(update={"glazed": ()})
    assert compare(page, "Lens view", bare, plate, None) < 33
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name="crate 1 · glazed")).to_have_count(0)


def test_the_viewport_takes_a_mask_into_account(page, demo_scene, plate, still):
    """A mask that takes the left third away: there the view is as bare as the renderer's."""
    open_project(page, "Lantern Quay")
    go_to(page, "Cast")
    page.get_by_role("button", name="Wire", exact=True).click()
    width, height = demo_scene.plate.width, demo_scene.plate.height
    mask = np.full((height, width, 3), 255, np.uint8)
    mask[:, : width // 3] = 0
    number = page.url.split("/project/")[1].split("/")[0]
    before = state(page)["revision"]
    brought = page.request.post(
        f"/api/projects/{number}/paint", headers={"X-Jade-Lantern": "1"},
        multipart={"base": str(before), "frame": "0", "files": {
            "name": "still mask.png", "mimeType": "image/png", "buffer": png(mask)}},
    )  # fmt: skip
    assert brought.status == 200
    kept(page, brought.json()["revision"])
    scene = Scene.model_validate(state(page)["scene"])
    go_to(page, "Move")
    page.get_by_role("slider", name="Frame").press("End")
    expect(page.get_by_text("Shot · frame 95")).to_be_visible()
    picture = drawn(page, "Shot view")
    h, w = picture.shape[:2]
    top = (h - w * height / width) / 2
    whole = core_view(demo_scene, plate, 95, top, w, h)
    thrown = {scene.plate.digest: still.pixels, scene.lanterns[0].mask.digest: mask}
    masked = core_view(scene, plate, 95, top, w, h, lambda one: thrown[one.digest])
    inside = np.zeros((h, w), bool)
    inside[int(top) + EDGE : int(h - top) - EDGE, EDGE:-EDGE] = True
    there = inside & (masked[..., 3] == 255)
    away = inside & (whole[..., 3] == 255) & (masked[..., 3] == 0)
    assert there.mean() > 0.2
    assert away.mean() > 0.1
    # until the masked plate has come the still stands in for it
    for _ in range(60):
        if decibels(picture, whole[..., :3], away) < 20:
            break
        page.wait_for_timeout(500)
        picture = drawn(page, "Shot view")
    assert decibels(picture, masked[..., :3], there) > 35
    assert decibels(picture, whole[..., :3], away) < 20
    page.keyboard.press("Control+z")


def test_every_stations_sheet_of_keys_opens_and_alt_leaves_a_number(page):
    """`?` in each station; and Alt with a digit goes there though a number is being typed, which
    is kept."""
    wrong: list[str] = []
    page.on("pageerror", lambda error: wrong.append(str(error)))
    open_project(page, "Lantern Quay")
    for station in ("Still", "Sight", "Block", "Cast", "Move", "Dress", "Deliver"):
        go_to(page, station)
        page.keyboard.press("?")
        sheet = page.get_by_role("dialog", name="Keys")
        expect(sheet).to_be_visible()
        expect(sheet.get_by_text("these keys")).to_be_visible()
        sheet.get_by_role("button", name="Close").click()
        expect(sheet).to_be_hidden()
    go_to(page, "Move")
    page.get_by_label("By", exact=True).click()
    page.keyboard.press("Alt+3")
    expect(page).to_have_url(re.compile("/block$"))
    assert wrong == []


def test_what_moves_and_what_plays_is_drawn_as_it_is_rendered(page, served, tmp_path):
    """A crate on tracks, its lantern growing weak, and a movie on the wall behind it."""
    open_project(page, "Lantern Quay")
    number = page.url.split("/project/")[1].split("/")[0]
    before = state(page)["revision"]
    scene = Scene.model_validate(state(page)["scene"])

    def kept_by(**change: object) -> None:
        answer = page.request.post(
            f"/api/projects/{number}/edits", headers={"X-Jade-Lantern": "1"},
            data={"base": state(page)["revision"], "change": change},
        )  # fmt: skip
        assert answer.status == 200, answer.text()

    width, height = scene.plate.width // 8, scene.plate.height // 8
    with Movie(tmp_path / "a.mp4", width, height, 24.0) as movie:
        for n in range(30):
            picture = np.full((height, width, 4), 255, np.uint8)
            picture[..., :3] = (30 + 7 * n, 120, 220 - 7 * n)
            picture[:, 8 * n : 8 * n + 20, 1] = 240
            movie.add(picture)
    brought = page.request.post(
        f"/api/projects/{number}/paint", headers={"X-Jade-Lantern": "1"},
        multipart={"base": str(before), "plays": "true", "files": {
            "name": "smoke.mp4", "mimeType": "video/mp4",
            "buffer": (tmp_path / "a.mp4").read_bytes()}},
    )  # fmt: skip
    assert brought.status == 200, brought.text()
    scene = Scene.model_validate(state(page)["scene"])
    smoke = scene.lanterns[-1]
    crate = next(p for p in scene.proxies if p.name == "crate 1")
    wall = next(p for p in scene.proxies if p.name == "workshop 2")
    kept_by(verb="CastOn", rows=[{"proxy": wall.id, "lanterns": [smoke.id]}])
    kept_by(verb="Play", plate=smoke.plate.digest, offset=10, rate=24)
    for of, values in (("x", (crate.x, crate.x + 1.5)), ("turn_deg", (0, 120))):
        keys = [{"frame": f, "value": v} for f, v in zip((0, 60), values, strict=True)]
        kept_by(verb="SetTrack", part=crate.id, of=of, keys=keys)
    keys = [{"frame": 0, "value": 1}, {"frame": 60, "value": 0.4}]
    kept_by(verb="SetTrack", part=smoke.id, of="strength", keys=keys)
    kept(page, state(page)["revision"])
    scene = Scene.model_validate(state(page)["scene"])
    at_hand = PicturesAtHand(Folder(served.data / "plates"))
    go_to(page, "Move")
    strip = page.get_by_role("slider", name="Frame")
    for frame in (0, 30, 10):
        strip.focus()
        strip.press("Home")
        for _ in range(frame):
            strip.press("ArrowRight")
        expect(page.get_by_text(f"Shot · frame {frame}")).to_be_visible()
        moment = at(scene, frame)
        for patience in range(40):
            picture = drawn(page, "Shot view")
            h, w = picture.shape[:2]
            tall = w * scene.plate.height / scene.plate.width
            top = (h - tall) / 2
            core = core_view(moment, None, frame, top, w, h, at_hand.deep)
            inside = np.zeros((h, w), bool)
            inside[int(top) + EDGE : int(top + tall) - EDGE, EDGE:-EDGE] = True
            inside &= core[..., 3] == 255
            if decibels(picture, core[..., :3], inside) > 33 or patience == 39:
                break
            page.wait_for_timeout(500)  # until its picture has come the one before stays
        assert inside.mean() > 0.4
        assert decibels(picture, core[..., :3], inside) > 33
    still = core_view(scene, None, 30, top, w, h, at_hand.deep)
    moved = core_view(at(scene, 30), None, 30, top, w, h, at_hand.deep)
    assert decibels(still[..., :3], moved[..., :3], inside) < 25
    while state(page)["revision"] > before:
        page.keyboard.press("Control+z")
        page.wait_for_timeout(300)


def test_reeds_are_seen_through_as_the_renderer_sees_through_them(page, served):
    """Twenty cut-outs over one another, at the lens and at the end of the push; then some weaker,
    so that what is solid in them is half clear too, some mirrored or held past their edges, some
    on first surfaces only, and two cards that take three lanterns."""
    open_project(page, "Lantern Quay, overgrown")
    go_to(page, "Cast")
    page.get_by_role("button", name="Wire", exact=True).click()
    number = page.url.split("/project/")[1].split("/")[0]
    scene = Scene.model_validate(state(page)["scene"])
    reeds = [one for one in scene.lanterns if one.plate is not None]
    assert len(reeds) == 20

    def agree(scene: Scene, view: str, frame: float | None) -> None:
        def own(plate: Plate) -> np.ndarray:
            file = (served.data / "plates" / plate.digest).read_bytes()
            return read_deep(file) if plate.alpha else read_still(file).pixels

        for patience in range(40):
            picture = drawn(page, view)
            h, w = picture.shape[:2]
            tall = w * scene.plate.height / scene.plate.width
            top = (h - tall) / 2
            core = core_view(scene, None, frame, top, w, h, own)
            inside = np.zeros((h, w), bool)
            inside[int(top) + EDGE : int(top + tall) - EDGE, EDGE:-EDGE] = True
            inside &= core[..., 3] == 255
            apart = np.abs(picture.astype(int) - core[..., :3]).max(axis=2)
            # reeds are in the lower left; fine blades differ where pixels are sampled otherwise
            low = inside.copy()
            low[: int(h * 0.6)] = low[:, int(w * 0.45) :] = False
            assert low.mean() > 0.08
            if decibels(picture, core[..., :3], low) > 32 or patience == 39:
                break
            page.wait_for_timeout(500)  # until all plates have come others stand in
        assert decibels(picture, core[..., :3], low) > 32
        assert np.median(apart[low]) <= 3

    agree(scene, "Lens view", None)
    go_to(page, "Move")
    page.get_by_role("slider", name="Frame").press("End")
    expect(page.get_by_text("Shot · frame 95")).to_be_visible()
    agree(scene, "Shot view", 95)

    def alter(**change: object) -> None:
        answer = page.request.post(
            f"/api/projects/{number}/edits", headers={"X-Jade-Lantern": "1"},
            data={"base": state(page)["revision"], "change": change},
        )  # fmt: skip
        assert answer.status == 200, answer.text()

    for k, lantern in enumerate(reeds):
        to = ({"strength": 0.5}, {"edge": "mirror"}, {"edge": "hold"}, {"through": False})[k % 4]
        alter(verb="AlterLantern", lantern=lantern.id, to=to)
    cards = [row.proxy for row in scene.sheet.rows][-20:]
    rows = [{"proxy": cards[k], "lanterns": [reeds[k].id, reeds[k - 1].id, "lantern-0"]}
            for k in (5, 9)]  # fmt: skip
    alter(verb="CastOn", rows=rows)
    kept(page, state(page)["revision"])
    agree(Scene.model_validate(state(page)["scene"]), "Shot view", 95)
