"""What can be done is found by its words, and what is many leaves the picture visible."""

import re

from playwright.sync_api import expect

from tests.browser.lens import as_it_was, drawn, go_to, open_project, state
from tests.browser.test_hands import troubles

RATIO = 1  # wires are looked at


def test_the_palette_finds_a_verb_by_its_words_and_does_it_by_keyboard_alone(page):
    open_project(page, "Lantern Quay")
    go_to(page, "Cast")
    number = page.url.split("/project/")[1].split("/")[0]

    def steps() -> int:
        return len(page.request.get(f"/api/projects/{number}/history").json())

    before = steps()
    page.keyboard.press("/")
    palette = page.get_by_role("dialog", name="Everything that can be done")
    expect(palette).to_be_visible()
    page.wait_for_timeout(300)
    assert troubles(page) == []
    page.keyboard.type("hang a dome")
    expect(palette.get_by_role("option")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(palette).to_be_hidden()
    expect(page.get_by_role("link", name="Block", exact=True)).to_have_attribute(
        "aria-current", re.compile(".+")
    )
    expect(page.get_by_role("button", name="Undo")).to_have_attribute(
        "aria-description", re.compile("dome", re.IGNORECASE)
    )
    assert steps() == before + 1
    page.keyboard.press("Control+z")
    page.keyboard.press("/")
    expect(palette.get_by_role("option").first).to_contain_text("hang a dome")  # what was last
    page.keyboard.press("Escape")
    expect(palette).to_be_hidden()


def test_what_needs_a_selection_says_so_and_what_is_deleted_comes_back_from_its_notice(page):
    open_project(page, "Lantern Quay")
    go_to(page, "Block")
    page.keyboard.press("k")
    expect(page.get_by_text("Nothing is selected.")).to_be_visible()
    proxies = page.get_by_role("list", name="Proxies")
    proxies.get_by_role("button", name="crate 2", exact=False).first.scroll_into_view_if_needed()
    row = proxies.get_by_role("listitem").filter(has_text="crate 2")
    row.get_by_role("button", name=re.compile("^crate 2")).click()
    page.keyboard.press("Delete")
    notice = page.get_by_role("status").filter(has_text="Delete crate 2.")
    expect(notice).to_be_visible()
    assert "crate 2" not in [p["name"] for p in state(page)["scene"]["proxies"]]
    notice.get_by_role("button", name="Undo").click()
    expect(row).to_be_visible()
    assert "crate 2" in [p["name"] for p in state(page)["scene"]["proxies"]]


def test_of_many_wires_the_selected_one_stands_out(page):
    """Its own tone is there; of the others' full tone hardly anything is."""
    open_project(page, "Lantern Quay")
    go_to(page, "Block")
    row = page.get_by_role("list", name="Proxies").get_by_role("listitem").filter(has_text="quay")
    row.first.get_by_role("button", name=re.compile("^quay")).click()
    picture = drawn(page, "Lens view").astype(int)
    yellow = (abs(picture - [255, 209, 102]).max(axis=2) < 40).mean()
    green = (abs(picture - [79, 197, 154]).max(axis=2) < 25).mean()
    assert yellow > 0.0008
    assert green < yellow / 2
    page.keyboard.press("Escape")


def test_the_first_steps_go_through_the_stations_once(page):
    page.add_init_script("localStorage.removeItem('jade-lantern.first-steps')")
    open_project(page, "Lantern Quay, untouched")
    go_to(page, "Sight")
    steps = page.get_by_role("complementary", name="First steps")
    expect(steps).to_contain_text("1 of 5")
    for number in range(2, 6):
        steps.get_by_role("button", name="Next step").click()
        expect(steps).to_contain_text(f"{number} of 5")
    expect(page).to_have_url(re.compile("/deliver$"))
    steps.get_by_role("button", name="Done").click()
    expect(steps).to_have_count(0)
    go_to(page, "Sight")
    expect(steps).to_have_count(0)
    page.keyboard.press("?")
    page.get_by_role("button", name="The first steps again").click()
    expect(steps).to_contain_text("1 of 5")
    steps.get_by_role("button", name="No more of this").click()
    expect(steps).to_have_count(0)


def test_tips_menus_notices_and_the_history_say_what_they_are(page):
    """A tip tells what a control does and its key, over a mouse alone; axe finds nothing in what
    opens over the page."""
    with as_it_was(page):
        box = page.get_by_role("button", name="Box", exact=True)
        box.hover()
        tip = page.get_by_role("tooltip")
        expect(tip).to_be_visible()
        expect(tip).to_have_text("Stand: box · 4")
        assert troubles(page) == []
        page.keyboard.press("Escape")
        expect(tip).to_be_hidden()
        page.keyboard.press("4")
        expect(box).to_have_attribute("aria-pressed", "true")
        page.keyboard.press("Escape")

        more = page.get_by_role("button", name="More ▾")
        more.click()
        menu = page.get_by_role("dialog", name="More to stand")
        expect(menu).to_be_visible()
        page.wait_for_timeout(300)
        assert troubles(page) == []
        menu.get_by_role("button", name="Wall").click()  # and nothing is selected
        expect(page.get_by_text("Select a floor, a box or a room first.")).to_be_visible()
        expect(menu).to_be_hidden()
        page.wait_for_timeout(300)
        assert troubles(page) == []
        page.get_by_role("button", name="Dismiss").click()

        page.get_by_role("button", name="History").click()
        history = page.get_by_role("dialog", name="History")
        expect(history).to_be_visible()
        page.wait_for_timeout(300)
        assert troubles(page) == []
        step = history.locator("button:not([data-tip])")  # none of a branch that was left
        step.filter(has_text="Stand backdrop").last.click()  # the picture stays
        expect(history.locator('[aria-current="step"]')).to_contain_text("Stand backdrop")
        expect(history).to_be_visible()
        page.keyboard.press("Escape")
        expect(history).to_be_hidden()


def test_the_tray_can_have_the_walk_views_room(page):
    """Three times as much of the cast sheet is seen then; Escape gives the room back."""
    open_project(page, "Lantern Quay")
    go_to(page, "Cast")
    sheet = page.get_by_role("region", name="Cast sheet").get_by_role("table")

    def seen() -> int:
        tray = page.get_by_role("complementary", name="Tray").bounding_box()
        assert tray
        foot = tray["y"] + tray["height"]
        boxes = [row.bounding_box() for row in sheet.get_by_role("row").all()]
        return sum(b is not None and b["y"] + b["height"] < foot for b in boxes)

    before = seen()
    page.keyboard.press("b")
    expect(page.get_by_role("button", name="smaller")).to_be_visible()
    page.wait_for_timeout(300)
    assert seen() >= before + 6
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="larger")).to_be_visible()
    expect(page.get_by_role("application", name="Walk view")).to_be_visible()
